/* SPDX-License-Identifier: MIT
 * The body turning in 3-D, for the reference and for estimates, side by side. World: x east, y north, z up. */
"use strict";

/* A box or a cylinder of a body. */
function part(group, geometry, colour, x, y, z) {
  const mesh = new THREE.Mesh(geometry, new THREE.MeshLambertMaterial({ color: colour }));
  mesh.position.set(x, y, z);
  group.add(mesh);
  return mesh;
}

/* A circuit board: flat, its connector towards -x, its sensor in the corner of +x and +y. */
function board(group) {
  part(group, new THREE.BoxGeometry(1.7, 1.1, 0.1), 0x4d6b57, 0, 0, 0);
  part(group, new THREE.BoxGeometry(0.3, 0.5, 0.22), 0xb8bec6, -0.76, 0, 0.12);
  part(group, new THREE.BoxGeometry(0.42, 0.42, 0.1), 0x2f343b, 0.05, -0.1, 0.1);
  part(group, new THREE.BoxGeometry(0.22, 0.22, 0.08), 0x0072b2, 0.6, 0.3, 0.09);
}

function hookBlock(group) {
  part(group, new THREE.BoxGeometry(1.5, 0.5, 0.9), 0xd9a441, 0, 0, 0.1);
  part(group, new THREE.CylinderGeometry(0.42, 0.42, 0.16, 24), 0x6b7480, 0, 0.33, 0.2);
  part(group, new THREE.CylinderGeometry(0.42, 0.42, 0.16, 24), 0x6b7480, 0, -0.33, 0.2);
  part(group, new THREE.BoxGeometry(0.16, 0.16, 0.4), 0x8d97a3, 0, 0, -0.5);
  part(group, new THREE.TorusGeometry(0.3, 0.08, 10, 24, 4.4), 0x8d97a3, 0, 0, -0.95).rotation.set(Math.PI / 2, -0.6, 0);
  part(group, new THREE.BoxGeometry(0.3, 0.3, 0.12), 0x0072b2, 0.5, 0, 0.62);
}

/* What is drawn, and what the heading over it says. */
const shapes = {
  board: { draw: board, title: "The board" },
  "hook-block": { draw: hookBlock, title: "The hook block" },
};

/* The body with its axes. */
function shape(kind) {
  const group = new THREE.Group();
  shapes[kind].draw(group);
  [[1, 0, 0, 0xe69f00], [0, 1, 0, 0x009e73], [0, 0, 1, 0x56b4e9]].forEach(([x, y, z, colour]) => {
    group.add(new THREE.ArrowHelper(new THREE.Vector3(x, y, z), new THREE.Vector3(), 1.5, colour, 0.25, 0.14));
  });
  return group;
}

function world() {
  const scene = new THREE.Scene();
  const grid = new THREE.GridHelper(4, 8, 0x888888, 0xaaaaaa);
  grid.rotation.x = Math.PI / 2;
  grid.position.z = -1.4;
  scene.add(grid, new THREE.AmbientLight(0xffffff, 0.65));
  const sun = new THREE.DirectionalLight(0xffffff, 0.7);
  sun.position.set(2, -3, 5);
  scene.add(sun);
  scene.add(new THREE.ArrowHelper(new THREE.Vector3(0, 1, 0), new THREE.Vector3(-1.8, 0.6, -1.4), 1.2, 0xcc79a7, 0.3, 0.2));
  return scene;
}

/* One renderer draws all of them, one after the other, into canvases of their own: browsers allow few renderers. */
const shared = { renderer: null };

function renderInto(canvas, scene, camera) {
  if (shared.renderer === null) {
    shared.renderer = new THREE.WebGLRenderer({ antialias: true, alpha: true, preserveDrawingBuffer: true });
    window.addEventListener("pagehide", () => shared.renderer.forceContextLoss());
  }
  if (canvas.width === 0 || canvas.height === 0) return;
  shared.renderer.setSize(canvas.width, canvas.height, false);
  shared.renderer.render(scene, camera);
  const context = canvas.getContext("2d");
  context.clearRect(0, 0, canvas.width, canvas.height);
  context.drawImage(shared.renderer.domElement, 0, 0);
}

