/* SPDX-License-Identifier: MIT
 * The live page: events from the tool into bodies, traces and tables, commands back. */
"use strict";

const STATUS = { waiting: "Waiting for the first samples.", running: "", lost: "Nothing comes any more; waiting for the board. What has come is kept.",
  over: "The source is over. What has come is kept." };

/* Tables of what changes with every frame. */
function runRows(frame) {
  const n = (v, d) => (v === null || v === undefined ? "-" : v.toFixed(d));
  return frame.runs.map(r => ({ name: r.name, roll: n(r.roll_deg, 2), pitch: n(r.pitch_deg, 2), heading: n(r.heading_deg, 2) + (r.heading === "relative" ? " (relative)" : ""),
    bias: r.bias_deg_s ? r.bias_deg_s.map(v => n(v, 2)).join("  ") : "-", weights: n(r.weight_accel, 2) + " / " + n(r.weight_mag, 2),
    sigma: r.sigma_tilt_deg === null || r.sigma_tilt_deg === undefined ? "-" : n(r.sigma_tilt_deg, 2) + " / " + n(r.sigma_heading_deg, 2) }));
}

const RUN_COLUMNS = [["filter", "name"], ["roll, deg", "roll"], ["pitch", "pitch"], ["heading", "heading"], ["bias x y z, deg/s", "bias"], ["weight accel / mag", "weights"],
  ["\u03c3 tilt / heading", "sigma"]];

function sensorText(frame) {
  const sensors = Object.entries(frame.sensors).map(([name, s]) => name + " " + s.rate_hz.toFixed(1) + " Hz" + (s.invalid > 0 ? ", " + s.invalid + " invalid" : ""));
  return [frame.t.toFixed(1) + " s", ...sensors, frame.gaps + " gaps", frame.packets_lost + " packets lost"].join(" \u00b7 ");
}

/* Sliders of one run; `post` sends what was moved, the newest alone. */
function livePanel(post, live) {
  const box = element("aside", "tuner"), panel = element("div"), state = { run: 0, filled: "" }, queue = new Map();
  box.append(element("h2", "", "Tunings"), panel);
  const set = (run, p, value) => {
    queue.set(run + p.name, { do: "set", run, parameter: p.name, value: p.isSwitch ? value !== 0 : value });
    if (queue.size === 1) send();
  };
  const send = async () => {
    while (queue.size > 0) {
      const [name, command] = queue.entries().next().value;
      await post(command);
      if (queue.get(name) === command) queue.delete(name);
    }
  };
  const fill = () => {
    const { runs, parameters, filters, every, takes } = live.state, r = runs[state.run], tabs = element("div", "tabs"), acts = element("div", "controls"), files = element("div", "controls");
    runs.forEach((one, i) => {
      const tab = press(one.name, () => {
        state.run = i;
        fill();
      });
      tab.style.borderLeft = "5px solid " + colourOf(i);
      tab.setAttribute("aria-pressed", i === state.run);
      tabs.append(tab);
    });
    const mine = state.run, values = [...r.values];
    const b = { parameters, data: { filters } };
    const t = { filter: r.filter, values, loaded: { filter: live.first[mine].filter, values: live.first[mine].values } };
    const rows = parameterRows(b, t, p => set(mine, p, values[p.id]));
    const filter = selection("filter", filters.map((f, i) => [f.name, f.name, i]), filters[r.filter].name, v => post({ do: "filter", run: mine, filter: v }));
    acts.append(press("Same start for all", () => post({ change: "start" })), press("Set zero", () => post({ change: "zero" })),
      labelled("one row in", selection("one row in", [1, 2, 4, 8, 16].map(v => [v, v]), every, v => post({ change: "every", every: Number(v) }))));
    files.append(press("Download the tuning", () => download("tuning.json", "application/json", JSON.stringify(live.state.runs[mine].file, null, 2) + "\n")));
    if (takes) files.append(press("Send it to the board", () => post({ do: "send", what: "tuning", run: mine })));
    panel.replaceChildren(acts, tabs, labelled("filter", filter), rows, files);
  };
  return {
    box, state,
    /* While a slider is moved its own changes come back: nothing is drawn again for them. */
    show() {
      const form = JSON.stringify([live.state.runs.map(r => [r.name, r.filter]), live.state.every, live.state.takes]);
      if (form !== state.filled) fill();
      state.filled = form;
    },
  };
}

function liveBodies(runs) {
  const grid = element("div", "bodies"), list = runs.map((r, i) => body("board", r.name, colourOf(i)));
  grid.append(...list.map(b => b.box));
  return {
    box: grid, list,
    take(frame) {
      frame.runs.forEach((r, i) => {
        list[i].show(r.q, 0);
        const off = list[i].box.querySelector(".off");
        off.textContent = r.trouble ?? "\u00a0";
        list[i].box.classList.toggle("failed", r.trouble !== null);
      });
    },
    resize() {
      list.forEach(b => b.resize());
    },
  };
}

