// SPDX-License-Identifier: MIT
// The worker of report pages under node: module_bits.mjs PAGE... compares the digest of every replay with the tool's, and
// the measures with those of --json. Exit 1 when anything differs.
import { readFileSync } from "node:fs";
import vm from "node:vm";

const block = (page, id) => {
  const mark = `id="${id}">`, from = page.indexOf(mark) + mark.length;
  return page.slice(from, page.indexOf("</script>", from));
};
const same = (x, y) => (x === null ? !Number.isFinite(y) : Math.abs(x - y) <= 1e-9 * Math.max(1, Math.abs(x)));

/* The worker of one page, as a browser starts it. */
function workerOf(page, heard) {
  const scope = { postMessage: heard, atob, Blob, Response, DecompressionStream, WebAssembly, MessageChannel: globalThis.MessageChannel,
    TextDecoder, performance, Uint8Array, Float64Array, DataView, Map, Math, Array, Error };
  vm.runInNewContext(block(page, "engine"), scope);
  return message => scope.onmessage({ data: message });
}

/* What differs between an outcome and a row of --json, by the places of docs/module.md. */
function differences(outcome, row, digest) {
  const found = [];
  const hold = (name, x, y) => same(x, y) || found.push(`${name}: ${x} by the tool, ${y} by the module`);
  const angles = (name, measures, at) => ["rms", "mean", "p95", "max"].forEach((m, i) => hold(`${name} ${m}`, measures[m], outcome[at + i]));
  const all = (name, m, at) => ["error_deg", "tilt_deg", "heading_deg"].forEach((k, i) => angles(`${name} ${k}`, m[k], at + 2 + 4 * i));
  const bits = outcome[2].toString(16).padStart(8, "0");
  if (bits !== digest) found.push(`digest ${digest} by the tool, ${bits} by the module`);
  ["settle_s", "jitter_deg", "lag_ms", "drift_deg_per_h"].forEach((k, i) => hold(k, row[k], outcome[9 + i]));
  all("all", row, 13);
  ["still", "turning", "shaking", "disturbed"].forEach((k, i) => all(k, row.by_condition[k], 13 + 14 * (i + 1)));
  return found;
}

function check(path) {
  const page = readFileSync(path, "utf8"), data = JSON.parse(block(page, "data"));
  let left = data.views.reduce((n, v) => n + v.slots.length, 0), bad = 0, count = 0;
  return new Promise(done => {
    const send = workerOf(page, message => {
      if (message.kind === "ready") runAll();
      if (message.kind === "failed") {
        console.error(`${path}: ${message.why}`);
        bad++;
      }
      if (message.kind !== "done" && message.kind !== "failed") return;
      left--;
      if (message.kind === "done") {
        const [index, k] = message.key.split("/").map(Number), slot = data.views[index].slots[k];
        const found = differences(message.outcome, data.result.runs[slot.run], slot.digest);
        found.forEach(f => console.error(`${path}: ${data.views[index].names[k]}: ${f}`));
        bad += found.length > 0;
        count++;
      }
      if (left === 0) done([count, bad]);
    });
    const runAll = () => data.views.forEach((v, index) => v.slots.forEach((s, k) => {
      const how = v.compute, start = how.start === "reference" ? how.reference_start : how.start;
      send({ kind: "run", key: `${index}/${k}`, run: { ...how, packed: null, start, index, filter: s.filter,
        values: s.values, rate_hz: s.rate_hz, every: s.rate_hz ? 0 : how.every, grid: v.grid,
        frames: { from: v.frames.from, step: v.frames.step, n: v.frames.t.length } } });
    }));
    data.views.forEach((v, index) => send({ kind: "case", index, packed: v.compute.packed }));
    send({ kind: "module", module: block(page, "module") });
  });
}

let count = 0, bad = 0;
for (const path of process.argv.slice(2)) {
  const [n, wrong] = await check(path);
  count += n;
  bad += wrong;
}
console.log(`${count} replays, ${bad} differ`);
process.exit(bad > 0 || count === 0 ? 1 : 0);
