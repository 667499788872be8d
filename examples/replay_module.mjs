// SPDX-License-Identifier: MIT
// Replays a log by the WebAssembly module, without the library: node replay_module.mjs marlinspike.wasm LOG.csv
// prints the last attitude and the digest, which is that of `marlinspike replay LOG.csv --tuning kalman --digest`.
import { readFileSync } from "node:fs";

const KALMAN = 4, ROW = 12; // places and numbers: docs/module.md
const columns = ["t", "accel_x", "accel_y", "accel_z", "gyro_x", "gyro_y", "gyro_z", "mag_x", "mag_y", "mag_z", "temp", "speed"];
const [wasm, log] = process.argv.slice(2);
const { instance } = await WebAssembly.instantiate(readFileSync(wasm));
const { memory, reserve, fill, settings, begin, advance, attitudes, outcome } = instance.exports;

// Rows of twelve doubles, NaN where the log has no reading.
const [header, ...lines] = readFileSync(log, "utf8").split("\n").filter(line => line !== "" && !line.startsWith("#"));
const names = header.split(",").map(name => name.replace(/\[.*/, ""));
const rows = reserve(8 * ROW * lines.length);
const numbers = new Float64Array(memory.buffer, rows, ROW * lines.length).fill(NaN);
lines.forEach((line, i) => line.split(",").forEach((cell, k) => {
  const column = columns.indexOf(names[k]);
  if (column >= 0 && cell !== "") numbers[ROW * i + column] = Number(cell);
}));
if (fill(rows, lines.length) !== 0) throw new Error("no memory");

settings(KALMAN); // its defaults; the array at this address holds all that can be set
if (begin() !== 0) throw new Error("a setting is out of its range");
advance(lines.length);
const result = new Float64Array(memory.buffer, outcome(), 9), n = result[1];
const last = new DataView(memory.buffer, attitudes() + 24 * (n - 1), 24);
console.log(`${n} attitudes; at ${(1e-9 * Number(last.getBigInt64(0, true))).toFixed(3)} s q = ` +
  [8, 12, 16, 20].map(at => last.getFloat32(at, true).toFixed(6)).join(" "));
console.log("digest: " + result[2].toString(16).padStart(8, "0"));