function buildLive(live, main, post) {
  const left = element("div", "beside"), right = element("div"), status = element("p", "verdict", ""), title = element("h1", "", ""), said = element("p", "fault", "");
  const sensors = element("p", "note", ""), holder = element("div"), rows = [];
  said.setAttribute("role", "status");
  live.table = table(RUN_COLUMNS.map(([name, k]) => ({ name, of: r => r[k] })), rows);
  live.rows = rows;
  live.sphere = liveSphere();
  live.guide = guidePanel(post, live);
  live.panel = livePanel(post, live);
  holder.append(live.sphere.box);
  live.say = text => { said.textContent = text; };
  live.bodies = liveBodies(live.state.runs);
  live.traces = liveTraces(live.state.runs);
  const calibrating = element("div", "calibrating");
  calibrating.append(live.guide.box, holder);
  right.append(live.bodies.box, ...live.traces.boxes.slice(0, 1), live.table, calibrating, ...live.traces.boxes.slice(1));
  main.classList.add("live");
  left.append(live.panel.box, right);
  main.replaceChildren(title, sensors, status, said, left);
  live.bodies.resize();
  live.show = () => {
    const { source, device, recording } = live.state;
    title.textContent = "Live: " + source + (device ? ", " + device : "");
    status.textContent = live.state.status === "running" && recording ? "Recording into " + recording + "." :
      live.state.status === "failed" ? "It has ended: " + live.state.failure + "." : STATUS[live.state.status];
    status.classList.toggle("bad", ["lost", "failed"].includes(live.state.status));
    status.hidden = status.textContent === "";
    live.panel.show();
    live.guide.show(live.state);
    live.sphere.calibrate(live.state.calibration);
  };
  live.take = frame => {
    sensors.textContent = sensorText(frame);
    rows.splice(0, rows.length, ...runRows(frame));
    live.table.refresh();
    live.bodies.take(frame);
    live.traces.take(frame.trace);
    live.sphere.take(frame.points, frame.guide);
    live.guide.frame(frame.guide);
  };
}

function startLive() {
  const main = document.getElementById("page"), token = new URLSearchParams(location.search).get("token") ?? "";
  const live = { state: null, first: null, frames: 0, last: null, posted: 0, pending: { trace: [], points: [] }, due: false, restUntil: 0, say: () => {} };
  page.live = live;
  const post = async command => {
    live.posted++;
    const response = await fetch("/command", { method: "POST", headers: { "Content-Type": "application/json", "Marlinspike-Token": token }, body: JSON.stringify(command) })
      .catch(() => null);
    const answer = response ? await response.json().catch(() => ({ error: "no answer" })) : { error: "the tool does not answer" };
    live.say(answer.error ?? (answer.kept ? "The attitude and the gyroscope's bias were kept; everything else that the filter had learned starts anew." : ""));
    return answer;
  };
  live.post = post;
  const events = new EventSource("/events");
  events.addEventListener("state", e => {
    const fresh = live.state === null;
    live.state = JSON.parse(e.data);
    if (fresh) {
      live.first = structuredClone(live.state.runs);
      buildLive(live, main, post);
      page.ready = true;
    }
    live.show();
  });
  events.addEventListener("frame", e => {
    live.last = JSON.parse(e.data);
    live.frames++;
    if (live.pending.trace.length < 6000) { /* a page in the background draws nothing */
      live.pending.trace.push(...live.last.trace);
      live.pending.points.push(...live.last.points);
    }
    if (live.state !== null && !live.due && performance.now() >= live.restUntil) {
      live.due = true;
      requestAnimationFrame(() => draw());
    }
  });
  /* As long as drawing took, nothing is drawn: half of the time is left for what the user does. */
  const draw = () => {
    const from = performance.now(), { pending } = live;
    live.due = false;
    live.pending = { trace: [], points: [] };
    live.take({ ...live.last, ...pending });
    live.restUntil = 2 * performance.now() - from;
  };
  events.addEventListener("error", () => {
    if (!live.state || live.state.status !== "failed") live.say("The tool does not answer; it is tried again.");
  });
  events.addEventListener("open", () => live.say(token === "" ? "Watching: without the token of the printed address nothing can be changed." : ""));
  window.addEventListener("resize", () => [live.bodies, live.traces, live.sphere].forEach(v => v && v.resize()));
}

window.addEventListener("load", () => {
  if (!document.getElementById("data")) startLive();
});
