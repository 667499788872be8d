/* SPDX-License-Identifier: MIT
 * A calibration whose bias and matrix are changed in the page: the device's correction moves the points. */
"use strict";

function rms(list) {
  return Math.sqrt(list.reduce((sum, v) => sum + v * v, 0) / list.length);
}

/* Fields for bias and matrix; changed() is called after each change. */
function correctionFields(of, changed) {
  const box = element("div", "correction noprint"), grid = element("div", "grid"), now = { bias: [...of.bias], matrix: [...of.matrix] };
  const fill = () => {
    grid.replaceChildren(...["", "bias, " + of.unit, "matrix x", "y", "z"].map(t => element("span", "", t)));
    ["x", "y", "z"].forEach((axis, i) => {
      const field = (name, list, k) => numberField(name, +list[k].toPrecision(5), input => {
        const good = input.value !== "" && Number.isFinite(Number(input.value));
        if (good) list[k] = Number(input.value);
        input.value = +list[k].toPrecision(5);
        changed(now);
      });
      grid.append(element("span", "", axis), field("bias " + axis, now.bias, i),
        ...["x", "y", "z"].map((to, j) => field("matrix " + axis + to, now.matrix, 3 * i + j)));
    });
  };
  const reset = element("button", "", "Reset");
  reset.type = "button";
  reset.addEventListener("click", () => {
    Object.assign(now, { bias: [...of.bias], matrix: [...of.matrix] });
    fill();
    changed(now);
  });
  fill();
  box.append(grid, reset);
  return box;
}

/* For each sphere its fields; the readings are corrected by the device's code. */
function corrections(data, spheres, scatters) {
  const b = { worker: null, why: cannotCompute(data), done: 0, off: [] };
  const notes = spheres.map(view => {
    const note = element("p", "note", b.why);
    view.box.append(note);
    return note;
  });
  if (b.why) return b;
  const lengths = points => {
    const list = [];
    for (let i = 0; i < points.length; i += 3) list.push(Math.hypot(points[i], points[i + 1], points[i + 2]));
    return list;
  };
  const shows = (index, points) => {
    const of = data.spheres[index], size = lengths(points), off = size.map(v => v - of.radius);
    const angle = k => size.map((v, i) => (k === 0 ? Math.atan2(points[3 * i + 1], points[3 * i]) : Math.asin(Math.max(-1, Math.min(1, points[3 * i + 2] / v)))) * 180 / Math.PI);
    b.off[index] = b.off[index] || rms(lengths(of.corrected.flat()).map(v => v - of.radius));
    spheres[index].renew(points);
    scatters.filter((_, i) => data.scatters[i].sphere === index).forEach((s, k) => s.renew(angle(k), off));
    notes[index].textContent = "Off the sphere of " + of.radius.toFixed(2) + " " + of.unit + ": " + rms(off).toPrecision(3) + " " + of.unit + " rms; as fitted " +
      b.off[index].toPrecision(3) + ". Change a field, and the device's correction moves the points.";
    b.done++;
  };
  b.worker = startWorker(message => {
    if (message.kind === "ready") data.spheres.forEach((of, index) => b.send(index, of));
    if (message.kind === "corrected") shows(message.key, message.points);
    if (message.kind === "failed") notes.forEach(n => { n.textContent = "The page does not compute: " + message.why; });
  });
  b.send = (index, { bias, matrix }) => {
    const of = data.spheres[index];
    b.worker.postMessage({ kind: "correct", key: index, sensor: of.sensor, bias, matrix, points: new Float64Array(of.raw.flat()) });
  };
  spheres.forEach((view, index) => view.box.append(correctionFields(data.spheres[index], now => b.send(index, now))));
  return b;
}
