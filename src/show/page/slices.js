/* SPDX-License-Identifier: MIT
 * A search: the score along each parameter, the others as found. */
"use strict";

/* What was found is blue and the default orange, as in the traces below; a dark point has traces, and a click shows them;
 * for any other point of the curve the page computes them. */
function slice(data, index, choose) {
  const p = data.search.parameters[index], log = p.logarithmic && p.range[0] > 0;
  const box = element("div", "trace"), plot = element("div", "plot");
  const to = v => log ? Math.log10(v) : v, from = x => log ? 10 ** x : x;
  const share = p.unit ? p.name + ", " + p.unit : p.name;
  box.append(element("div", "title", share + ": " + Math.round(100 * p.share) + " % of the change"), plot);
  const traced = data.shown.filter(s => s.parameter === index);
  const limit = 10 * data.search.score;
  const rows = p.slice.value.map((v, i) => [to(v), p.slice.score[i] !== null && p.slice.score[i] <= limit ? p.slice.score[i] : null]);
  const dot = (context, graph, x, y, colour, radius) => {
    if (y === null || y > limit) return;
    context.fillStyle = colour;
    context.beginPath();
    context.arc(graph.toDomXCoord(to(x)), graph.toDomYCoord(y), radius, 0, 2 * Math.PI);
    context.fill();
  };
  return {
    box,
    draw() {
      this.graph = new Dygraph(plot, rows, {
        labels: ["value", data.search.goal], colors: [css("--ink")], strokeWidth: 1.4, legend: "never", labelsKMB: false,
        gridLineColor: css("--line"), axisLineColor: css("--line"), xRangePad: 8, yRangePad: 12,
        axes: { x: { axisLabelFormatter: x => +from(x).toPrecision(2), drawGrid: false }, y: { axisLabelWidth: 52 } },
        underlayCallback: (context, area, graph) => {
          if (p.within_5_percent) {
            const [a, b] = p.within_5_percent.map(v => graph.toDomXCoord(to(v)));
            context.fillStyle = css("--still");
            context.fillRect(a, area.y, b - a, area.h);
          }
        },
        drawCallback: graph => {
          const context = graph.canvas_.getContext("2d");
          context.clearRect(0, 0, graph.canvas_.width, graph.canvas_.height);
          traced.forEach(s => dot(context, graph, p.slice.value[s.point], p.slice.score[s.point], css("--ink"), 5));
          dot(context, graph, p.default, data.search.filter_default_score, COLOURS[1], 6);
          dot(context, graph, p.value, data.search.score, COLOURS[0], 6);
        },
        clickCallback: (event, x, points) => {
          const point = points[0] ? points[0].idx : -1, near = traced.find(s => s.point === point);
          choose(near ? near.run : 0, near || point < 0 ? null : { parameter: p.name, value: p.slice.value[point] });
        },
      });
    },
  };
}

/* The section before the errors; `choose` is called with the run whose traces are wanted, or with 0 and the point that is
 * to be computed. */
function slices(data, choose) {
  const box = element("div");
  const list = data.search.parameters.map((p, i) => slice(data, i, choose));
  box.append(element("h2", "", "Search"),
    table([{ name: "log", of: r => r.log }, ...["score", "default_score", "own_best"].map((k, i) =>
      ({ name: ["found", "default", "its own best"][i] + ", " + data.search.unit, of: r => r[k], decimals: 3 }))], data.search.logs),
    table([{ name: "parameter", of: r => r.name }, { name: "unit", of: r => r.unit },
      { name: "found", of: r => +r.value.toPrecision(4) }, { name: "default", of: r => +r.default.toPrecision(4) },
      { name: "within 5 %", of: r => r.within_5_percent ? r.within_5_percent.map(v => +v.toPrecision(3)).join(" to ") : "-" },
      { name: "share of the change, %", of: r => 100 * r.share, decimals: 0 }], data.search.parameters),
    element("p", "note", data.search.goal + ", " + data.search.unit + ", along each parameter, the others as found; shaded within 5 % of the best. A click on a point computes its traces."),
    key([["found", COLOURS[0]], ["default, with all parameters", COLOURS[1]], ["has traces below: click", "var(--ink)"]]));
  list.forEach(s => box.append(s.box));
  return { box, list, draw: () => list.forEach(s => s.draw()) };
}
