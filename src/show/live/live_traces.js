/* SPDX-License-Identifier: MIT
 * Traces that run on, and stand still while they are held. */
"use strict";

const KEPT_S = 60, REDRAW_MS = 100;

/* Where a value stands in a row of a frame's trace: t, nine raw readings, nine corrected, three angles a run. */
const READINGS = [["accelerometer", "m/s^2", 1], ["gyroscope", "deg/s", 4], ["magnetometer", "uT", 7]];
const ANGLES = ["roll", "pitch", "heading"];

function livePanels(runs) {
  const angles = ANGLES.map((title, k) => ({ title, unit: "deg", wraps: k !== 1,
    curves: runs.map((r, i) => ({ name: r.name, colour: colourOf(i), at: 19 + 3 * i + k })) }));
  const readings = READINGS.flatMap(([title, unit, at]) => [["raw", 0], ["corrected", 9]].map(([what, by]) => ({ title: title + ", " + what, unit,
    curves: ["x", "y", "z"].map((axis, k) => ({ name: axis, colour: ["#e69f00", "#009e73", "#56b4e9"][k], at: at + by + k })) })));
  return [...angles, ...readings];
}

/* A curve that leaves at one end and comes back at the other is drawn with a gap. */
function withoutJumps(rows, panel) {
  if (!panel.wraps) return rows;
  return rows.map((row, i) => row.map((v, k) => (k > 0 && i > 0 && v !== null && Math.abs(v - rows[i - 1][k]) > 180 ? null : v)));
}

function livePlot(panel) {
  const box = element("div", "trace"), plot = element("div", "plot");
  box.append(element("div", "title", panel.title + ", " + panel.unit), plot);
  let graph = null;
  return {
    box,
    draw(all, from) {
      const rows = withoutJumps(all.filter(r => r[0] >= from).map(r => [r[0], ...panel.curves.map(c => r[c.at] ?? null)]), panel);
      if (rows.length < 2) return;
      /* readings of a slow sensor stand in some rows only: their dots are joined */
      const options = { connectSeparatedPoints: panel.curves[0].at < 19, strokeWidth: 1.4 };
      if (graph === null) graph = new Dygraph(plot, rows, plotOptions(panel.curves.map(c => c.name), panel.curves.map(c => c.colour), options));
      else graph.updateOptions({ file: rows, dateWindow: null });
    },
    resize() {
      if (graph !== null) graph.resize();
    },
  };
}

/* All of them. `take` gets the rows of a frame. */
function liveTraces(runs) {
  const angles = element("div"), readings = element("div"), controls = element("div", "controls"), grids = [element("div", "panels"), element("div", "panels")];
  const state = { rows: [], held: false, span: 10, drawn: 0, turn: 0 };
  const plots = livePanels(runs).map(livePlot);
  const hold = press("Hold", () => {
    state.held = !state.held;
    hold.textContent = state.held ? "Go on" : "Hold";
    hold.setAttribute("aria-pressed", state.held);
  });
  const span = selection("seconds shown", [[5, "5 s"], [10, "10 s"], [30, "30 s"], [KEPT_S, KEPT_S + " s"]], state.span, v => { state.span = Number(v); });
  controls.append(hold, labelled("shown", span));
  hold.title = "held, a drag zooms and a double click shows everything again";
  plots.forEach((p, i) => grids[i < ANGLES.length ? 0 : 1].append(p.box));
  controls.prepend(key(runs.map((r, i) => [r.name, colourOf(i)])));
  angles.append(controls, grids[0]);
  readings.append(element("h2", "", "Readings"), element("p", "note", "x orange, y green, z light blue"), grids[1]);
  const from = () => (state.rows.length > 0 ? state.rows[state.rows.length - 1][0] - state.span : 0);
  const onScreen = watched(plots.map(p => p.box), at => state.held || plots.find(p => p.box === at).draw(state.rows, from()));
  return {
    boxes: [angles, readings], state,
    take(rows) {
      state.rows.push(...rows);
      const last = state.rows.length > 0 ? state.rows[state.rows.length - 1][0] : 0;
      if (state.rows.length > 0 && state.rows[0][0] < last - KEPT_S - 5) state.rows = state.rows.filter(r => r[0] >= last - KEPT_S);
      const now = performance.now();
      if (state.held || now - state.drawn < REDRAW_MS / 3) return;
      state.drawn = now;
      /* a third of the panels at a time, so that no frame waits for all */
      state.turn = (state.turn + 1) % 3;
      plots.filter((p, i) => i % 3 === state.turn && onScreen.has(p.box)).forEach(p => p.draw(state.rows, from()));
    },
    resize() {
      plots.forEach(p => p.resize());
    },
  };
}
