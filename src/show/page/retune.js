/* SPDX-License-Identifier: MIT
 * Tunings that are changed in the page: what is set, the worker that computes, and what comes back from it. */
"use strict";

const CONDITIONS = ["still", "turning", "shaking", "disturbed"]; /* in the module's order */
const MEASURES_AT = 13, SCALARS_AT = 9, SLICE_MS = 35;

/* A number as short as a float of it stays the same. */
function short(value) {
  for (let digits = 1; digits < 9; digits++) {
    const rounded = Number(value.toPrecision(digits));
    if (Math.fround(rounded) === Math.fround(value)) return rounded;
  }
  return value;
}

function orNull(value) {
  return Number.isFinite(value) ? value : null;
}

/* Why this page cannot compute; "" when it can. */
function cannotCompute(data) {
  const long = (data.views || []).find(v => v.compute === null);
  if (long) return long.name + " is too long for a page that computes (over 150000 rows): --window FROM:TO takes a part of it.";
  if (typeof WebAssembly !== "object" || typeof Worker !== "function" || typeof DecompressionStream !== "function") {
    return "This browser has no WebAssembly, worker or decompression: the page shows what the tool computed, and computes nothing.";
  }
  return "";
}

/* Work in slices, so that the page stays alive; of the same name the newest counts. */
function sliced() {
  const queue = { waiting: new Map(), running: false, longest: 0, ended: 0 };
  const channel = new MessageChannel(), soon = () => channel.port2.postMessage(0); /* a timer would wait 4 ms */
  const go = () => {
    const from = performance.now();
    while (queue.waiting.size > 0 && performance.now() - from < SLICE_MS) {
      const [name, work] = queue.waiting.entries().next().value;
      queue.waiting.delete(name);
      work();
    }
    queue.ended = performance.now();
    queue.longest = Math.max(queue.longest, queue.ended - from);
    queue.running = queue.waiting.size > 0;
    if (queue.running) soon();
  };
  channel.port1.onmessage = go;
  queue.add = list => {
    list.forEach(([name, work]) => queue.waiting.set(name, work));
    if (!queue.running) soon();
    queue.running = true;
  };
  return queue;
}

/* The worker with the module; hear(message) is called for what it says. */
function startWorker(hear) {
  const worker = new Worker(URL.createObjectURL(new Blob([document.getElementById("engine").textContent])));
  worker.onmessage = ({ data }) => hear(data);
  worker.postMessage({ kind: "module", module: document.getElementById("module").textContent });
  return worker;
}

/* The measures of an outcome in the form of a row of --json. */
function putMeasures(row, outcome, scalars) {
  const angles = at => ({ rms: orNull(outcome[at]), mean: orNull(outcome[at + 1]), p95: orNull(outcome[at + 2]), max: orNull(outcome[at + 3]) });
  const all = at => ({ share: orNull(outcome[at + 1]), error_deg: angles(at + 2), tilt_deg: angles(at + 6), heading_deg: angles(at + 10) });
  Object.assign(row, all(MEASURES_AT), { by_condition: {} });
  CONDITIONS.forEach((name, i) => { row.by_condition[name] = all(MEASURES_AT + 14 * (i + 1)); });
  scalars.forEach((m, i) => { row[m.key] = orNull(outcome[SCALARS_AT + i]); });
  const lost = outcome[0] !== 0 || outcome[8] >= 0;
  row.status = lost ? "failed" : "ok";
  row.reason = outcome[0] !== 0 ? "no attitude" : lost ? "diverged: the tilt is off by over 45 degrees" : null;
  row.digest = outcome[2].toString(16).padStart(8, "0");
  row.heading = outcome[6] ? "magnetic" : "relative";
}

/* The traces and turning bodies of run k of a view. */
function putCurves(one, k, { curves, turning }) {
  const rows = 2 * one.grid.buckets, n = one.frames.t.length, { q, error } = one.frames.runs[k];
  one.panels.forEach(p => {
    const curve = p.curves.find(c => c.run === k);
    for (let i = 0; curve && i < rows; i++) curve.value[i] = orNull(curves[p.of * rows + i]);
  });
  for (let i = 0; i < n; i++) {
    const at = 4 * i, there = turning[at] || turning[at + 1] || turning[at + 2] || turning[at + 3];
    q[i] = there ? [turning[at], turning[at + 1], turning[at + 2], turning[at + 3]] : null;
    error[i] = orNull(turning[4 * n + i]);
  }
}

