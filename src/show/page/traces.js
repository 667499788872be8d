/* SPDX-License-Identifier: MIT
 * Traces over time that zoom and pan together, with what the board was doing behind them. */
"use strict";

const COLOURS = ["#0072b2", "#e69f00", "#009e73", "#cc79a7", "#56b4e9", "#d55e00", "#7f7f7f"];
const REFERENCE = "#888888";
const SPANS = ["still", "turning", "disturbed", "shaking"];

function css(name) {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
}

function colourOf(run) {
  return run < 0 ? REFERENCE : COLOURS[run % COLOURS.length];
}

function key(names) {
  const k = element("div", "key");
  names.forEach(([name, colour, area]) => {
    const s = element("span", area ? "area" : "", name);
    s.style.setProperty("--c", colour);
    k.append(s);
  });
  return k;
}

/* Spans fill the height; shaking is a strip along the top, since it comes along with the others. */
function shade(context, area, graph, spans) {
  SPANS.forEach(kind => {
    context.fillStyle = css("--" + kind);
    (spans[kind] || []).forEach(([from, to]) => {
      const x = graph.toDomXCoord(from), w = graph.toDomXCoord(to) - x;
      const top = area.y, h = kind === "shaking" ? 5 : area.h;
      const left = Math.max(x, area.x), right = Math.min(x + w, area.x + area.w);
      if (right > left) context.fillRect(left, top, Math.max(1, right - left), h);
    });
  });
}

/* What all traces share. */
function plotOptions(names, colours, more) {
  return {
    labels: ["t", ...names], colors: colours, gridLineColor: css("--line"), axisLineColor: css("--line"),
    connectSeparatedPoints: false, legend: "never", labelsKMB: false,
    axes: { x: { axisLabelFormatter: x => (+x.toFixed(3)) + " s", drawGrid: false }, y: { axisLabelWidth: 52 } }, ...more,
  };
}

/* The set of those elements that are on the screen, or nearly; come() is called with one that comes there. */
function watched(elements, come) {
  const seen = new Set();
  const observer = new IntersectionObserver(entries => entries.forEach(({ target, isIntersecting }) => {
    if (isIntersecting) {
      seen.add(target);
      come(target);
    } else {
      seen.delete(target);
    }
  }), { rootMargin: "150px" });
  elements.forEach(e => observer.observe(e));
  return seen;
}

/* One panel: {title, unit, curves: [{name, run, value: [...]}]}. */
function trace(panel, times, spans, choose, drawn) {
  const box = element("div", "trace"), plot = element("div", "plot"), now = element("div", "now");
  box.append(element("div", "title", panel.title + ", " + panel.unit), plot, now);
  const rows = times.map((at, i) => [at, ...panel.curves.map(c => c.value[i] ?? null)]);
  const series = {};
  panel.curves.forEach(c => {
    series[c.name] = c.run < 0 ? { strokeWidth: 4 } : { strokeWidth: 1.4 };
  });
  return {
    box, title: panel.title, stale: false,
    draw() {
      this.graph = new Dygraph(plot, rows, plotOptions(panel.curves.map(c => c.name), panel.curves.map(c => colourOf(c.run)), {
        series, includeZero: panel.zero === true,
        underlayCallback: (context, area, graph) => shade(context, area, graph, spans),
        clickCallback: (event, x) => choose(x),
        drawCallback: (graph, first) => first || drawn(graph),
      }));
    },
    /* The curve of a run has changed; it is drawn once it can be seen. */
    renew(run) {
      const k = panel.curves.findIndex(c => c.run === run);
      if (k >= 0) panel.curves[k].value.forEach((v, i) => { rows[i][k + 1] = v; });
      this.stale = true;
    },
    drawStale() {
      if (this.stale) this.graph.updateOptions({ file: rows });
      this.stale = false;
    },
    choose(visible) {
      this.graph.setVisibility(Object.fromEntries(panel.curves.map((c, i) => [i, visible(c.run)])), true);
    },
    mark(t) {
      const x = this.graph.toDomXCoord(t), area = this.graph.getArea();
      now.style.display = x >= area.x && x <= area.x + area.w ? "block" : "none";
      now.style.left = x + "px";
    },
  };
}

/* All panels of a case, synchronized. `choose` is called with the time that is clicked. */
function traces(one, choose) {
  const box = element("div");
  const reference = one.panels.some(p => p.curves.some(c => c.run < 0)) ? [["reference", REFERENCE]] : [];
  box.append(key([...reference, ...one.names.map((n, i) => [n, colourOf(i)]),
    ...SPANS.filter(s => one.spans[s] && one.spans[s].length).map(s => [s, "var(--" + s + ")", true])]));
  const zoom = { at: null, spreading: false };
  /* One that was zoomed or panned takes the others along. */
  const drawn = graph => {
    const at = graph.isZoomed("x") ? graph.xAxisRange() : null;
    if (zoom.spreading || String(at) === String(zoom.at)) return;
    zoom.at = at;
    zoom.spreading = true;
    list.forEach(p => p.graph !== graph && p.graph.updateOptions({ dateWindow: at }));
    zoom.spreading = false;
  };
  const list = one.panels.map(p => trace(p, one.t, one.spans, choose, drawn));
  list.forEach(p => box.append(p.box));
  const onScreen = watched(list.map(p => p.box), at => list.find(p => p.box === at).drawStale());
  return {
    box, list,
    draw() {
      list.forEach(p => p.draw());
    },
    /* What draws the new curves that are on the screen; the others are drawn when they come there. */
    renewed(run) {
      list.forEach(p => p.renew(run));
      return list.filter(p => onScreen.has(p.box)).map(p => [p.title, () => p.drawStale()]);
    },
    drawStale() {
      list.forEach(p => p.drawStale());
    },
    choose(visible) {
      list.forEach(p => p.choose(visible));
    },
    mark(t) {
      list.forEach(p => p.mark(t));
    },
  };
}
