/* SPDX-License-Identifier: MIT
 * The worker of a page: holds the WebAssembly module, replays logs and corrects readings with it. Messages in: module,
 * case, run, correct; out: ready, progress, done, corrected, failed. The newest run of a key replaces one that waits or is under way. */
"use strict";

/* Places in the module's settings and outcome: docs/module.md. */
const PARAMETERS = 37, VALUES = 15, CALIBRATION = VALUES + PARAMETERS, SETTINGS = CALIBRATION + 74;
const MEASURES = 13, OUTCOME = MEASURES + 5 * 14, CURVES = 9, ROWS_AT_ONCE = 20000;
const state = { module: null, cases: [], at: -1, waiting: new Map(), busy: false };

function bytesOf(base64) {
  const text = atob(base64), bytes = new Uint8Array(text.length);
  for (let i = 0; i < text.length; i++) bytes[i] = text.charCodeAt(i);
  return bytes;
}

function doubles(at, n) {
  return new Float64Array(state.module.memory.buffer, at, n);
}

function textAt(at, most) {
  const bytes = new Uint8Array(state.module.memory.buffer, at, most);
  return new TextDecoder().decode(bytes.subarray(0, bytes.indexOf(0)));
}

/* The table of parameters, as the module has it. */
function parameters() {
  return Array.from({ length: PARAMETERS }, (_, id) => {
    const at = state.module.parameter(id), view = new DataView(state.module.memory.buffer);
    const word = place => view.getUint32(at + place, true), number = place => view.getFloat32(at + place, true);
    return { id, name: textAt(at, 20), unit: textAt(word(20), 20), isSwitch: word(24) === 1, weighting: word(28) === 1,
      standard: number(32), low: number(36), high: number(40), filters: word(44), about: textAt(word(48), 400) };
  });
}

async function unpacked(base64, format) {
  const stream = new Blob([bytesOf(base64)]).stream().pipeThrough(new DecompressionStream(format));
  return new Uint8Array(await new Response(stream).arrayBuffer());
}

async function open(base64) {
  const source = await WebAssembly.instantiate(await unpacked(base64, "gzip"));
  state.module = source.instance.exports;
  state.module._initialize?.();
  if (state.module.selftest() !== 0) throw new Error("this machine computes other bits than it should");
}

async function load(index) {
  if (state.at === index) return;
  const bytes = await state.cases[index].catch(() => new Uint8Array(0)), at = state.module.reserve(bytes.length);
  state.at = index;
  new Uint8Array(state.module.memory.buffer, at, bytes.length).set(bytes);
  if (state.module.unpack(at, bytes.length) !== 0) {
    state.at = -1;
    throw new Error("the log in this page is damaged");
  }
}

function set(run) {
  const s = doubles(state.module.settings(run.filter), SETTINGS);
  s[1] = run.sensors;
  s[2] = run.corrected;
  if (run.start) s.set([1, ...run.start], 3);
  s.set([run.every || 0, run.rate_hz || 0, run.drop || 0, run.jitter_s || 0, run.seed || 0, ...(run.gap || [0, 0])], 8);
  s.set(run.values, VALUES);
  s.set(run.calibration, CALIBRATION);
}

/* Lets messages in. */
function pause() {
  return new Promise(done => {
    const channel = new MessageChannel();
    channel.port1.onmessage = done;
    channel.port2.postMessage(0);
  });
}

/* What stands at this place of the module's memory, as an array of its own. */
function copy(at, n) {
  return at === 0 ? new Float64Array(n) : doubles(at, n).slice();
}

/* Returns whether it came to its end. */
async function replay(key, run) {
  const began = performance.now();
  await load(run.index);
  set(run);
  if (state.module.begin() !== 0) throw new Error("out of its range");
  for (let left = run.rows; left > 0;) {
    left = state.module.advance(ROWS_AT_ONCE);
    postMessage({ kind: "progress", key, share: 1 - left / run.rows });
    await pause();
    if (state.waiting.has(key)) return false;
  }
  const outcome = copy(state.module.outcome(), OUTCOME), { grid, frames } = run;
  const curves = copy(state.module.curves(grid.from, grid.width, grid.buckets), 2 * grid.buckets * CURVES);
  const turning = copy(state.module.frames(frames.from, frames.step, frames.n), 5 * frames.n);
  postMessage({ kind: "done", key, run, outcome, curves, turning, ms: performance.now() - began },
    [outcome.buffer, curves.buffer, turning.buffer]);
  return true;
}

/* Readings, three doubles each, as a calibration corrects them. */
function correct({ key, sensor, bias, matrix, points }) {
  const at = state.module.reserve(8 * points.length), s = doubles(state.module.settings(0), SETTINGS);
  state.at = -1;
  s.set([1, ...matrix, ...bias], CALIBRATION + 23 * sensor);
  doubles(at, points.length).set(points);
  state.module.correct(at, points.length / 3, sensor);
  postMessage({ kind: "corrected", key, points: copy(at, points.length) });
}

async function work() {
  if (state.busy) return;
  state.busy = true;
  while (state.waiting.size > 0) {
    const [key, run] = state.waiting.entries().next().value;
    state.waiting.delete(key);
    try {
      await replay(key, run);
    } catch (error) {
      postMessage({ kind: "failed", key, why: error.message });
    }
  }
  state.busy = false;
}

onmessage = async ({ data }) => {
  if (data.kind === "run") {
    state.waiting.set(data.key, data.run);
    if (state.module) work();
  } else if (data.kind === "correct") {
    correct(data);
  } else if (data.kind === "case") {
    state.cases[data.index] = unpacked(data.packed, "deflate");
    state.cases[data.index].catch(() => {}); /* said when a run needs it */
  } else {
    try {
      await open(data.module);
      postMessage({ kind: "ready", parameters: parameters() });
      work();
    } catch (error) {
      postMessage({ kind: "failed", key: null, why: error.message });
    }
  }
};
