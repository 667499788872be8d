/* SPDX-License-Identifier: MIT
 * The page: by the kind of its data. */
"use strict";

const MAX_BODIES = 4;

function heading(data) {
  const verdict = element("p", data.bad ? "verdict bad" : "verdict", data.verdict);
  return [element("h1", "", data.title), element("p", "question", data.question), verdict, warnings(data.warnings)];
}

const angle = (name, kind, measure) => ({ name, of: r => r[kind] ? r[kind][measure] : null, decimals: 2 });

/* The rows of the runs' table are those of --json; `measures` are the columns beside the errors. */
function runsTable(result, measures) {
  const several = result.cases.length > 1;
  return table([
    { name: "estimate", of: r => r.rate_hz ? r.name + ", " + r.rate_hz + " Hz" : r.name },
    ...(several ? [{ name: "log", of: r => r.case }] : []),
    angle("error rms, deg", "error_deg", "rms"), angle("tilt rms", "tilt_deg", "rms"), angle("tilt max", "tilt_deg", "max"),
    angle("heading rms", "heading_deg", "rms"), angle("heading max", "heading_deg", "max"),
    ...measures.map(m => ({ name: m.title + ", " + m.unit, of: r => r[m.key], decimals: m.decimals })),
    { name: "", of: r => r.status === "ok" ? "" : "failed: " + r.reason },
  ], result.runs);
}

function conditionsTable(result) {
  const kinds = SPANS.filter(k => result.runs.some(r => r.by_condition && r.by_condition[k].error_deg.rms !== null));
  return table([{ name: "total error rms, deg, while", of: r => r.name },
    ...kinds.map(k => ({ name: k, of: r => r.by_condition ? r.by_condition[k].error_deg.rms : null, decimals: 2 }))], result.runs);
}

/* One log: bodies with their player, and traces below; each moves the other. `first`: the runs shown at first; without,
 * the best. */
function caseView(one, kind, first) {
  const box = element("div"), grid = element("div", "bodies"), choice = element("div", "controls noprint");
  const bodies = [body(kind, "reference", REFERENCE), ...one.names.map((n, i) => body(kind, n, colourOf(i)))];
  const hasReference = one.frames.reference.some(q => q !== null);
  const visible = i => i === 0 ? hasReference : choice.querySelector("input[value='" + i + "']").checked;
  const view = { box, bodies };
  const show = i => {
    bodies.forEach((b, k) => {
      if (visible(k)) {
        b.show(k === 0 ? one.frames.reference[i] : one.frames.runs[k - 1].q[i], k === 0 || !hasReference ? undefined : one.frames.runs[k - 1].error[i]);
      }
    });
    view.plots.mark(one.frames.t[i]);
  };
  view.player = player(one.frames.t, show);
  view.plots = traces(one, t => view.player.goTo(t));
  const best = first || one.rms.map((r, i) => [r === null ? Infinity : r, i]).sort((a, b) => a[0] - b[0]).slice(0, MAX_BODIES - 1).map(b => b[1]);
  one.names.forEach((n, i) => {
    const label = element("label"), check = element("input");
    check.type = "checkbox";
    check.value = i + 1;
    check.checked = best.includes(i);
    check.addEventListener("change", () => place());
    label.append(check, " " + n);
    choice.append(label);
  });
  const place = () => {
    const chosen = bodies.filter((b, k) => visible(k));
    grid.replaceChildren(...chosen.map(b => b.box));
    chosen.forEach(b => b.resize());
    view.plots.choose(run => run < 0 || visible(run + 1));
    view.player.go(view.player.state.i);
  };
  box.append(element("h2", "", shapes[kind].title), choice, grid, view.player.box,
    element("p", "note", "Axes of the body: x orange, y green, z light blue; the pink arrow on the ground is north."),
    element("h2", "", "Over time"),
    element("p", "note noprint", "Ticked above are the bodies and traces shown. Drag across a trace to zoom all of them, double-click to see everything; a click moves the bodies there."),
    view.plots.box);
  /* This run beside the first one, what was found. */
  view.choose = run => {
    choice.querySelectorAll("input").forEach(c => { c.checked = c.value === "1" || Number(c.value) === run + 1; });
    place();
    box.scrollIntoView();
  };
  /* After run k came anew: what is to be drawn, in pieces. */
  const onScreen = watched([grid], () => view.plots && view.player.go(view.player.state.i));
  view.renewed = k => [...(onScreen.has(grid) ? [["bodies", () => view.player.go(view.player.state.i)]] : []), ...view.plots.renewed(k)];
  view.draw = () => {
    view.plots.draw();
    place();
    view.player.go(0);
  };
  view.resize = () => {
    bodies.forEach(b => b.resize());
    view.plots.mark(one.frames.t[view.player.state.i]);
  };
  return view;
}