/* Gives a canvas the pixels that it covers; returns width over height. */
function fit(canvas, width, height) {
  const ratio = window.devicePixelRatio || 1, w = canvas.clientWidth || width, h = canvas.clientHeight || height;
  canvas.width = Math.round(w * ratio);
  canvas.height = Math.round(h * ratio);
  return w / h;
}

/* A canvas with a body: show(q) turns it, q = [w, x, y, z] from body to world, or null where there is none. */
function body(kind, name, colour) {
  const box = element("div", "body"), title = element("div", "name", name), off = element("div", "off", "");
  const canvas = element("canvas");
  canvas.setAttribute("role", "img");
  canvas.setAttribute("aria-label", "attitude by " + name);
  title.style.borderBottom = "3px solid " + colour;
  box.append(title, canvas, off);
  const scene = world(), block = shape(kind);
  scene.add(block);
  const camera = new THREE.PerspectiveCamera(36, 1, 0.1, 50);
  camera.up.set(0, 0, 1);
  camera.position.set(2.6, -5.4, 2.6);
  camera.lookAt(0, 0, -0.2);
  return {
    box, block, name,
    resize() {
      camera.aspect = fit(canvas, 220, 220);
      camera.updateProjectionMatrix();
      renderInto(canvas, scene, camera);
    },
    show(q, error) {
      block.visible = q !== null;
      if (q !== null) block.quaternion.set(q[1], q[2], q[3], q[0]).normalize();
      off.textContent = error === undefined ? "\u00a0" : q === null ? "no attitude" :
        error === null ? "no reference here" : error.toFixed(2) + " deg off";
      renderInto(canvas, scene, camera);
    },
  };
}

/* Slider, play and speed over frames at times t; show(i) is called for every change. */
function player(t, show) {
  const box = element("div", "controls"), play = element("button", "", "Play"), slider = element("input");
  const speed = element("select"), clock = element("span", "clock", "");
  const state = { i: 0, playing: false, at: 0, last: 0 };
  slider.type = "range";
  slider.min = 0;
  slider.max = t.length - 1;
  slider.value = 0;
  slider.setAttribute("aria-label", "time");
  speed.setAttribute("aria-label", "speed");
  play.type = "button";
  [0.25, 0.5, 1, 2, 4, 8].forEach(s => {
    const o = element("option", "", s + " x");
    o.value = s;
    o.selected = s === 1;
    speed.append(o);
  });
  box.append(play, slider, clock, speed);
  const go = i => {
    state.i = Math.max(0, Math.min(t.length - 1, i));
    slider.value = state.i;
    clock.textContent = t[state.i].toFixed(2) + " s";
    show(state.i);
  };
  const index = time => {
    let low = 0, high = t.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (t[middle] <= time) low = middle; else high = middle - 1;
    }
    return low;
  };
  const step = now => {
    if (!state.playing) return;
    state.at += (now - state.last) / 1000 * Number(speed.value);
    state.last = now;
    go(index(state.at));
    if (state.i === t.length - 1) return stop();
    requestAnimationFrame(step);
  };
  const stop = () => {
    state.playing = false;
    play.textContent = "Play";
  };
  play.addEventListener("click", () => {
    if (state.playing) return stop();
    state.playing = true;
    play.textContent = "Pause";
    state.at = state.i === t.length - 1 ? t[0] : t[state.i];
    state.last = performance.now();
    requestAnimationFrame(step);
  });
  slider.addEventListener("input", () => {
    state.at = t[Number(slider.value)];
    go(Number(slider.value));
  });
  return {
    box, go, state,
    goTo(time) {
      state.at = time;
      go(index(time));
    },
  };
}
