/* SPDX-License-Identifier: MIT
 * The magnetometer on its sphere as it comes, the guides, and the calibration that comes of them. */
"use strict";

const MOST_POINTS = 6000, PLAIN_FIELD = 50;

/* matrix (raw - bias); as it is without a calibration. */
function correctedBy(mag, raw) {
  if (!mag) return raw;
  const d = raw.map((v, k) => v - mag.bias[k]);
  return mag.matrix.map(row => row[0] * d[0] + row[1] * d[1] + row[2] * d[2]);
}

/* Points so far, shown on a sphere that is made anew with another calibration. */
function liveSphere() {
  const box = element("div", "livesphere"), state = { raw: [], view: null, made: undefined, drawn: 0 };
  const make = mag => {
    const radius = mag && mag.field ? mag.field : PLAIN_FIELD, turned = state.view ? state.view.state : null;
    state.view = sphere({ name: "magnetometer", unit: "uT", radius, raw: state.raw, corrected: state.raw.map(p => correctedBy(mag, p)), missing: [], left_out: [], most: MOST_POINTS });
    if (turned) Object.assign(state.view.state, turned);
    box.replaceChildren(state.view.box);
    state.view.draw();
  };
  return {
    box, state,
    calibrate(record) {
      const mag = record && record.mag ? record.mag : null, text = JSON.stringify(mag);
      if (text === state.made) return;
      state.made = text;
      make(mag);
    },
    take(points, guide) {
      const raw = points.map(p => p.slice(0, 3)), room = MOST_POINTS - state.raw.length;
      state.raw.push(...raw.slice(0, Math.max(0, room)));
      if (!state.view) return;
      state.view.add(raw, points.map(p => p.slice(3)));
      state.view.miss(guide && guide.missing ? guide.missing : []);
      if (performance.now() - state.drawn < 100) return;
      state.drawn = performance.now();
      state.view.render();
    },
    clear() {
      state.raw = [];
      state.made = undefined;
    },
    resize() {
      if (state.view) state.view.resize();
    },
  };
}

function fitText(found) {
  if (found.running) return "Computing the calibration from the recording.";
  if (found.accepted) return "\u2713 " + found.kind + ": accepted and in use. " + found.found + ".";
  return "\u2717 " + found.kind + ": not accepted. " + [found.error, found.next ? "Next: " + found.next : ""].filter(x => x).join(" ");
}

/* `post` sends a command. */
function guidePanel(post, live) {
  const box = element("div", "guide"), lines = element("div", "lines"), bar = element("progress"), result = element("div", "fit"), after = element("div", "controls");
  const state = { kind: "tumble" };
  const select = selection("recording", [["still", "still: the gyroscope's bias"], ["turns", "turns: the gyroscope's scale"], ["poses", "poses: the accelerometer"], ["tumble", "tumble: the magnetometer"]],
    state.kind, v => { state.kind = v; });
  const controls = element("div", "controls");
  controls.append(labelled("calibrate by", select), press("Start", () => {
    live.sphere.clear();
    post({ do: "guide", kind: state.kind });
  }), press("Compute now", () => post({ do: "fit" })));
  lines.setAttribute("aria-live", "polite");
  box.append(element("h2", "", "Calibrate"), controls, bar, lines, result, after);
  const save = press("Download the calibration", () => download("calibration.json", "application/json", JSON.stringify(live.state.calibration, null, 2) + "\n"));
  const send = press("Send it to the board", () => post({ do: "send", what: "calibration" }));
  const commit = press("Let the board keep it", () => post({ do: "send", what: "commit" }));
  return {
    box,
    frame(guide) {
      bar.hidden = !guide;
      if (!guide) return;
      bar.value = guide.progress;
      const texts = [...guide.lines.filter(x => x !== ""), ...(guide.too_long ? ["It has become too long: compute now, or start again."] : [])];
      if (lines.textContent !== texts.join("")) lines.replaceChildren(...texts.map((t, i) => element("p", i === texts.length - 1 ? "do" : "", t)));
    },
    show(current) {
      if (!current.guide) lines.replaceChildren();
      result.replaceChildren(...(current.fit ? [element("p", current.fit.accepted ? "good" : "bad", fitText(current.fit)), warnings(current.fit.warnings)] : []));
      after.replaceChildren(...(current.calibration ? [save, ...(current.takes ? [send, commit] : [])] : []));
    },
  };
}
