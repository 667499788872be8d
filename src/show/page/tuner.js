/* SPDX-License-Identifier: MIT
 * The panel beside the traces in which tunings are changed. */
"use strict";

const SHOWN_MEASURES = [["error rms, deg", r => r.error_deg.rms, 3], ["error p95", r => r.error_deg.p95, 3], ["tilt rms", r => r.tilt_deg.rms, 3],
  ["heading rms", r => r.heading_deg.rms, 3]];

function press(text, act) {
  const b = element("button", "", text);
  b.type = "button";
  b.addEventListener("click", act);
  return b;
}

function labelled(text, input) {
  const label = element("label", "", text + " ");
  label.append(input);
  return label;
}

function numberField(name, value, act) {
  const input = element("input");
  input.type = "number";
  input.step = "any";
  input.value = value;
  input.setAttribute("aria-label", name);
  input.addEventListener("change", () => act(input));
  return input;
}

function selection(name, list, chosen, act) {
  const select = element("select");
  list.forEach(([value, text]) => {
    const o = element("option", "", text);
    o.value = value;
    o.selected = String(value) === String(chosen);
    select.append(o);
  });
  select.setAttribute("aria-label", name);
  select.addEventListener("change", () => act(select.value));
  return select;
}

/* A field and a slider with marks; `range` is the slider's. act(value) is called while it moves. */
function parameterRow(p, range, value, marks, act) {
  const box = element("div", "parameter"), fault = element("span", "fault", ""), slider = element("input"), ticks = element("div", "ticks");
  const unit = v => range.logarithmic ? Math.log(Math.max(v, range.low) / range.low) / Math.log(range.high / range.low) : (v - range.low) / (range.high - range.low);
  const valueOf = u => range.logarithmic ? range.low * (range.high / range.low) ** u : range.low + u * (range.high - range.low);
  const place = v => Math.max(0, Math.min(1, unit(v)));
  const field = numberField(p.name, short(value), input => {
    const v = Number(input.value), good = input.value !== "" && Number.isFinite(v) && v >= short(p.low) && v <= short(p.high);
    fault.textContent = good ? "" : "from " + short(p.low) + " to " + short(p.high) + " " + p.unit;
    if (!good) return;
    slider.value = 1000 * place(v);
    act(v);
  });
  slider.type = "range";
  slider.max = 1000;
  slider.value = 1000 * place(value);
  slider.setAttribute("aria-label", p.name + ", slider");
  slider.addEventListener("input", () => {
    const v = Math.min(short(p.high), Math.max(short(p.low), Number(valueOf(slider.value / 1000).toPrecision(3))));
    field.value = v;
    fault.textContent = "";
    act(v);
  });
  marks.filter(m => m.value !== null).forEach(m => {
    const tick = element("i", m.kind, "");
    tick.style.left = "calc(8px + (100% - 16px) * " + place(m.value) + ")";
    tick.title = m.kind + ": " + short(m.value) + " " + p.unit;
    ticks.append(tick);
  });
  box.title = p.about + "; from " + short(p.low) + " to " + short(p.high) + " " + p.unit + ", default " + short(p.standard);
  box.append(labelled(p.name, field), element("span", "unit", p.unit === "1" ? "" : p.unit), fault, slider, ticks);
  return box;
}

function switchRow(p, value, act) {
  const box = element("div", "parameter switch"), input = element("input");
  input.type = "checkbox";
  input.checked = value !== 0;
  input.setAttribute("aria-label", p.name);
  input.addEventListener("change", () => act(input.checked ? 1 : 0));
  box.title = p.about + "; default " + (p.standard ? "on" : "off");
  const label = labelled("", input);
  label.append(" " + p.name);
  box.append(label);
  return box;
}

