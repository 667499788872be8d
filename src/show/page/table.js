/* SPDX-License-Identifier: MIT
 * Elements and sortable tables. Texts are set as text, never as markup. */
"use strict";

function element(name, className, text) {
  const e = document.createElement(name);
  if (className) e.className = className;
  if (text !== undefined && text !== null) e.textContent = text;
  return e;
}

function shown(value, decimals) {
  return typeof value === "number" && decimals !== undefined ? value.toFixed(decimals) : value === null || value === undefined ? "-" : String(value);
}

/* columns: {name, of: row => value, decimals}. A click on a heading sorts by it, once more the other way round. */
function table(columns, rows) {
  const scroll = element("div", "scroll"), t = element("table"), head = element("tr"), tbody = element("tbody");
  const state = { column: -1, down: false };
  const sorted = () => {
    const number = v => v === null || v === undefined ? Infinity : v, i = state.column;
    return i < 0 ? rows : rows.slice().sort((a, b) => {
      const x = number(columns[i].of(a)), y = number(columns[i].of(b));
      return (x < y ? -1 : x > y ? 1 : 0) * (state.down ? -1 : 1);
    });
  };
  const rowOf = () => {
    const tr = element("tr");
    columns.forEach((c, i) => tr.append(element(i ? "td" : "th")));
    tr.firstChild.scope = "row";
    return tr;
  };
  const fill = list => {
    while (tbody.children.length > list.length) tbody.lastChild.remove();
    while (tbody.children.length < list.length) tbody.append(rowOf());
    list.forEach((row, k) => columns.forEach((c, i) => { tbody.children[k].children[i].textContent = shown(c.of(row), c.decimals); }));
  };
  const sort = i => {
    state.down = state.column === i ? !state.down : false;
    state.column = i;
    [...head.children].forEach((th, k) => {
      th.ariaSort = k === i ? (state.down ? "descending" : "ascending") : "none";
      th.setAttribute("aria-sort", th.ariaSort);
    });
    fill(sorted());
  };
  columns.forEach((c, i) => {
    const th = element("th"), button = element("button", "", c.name);
    button.type = "button";
    button.addEventListener("click", () => sort(i));
    th.scope = "col";
    th.append(button);
    head.append(th);
  });
  const thead = element("thead");
  thead.append(head);
  t.append(thead, tbody);
  fill(rows);
  /* After the rows have changed. */
  scroll.refresh = () => fill(sorted());
  scroll.append(t);
  return scroll;
}

function warnings(list) {
  const ul = element("ul", "warnings");
  (list || []).forEach(w => ul.append(element("li", "", w.text)));
  return ul;
}