/* `tell` has view(), the index of the view that is open, changed(index, k), after run k of a view came anew,
 * progress(), and said(), after anything else to be said. */
function retune(data, tell) {
  const first = data.views[0].compute;
  const b = { data, parameters: null, tunings: new Map(), why: cannotCompute(data), busy: new Set(), progress: 0, done: 0 };
  b.whatIf = first ? { every: first.every, drop: first.drop, gap: first.gap, start: first.start, sensors: first.sensors } : {};
  b.loadedWhatIf = structuredClone(b.whatIf);
  data.views.forEach(v => v.slots.forEach((s, k) => {
    if (!b.tunings.has(s.id)) {
      const set = { filter: s.filter, values: s.values, rate_hz: s.rate_hz };
      b.tunings.set(s.id, { id: s.id, name: v.names[k], ...structuredClone(set), loaded: set, checked: new Map() });
    }
  }));
  b.loadedRows = structuredClone(data.result.runs);
  if (b.why) return b;
  const own = (index, id) => data.views[index].slots.findIndex(s => s.id === id);
  b.isChanged = t => !t.loaded || t.filter !== t.loaded.filter || t.rate_hz !== t.loaded.rate_hz ||
    t.values.some((v, i) => Math.fround(v) !== Math.fround(t.loaded.values[i]));
  b.isWhatIf = () => JSON.stringify(b.whatIf) !== JSON.stringify(b.loadedWhatIf);
  b.nameOf = t => t.name + (t.loaded && b.isChanged(t) ? ", changed" : "");
  b.compute = id => {
    const t = b.tunings.get(id), open = tell.view();
    if (t.filter < 0) return;
    const order = data.views.map((_, i) => i).sort((x, y) => (y === open) - (x === open));
    order.filter(i => own(i, id) >= 0).forEach(index => {
      const v = data.views[index], w = b.whatIf, name = index + "/" + id, every = t.rate_hz ? 0 : w.every;
      const start = w.start === "reference" ? v.compute.reference_start : w.start;
      b.busy.add(name);
      b.worker.postMessage({ kind: "run", key: name, run: { ...v.compute, packed: null, ...w, sensors: v.compute.sensors & w.sensors, start, every, index, filter: t.filter, values: t.values, rate_hz: t.rate_hz,
        grid: v.grid, frames: { from: v.frames.from, step: v.frames.step, n: v.frames.t.length } } });
    });
    tell.said();
  };
  b.computeAll = () => b.tunings.forEach((t, id) => b.compute(id));
  const arrived = message => {
    const began = performance.now(), [index, id] = message.key.split("/").map(Number), k = own(index, id), t = b.tunings.get(id), v = data.views[index];
    b.busy.delete(message.key);
    if (k < 0) return;
    const row = data.result.runs[v.slots[k].run], same = !b.isChanged(t) && !b.isWhatIf();
    putMeasures(row, message.outcome, data.measures);
    const isCheck = same && !t.checked.has(index), equal = row.digest === v.slots[k].digest;
    if (same) t.checked.set(index, equal);
    b.done++;
    b.ms = message.ms;
    if (isCheck && equal) return; /* it is drawn already */
    row.name = b.nameOf(t);
    v.rms[k] = row.error_deg.rms;
    v.names[k] = row.name;
    putCurves(v, k, message);
    tell.changed(index, k);
    b.handled = performance.now() - began;
  };
  b.worker = startWorker(message => {
    if (message.kind === "ready") {
      b.parameters = message.parameters;
      b.computeAll();
    } else if (message.kind === "progress") {
      b.progress = message.share;
      tell.progress();
      return;
    } else if (message.kind === "done") {
      arrived(message);
    } else {
      b.busy.delete(message.key);
      b.why = "The page does not compute: " + message.why + ". It shows what the tool computed.";
    }
    tell.said();
  });
  data.views.forEach((v, index) => b.worker.postMessage({ kind: "case", index, packed: v.compute.packed }));
  return b;
}