/* The panel of the tunings, and what comes from the worker into tables and the open view. */
function bench(data, tables, open) {
  const queue = sliced(), state = { index: 0 };
  const tell = {
    view: () => state.index,
    changed(index, k) {
      queue.add(tables.map((t, i) => ["table " + i, () => t.refresh()]));
      if (index === state.index && page.view) queue.add(page.view.renewed(k));
    },
    said: () => page.tuner && page.tuner.said(),
    progress: () => page.tuner && page.tuner.progress(),
  };
  page.bench = retune(data, tell);
  page.queue = queue;
  const reopen = id => {
    open(state.index);
    tables.forEach(t => t.refresh());
    page.tuner.choose(id);
    page.bench.compute(id);
  };
  page.tuner = tuner(page.bench, tell.view, reopen);
  return { box: page.tuner.box, index: tell.view, reopen, show(i) { state.index = i; } };
}

/* The tuning that was found with one parameter elsewhere: one more tuning of the page, whose traces are shown. */
function showPoint(b, panel, { parameter, value }) {
  const p = b.parameters.find(q => q.name === parameter), [found] = b.data.views[0].slots;
  if (!b.tunings.has(b.point)) b.point = addTuning(b, found.id);
  const t = b.tunings.get(b.point), like = b.tunings.get(found.id);
  t.name = parameter + " " + short(value) + " " + p.unit;
  t.values = like.loaded.values.map((v, i) => (i === p.id ? value : v));
  b.data.views.forEach(v => { v.names[v.slots.findIndex(s => s.id === t.id)] = t.name; });
  panel.reopen(t.id);
  page.view.choose(b.data.views[panel.index()].slots.findIndex(s => s.id === t.id));
}

function comparison(data, main) {
  const search = data.search ? slices(data, (run, point) => {
    if (point && page.bench && page.bench.parameters) showPoint(page.bench, panel, point);
    else page.view.choose(run);
  }) : null;
  const runs = runsTable(data.result, data.measures), conditions = conditionsTable(data.result);
  const errors = data.result.cases[0].reference === null ? [] : [element("h2", "", "Errors"), runs, conditions];
  main.append(...heading(data), ...(search ? [search.box] : []), ...errors);
  const holder = element("div"), beside = element("div", "beside");
  const open = i => {
    const at = page.view ? page.view.player.state.at : 0;
    page.view = caseView(data.views[i], data.body, data.search ? [0, 1] : null);
    holder.replaceChildren(page.view.box);
    page.view.draw();
    page.view.player.goTo(at);
    if (page.bench) panel.show(i);
    said();
  };
  const said = () => page.tuner && page.tuner.said();
  if (data.views.length > 1) {
    const controls = element("div", "controls noprint"), select = element("select");
    data.views.forEach((v, i) => {
      const o = element("option", "", v.name);
      o.value = i;
      select.append(o);
    });
    select.setAttribute("aria-label", "log");
    select.addEventListener("change", () => open(Number(select.value)));
    controls.append("log:", select);
    main.append(controls);
  }
  const panel = data.views.length > 0 && data.filters ? bench(data, [runs, conditions], open) : null;
  beside.append(...(panel ? [panel.box] : []), holder);
  main.append(beside);
  page.search = search;
  if (search) search.draw();
  if (data.views.length > 0) open(0);
  /* In other colours: what was set and computed stays. */
  page.redraw = () => {
    if (search) search.draw();
    if (panel) open(panel.index());
  };
  if (data.calibration) main.append(element("h2", "", "Calibration"), table(data.calibration.columns.map((name, i) =>
    ({ name, of: r => r[i] })), data.calibration.rows));
}

/* Tables of numbers, points on spheres, residuals: a calibration or its verification. */
function calibration(data, main) {
  main.append(...heading(data));
  data.tables.forEach(t => main.append(element("h2", "", t.title), table(t.columns.map((name, i) => ({ name, of: r => r[i] })), t.rows)));
  const views = [], shapesOf = [], scatters = [];
  (data.spheres || []).forEach(s => {
    const view = sphere(s);
    main.append(element("h2", "", s.title), view.box);
    views.push(view);
    shapesOf.push(view);
  });
  (data.scatters || []).forEach(s => {
    const view = scatter(s);
    main.append(view.box);
    views.push(view);
    scatters.push(view);
  });
  page.corrections = data.computes ? corrections(data, shapesOf, scatters) : null;
  if (data.next) main.append(element("h2", "", "Record next"), element("p", "", data.next));
  page.view = { draw: () => views.forEach(v => v.draw()), resize: () => views.forEach(v => v.resize()), views };
  page.view.draw();
}

const page = { view: null, search: null, bench: null, tuner: null, corrections: null, redraw: null, ready: false };
window.page = page;

window.addEventListener("load", () => {
  if (!document.getElementById("data")) return; /* the live page */
  const data = JSON.parse(document.getElementById("data").textContent), main = document.getElementById("page");
  (data.kind === "comparison" ? comparison : calibration)(data, main);
  window.addEventListener("beforeprint", () => page.view && page.view.plots && page.view.plots.drawStale());
  window.addEventListener("resize", () => page.view && page.view.resize());
  window.matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => {
    if (page.redraw) return page.redraw();
    if (page.corrections && page.corrections.worker) page.corrections.worker.terminate();
    main.replaceChildren();
    return calibration(data, main);
  });
  page.ready = true;
});