/* The parameters of one tuning; act(p) is called after t.values has the new value of p. */
function parameterRows(b, t, act) {
  const box = element("div"), more = element("details"), filter = b.data.filters[t.filter];
  more.append(element("summary", "", "more parameters"));
  filter.ranges.forEach(range => {
    const p = b.parameters[range.id], set = value => {
      t.values[p.id] = value;
      act(p);
    };
    const marks = [{ kind: "default", value: p.standard }, { kind: "sheet", value: filter.sheet ? filter.sheet[p.id] : null },
      { kind: "loaded", value: t.loaded && t.loaded.filter === t.filter ? t.loaded.values[p.id] : null }];
    (range.first || p.isSwitch ? box : more).append(p.isSwitch ? switchRow(p, t.values[p.id], set) : parameterRow(p, range, t.values[p.id], marks, set));
  });
  if (more.children.length > 1) box.append(more);
  box.prepend(key([["default", "var(--soft)"], ...(filter.sheet ? [["from the sheet", "#009e73"]] : []), ...(t.loaded ? [["as loaded", "var(--accent)"]] : [])]));
  return box;
}

/* A text; take(text) says what is wrong with it, or "". */
function textRow(label, name, hint, value, take) {
  const input = element("input"), fault = element("span", "fault", "");
  input.setAttribute("aria-label", name);
  input.placeholder = hint;
  input.size = 20;
  input.value = value;
  input.addEventListener("change", () => { fault.textContent = take(input.value.trim()); });
  return [labelled(label, input), fault];
}

/* What the log would be with less: for all tunings. */
function whatIfRows(b, act) {
  const box = element("details"), w = b.whatIf;
  const set = (name, value) => {
    w[name] = value;
    act();
  };
  box.append(element("summary", "", "what if"));
  box.append(labelled("one row in", selection("one row in", [[0, "1: all rows"], [2, 2], [4, 4], [8, 8], [16, 16]], w.every, v => set("every", Number(v)))),
    labelled("share of rows lost", selection("share of rows lost", [0, 0.01, 0.05, 0.1, 0.2, 0.5].map(v => [v, v]), w.drop, v => set("drop", Number(v)))),
    ...textRow("rows lost between", "gap", "from:to, s", w.gap ? w.gap.join(":") : "", text => {
      const ends = text.split(":").map(Number), good = text === "" || (ends.length === 2 && ends[0] < ends[1]);
      if (good) set("gap", text === "" ? null : ends);
      return good ? "" : "two times with a colon, as 10:20";
    }),
    ...textRow("start at", "start", "reference or w,x,y,z", w.start ? String(w.start) : "", text => {
      const q = text.split(",").map(Number), good = text === "" || text === "reference" || (q.length === 4 && Math.hypot(...q) > 0.1);
      if (good) set("start", text === "" ? null : text === "reference" ? text : q);
      return good ? "" : "reference, or four numbers of a quaternion, body to east-north-up; empty: the first readings";
    }));
  [["accelerometer", 1], ["gyroscope", 2], ["magnetometer", 4]].filter(([, bit]) => b.loadedWhatIf.sensors & bit).forEach(([name, bit]) => {
    box.append(switchRow({ name: "has the " + name, about: "whether the board has it", standard: 1 }, w.sensors & bit,
      on => set("sensors", on ? w.sensors | bit : w.sensors & ~bit)));
  });
  return box;
}

/* How the chosen tuning does now, beside the loaded one. */
function changeTable(b, t, index) {
  const slot = b.data.views[index].slots.find(s => s.id === t.id), now = slot && b.data.result.runs[slot.run];
  const before = slot && t.loaded ? b.loadedRows[slot.run] : null, box = element("table", "changes");
  const scalars = b.data.measures.map(m => [m.title + ", " + m.unit, r => r[m.key], Math.max(2, m.decimals)]);
  if (!now || !now.error_deg) return box;
  const row = (name, cells) => {
    const tr = element("tr");
    [element("th", "", name), ...cells.map(c => element("td", "", c))].forEach(c => tr.append(c));
    box.append(tr);
  };
  row("", ["loaded", "now", "change"]);
  [...SHOWN_MEASURES, ...scalars].forEach(([name, of, decimals]) => {
    const x = before && before.error_deg ? of(before) : null, y = of(now);
    if (x === null && y === null) return;
    const change = x !== null && y !== null ? (y - x).toFixed(decimals) : "-";
    row(name, [shown(x, decimals), shown(y, decimals), Number(change) === 0 ? "=" : change > 0 ? "+" + change : change]);
  });
  const whole = element("div"), same = before && before.digest === now.digest;
  whole.append(box, element("p", "note", "digest " + now.digest + (same ? ", as loaded" : before ? "; as loaded: " + before.digest : "")));
  return whole;
}