/* Another tuning like tuning `id`; returns its own id. */
function addTuning(b, id) {
  const t = b.tunings.get(id), added = Math.max(...b.tunings.keys()) + 1, name = t.name + ", copy " + added;
  b.tunings.set(added, { id: added, name, filter: t.filter, values: [...t.values], rate_hz: t.rate_hz, loaded: null, checked: new Map() });
  b.data.views.forEach(v => {
    const k = v.slots.findIndex(s => s.id === id), run = v.names.length;
    if (k < 0) return;
    v.slots.push({ ...v.slots[k], id: added, run: b.data.result.runs.length, digest: null });
    b.data.result.runs.push({ ...structuredClone(b.data.result.runs[v.slots[k].run]), name });
    v.names.push(name);
    v.rms.push(v.rms[k]);
    v.panels.forEach(p => {
      const curve = p.curves.find(c => c.run === k);
      if (curve) p.curves.push({ name, run, value: curve.value });
    });
    v.frames.runs.push(structuredClone(v.frames.runs[k]));
  });
  return added;
}

function takeAway(b, id) {
  b.tunings.delete(id);
  b.data.views.forEach(v => {
    const k = v.slots.findIndex(s => s.id === id);
    if (k < 0) return;
    const row = v.slots[k].run;
    b.data.result.runs.splice(row, 1);
    b.loadedRows.splice(row, 1);
    b.data.views.forEach(other => other.slots.forEach(s => { s.run -= s.run > row ? 1 : 0; }));
    [v.slots, v.names, v.rms, v.frames.runs].forEach(list => list.splice(k, 1));
    v.panels.forEach(p => {
      p.curves = p.curves.filter(c => c.run !== k);
      p.curves.forEach(c => { c.run -= c.run > k ? 1 : 0; });
    });
  });
}

/* ---- to take away ---- */

/* A tuning as the command line has it: what differs from the filter's defaults. */
function tuningText(b, t) {
  const changes = b.parameters.filter(p => (p.filters >> t.filter & 1) && Math.fround(t.values[p.id]) !== p.standard)
    .map(p => p.name + "=" + (p.isSwitch ? (t.values[p.id] ? "on" : "off") : short(t.values[p.id])));
  return b.data.filters[t.filter].name + (changes.length > 0 ? ":" + changes.join(",") : "");
}

/* As a file of the format tuning/2. */
function tuningFile(b, t) {
  const file = { marlinspike: "tuning/2", name: b.nameOf(t), filter: b.data.filters[t.filter].name };
  b.parameters.filter(p => p.filters >> t.filter & 1).forEach(p => {
    const value = t.values[p.id];
    if (Math.fround(value) === p.standard) return;
    const group = p.weighting ? "weighting" : "parameters";
    file[group] = { ...file[group], [p.name]: p.isSwitch ? value !== 0 : short(value) };
  });
  return JSON.stringify(file, null, 2) + "\n";
}

function quoted(word) {
  return /^[\w@%+=:,./-]+$/.test(word) ? word : "'" + word.replaceAll("'", "'\\''") + "'";
}

/* The command that computes what the page shows now; a replay is of one tuning. */
function commandText(b, chosen) {
  const w = b.whatIf, words = [...b.data.command], one = words[1] === "replay";
  b.tunings.forEach(t => t.filter >= 0 && (!one || t === chosen) && words.push("--tuning", tuningText(b, t)));
  if (w.every > 1) words.push("--every", String(w.every));
  if (w.drop > 0) words.push("--drop", String(w.drop));
  if (w.gap) words.push("--gap", w.gap.join(":"));
  if (w.start) words.push("--start", String(w.start));
  return words.map(quoted).join(" ");
}

function download(name, type, text) {
  const link = element("a");
  link.href = URL.createObjectURL(new Blob([text], { type }));
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10000);
}

/* This page with the tunings as they are set now. */
function pageText(b) {
  const data = structuredClone(b.data), rows = data.result.runs;
  data.views.forEach(v => v.slots.forEach(s => {
    const { filter, values, rate_hz } = b.tunings.get(s.id);
    Object.assign(s, { filter, values, rate_hz, digest: rows[s.run].digest });
  }));
  data.views.forEach(v => Object.assign(v.compute, b.whatIf));
  const best = rows.filter(r => r.status === "ok").sort((x, y) => x.error_deg.rms - y.error_deg.rms)[0];
  if (best) data.verdict = best.name + " has the least error, " + best.error_deg.rms.toFixed(2) + " deg rms, as retuned in the page.";
  data.result.ranking = [];
  const copy = document.documentElement.cloneNode(true);
  copy.querySelector("main").replaceChildren();
  copy.querySelector("#data").textContent = JSON.stringify(data).replaceAll("<", "\\u003c");
  return "<!DOCTYPE html>\n" + copy.outerHTML;
}