/* Does what the page computed for the loaded tunings have the tool's bits? */
function bitsText(b) {
  const all = [...b.tunings.values()].flatMap(t => [...t.checked.values()]), equal = all.filter(x => x).length;
  if (b.why) return b.why;
  const wanted = b.data.views.reduce((n, v) => n + v.slots.filter(s => s.filter >= 0 && s.digest).length, 0);
  if (all.length < wanted && b.busy.size > 0) return "Computing: " + all.length + " of " + wanted + " replays are done.";
  return equal === all.length ? "\u2713 The device's code in this page gives the tool's bits: " + equal + " of " + all.length + " replays equal."
    : "\u2717 " + (all.length - equal) + " of " + all.length + " replays differ from the tool's: do not trust what the page computes.";
}

/* `b` is what retune returns; reopen() shows the view again after a tuning was added or taken away. */
function tuner(b, index, reopen) {
  const box = element("aside", "tuner noprint"), bits = element("p", "bits", ""), bar = element("progress"), changes = element("div"), panel = element("div");
  const command = element("code", "", ""), state = { chosen: null };
  box.append(element("h2", "", "Tunings"), bits);
  const one = () => b.data.views[index()];
  const mine = () => one().slots.filter(s => s.filter >= 0 && b.tunings.has(s.id));
  const progress = () => {
    bar.hidden = b.busy.size === 0;
    bar.value = b.progress;
  };
  const said = () => {
    const t = b.tunings.get(state.chosen);
    bits.textContent = bitsText(b);
    bits.classList.toggle("bad", b.why !== "" || bits.textContent.startsWith("\u2717"));
    progress();
    if (!b.parameters || !t) return;
    if (panel.childElementCount === 0) fill();
    changes.replaceChildren(changeTable(b, t, index()));
    command.textContent = commandText(b, t);
  };
  const changed = () => b.compute(state.chosen);
  const choose = id => {
    state.chosen = id;
    fill();
    said();
  };
  const fill = () => {
    const t = b.tunings.get(state.chosen), tabs = element("div", "tabs");
    if (!b.parameters || !t) return;
    mine().forEach(s => {
      const tab = press(b.tunings.get(s.id).name, () => choose(s.id)), k = one().slots.indexOf(s);
      tab.style.borderLeft = "5px solid " + colourOf(k);
      tab.setAttribute("aria-pressed", s.id === state.chosen);
      tabs.append(tab);
    });
    const filters = selection("filter", b.data.filters.map((f, i) => [i, f.name]), t.filter, v => {
      t.filter = Number(v);
      fill();
      changed();
    });
    const acts = element("div", "controls"), files = element("div", "controls");
    if (mine().length < COLOURS.length) acts.append(press("Add a tuning", () => reopen(addTuning(b, t.id))));
    if (mine().length > 1) acts.append(press("Take away", () => {
      takeAway(b, t.id);
      reopen(mine()[0].id);
    }));
    if (t.loaded) acts.append(press("Back to what was loaded", () => {
      Object.assign(t, structuredClone(t.loaded));
      fill();
      changed();
    }));
    files.append(press("Download the tuning", () => download("tuning.json", "application/json", tuningFile(b, t))),
      press("Download the page", () => download("retuned.html", "text/html", pageText(b))));
    const scroll = panel.scrollTop;
    panel.replaceChildren(tabs, labelled("filter", filters), bar, changes, parameterRows(b, t, changed), acts,
      whatIfRows(b, () => b.computeAll()), element("h3", "", "Take away"), files, element("p", "note", "The same by the tool:"), command);
    panel.scrollTop = scroll;
  };
  box.append(panel);
  const best = mine().map(s => [one().rms[one().slots.indexOf(s)], s.id]).sort((x, y) => (x[0] ?? Infinity) - (y[0] ?? Infinity));
  if (best.length > 0) choose(best[0][1]);
  return { box, said, progress, choose, state };
}
