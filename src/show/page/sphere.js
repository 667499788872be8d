/* SPDX-License-Identifier: MIT
 * Points on the sphere, raw and corrected, which can be turned; residuals. */
"use strict";

/* `most`: room for so many points in all. */
function cloud(points, colour, size, scale, most) {
  const geometry = new THREE.BufferGeometry(), places = new Float32Array(3 * Math.max(points.length, most || 0));
  places.set(points.flat().map(v => v / scale));
  geometry.setAttribute("position", new THREE.BufferAttribute(places, 3));
  geometry.setDrawRange(0, points.length);
  return new THREE.Points(geometry, new THREE.PointsMaterial({ color: colour, size, sizeAttenuation: false }));
}

/* {raw: [[x,y,z]...], corrected: [...], radius, unit, name, most: room for further points}. Turned by dragging or by the arrow keys. */
function sphere(of) {
  const box = element("div", "sphere"), canvas = element("canvas");
  canvas.tabIndex = 0;
  canvas.setAttribute("role", "img");
  canvas.setAttribute("aria-label", of.name + ", raw and corrected, on the sphere of " + of.radius.toFixed(2) + " " + of.unit);
  box.append(key([["raw", "#e69f00"], ["corrected", "#0072b2"], ["ideal sphere, " + of.radius.toFixed(2) + " " + of.unit, "#999999"],
      ["direction that is missing" + (of.most ? "" : " (" + of.missing.length + ")"), "#d55e00", true],
      ...(of.most ? [] : [["left out (" + of.left_out.length + ")", "#cc79a7", true]])]),
    canvas, element("p", "note", "Drag to turn, or use the arrow keys. x is orange, y green, z light blue."));
  const scene = new THREE.Scene(), all = new THREE.Group();
  scene.add(all);
  all.add(new THREE.Mesh(new THREE.SphereGeometry(1, 24, 16),
    new THREE.MeshBasicMaterial({ color: 0x999999, wireframe: true, transparent: true, opacity: 0.25 })));
  const corrected = cloud(of.corrected, 0x0072b2, 3, of.radius, of.most), raw = cloud(of.raw, 0xe69f00, 3, of.radius, of.most);
  const missing = cloud(of.missing, 0xd55e00, 11, 1, 60);
  all.add(raw, corrected, missing);
  if (of.left_out.length > 0) all.add(cloud(of.left_out, 0xcc79a7, 7, of.radius));
  [[1, 0, 0, 0xe69f00], [0, 1, 0, 0x009e73], [0, 0, 1, 0x56b4e9]].forEach(([x, y, z, colour]) => {
    all.add(new THREE.ArrowHelper(new THREE.Vector3(x, y, z), new THREE.Vector3(), 1.4, colour, 0.12, 0.07));
  });
  const camera = new THREE.PerspectiveCamera(35, 1, 0.1, 50);
  camera.up.set(0, 0, 1);
  const state = { azimuth: 0.7, height: 0.4 };
  const render = () => {
    const c = Math.cos(state.height);
    camera.position.set(5 * c * Math.cos(state.azimuth), 5 * c * Math.sin(state.azimuth), 5 * Math.sin(state.height));
    camera.lookAt(0, 0, 0);
    renderInto(canvas, scene, camera);
  };
  const turn = (azimuth, height) => {
    state.azimuth += azimuth;
    state.height = Math.max(-1.5, Math.min(1.5, state.height + height));
    render();
  };
  canvas.addEventListener("pointermove", e => {
    if (e.buttons & 1) turn(-e.movementX / 120, e.movementY / 120);
  });
  canvas.addEventListener("keydown", e => {
    const by = { ArrowLeft: [0.1, 0], ArrowRight: [-0.1, 0], ArrowUp: [0, 0.1], ArrowDown: [0, -0.1] }[e.key];
    if (by) {
      e.preventDefault();
      turn(by[0], by[1]);
    }
  });
  /* Points behind those that are there; none where there is no room. */
  const append = (points, list, scale) => {
    const { position } = points.geometry.attributes, { count } = points.geometry.drawRange, n = Math.min(list.length, position.count - count);
    list.slice(0, n).forEach((p, i) => position.setXYZ(count + i, p[0] / scale, p[1] / scale, p[2] / scale));
    points.geometry.setDrawRange(0, count + n);
    position.needsUpdate = true;
  };
  return {
    box, state, render,
    add(rawPoints, correctedPoints) {
      append(raw, rawPoints, of.radius);
      append(corrected, correctedPoints, of.radius);
    },
    miss(directions) {
      missing.geometry.setDrawRange(0, 0);
      append(missing, directions, 1);
    },
    /* The corrected points anew: x, y, z of each. */
    renew(points) {
      const position = corrected.geometry.attributes.position;
      points.forEach((v, i) => { position.array[i] = v / of.radius; });
      position.needsUpdate = true;
      render();
    },
    draw() {
      this.resize();
    },
    resize() {
      camera.aspect = fit(canvas, 600, 420);
      camera.updateProjectionMatrix();
      render();
    },
  };
}

/* Points of y over x: {title, unit, x_name, x, y, decimals}. */
function scatter(of) {
  const box = element("div", "trace"), plot = element("div", "plot");
  box.append(element("div", "title", of.title), plot);
  const rowsOf = (x, y) => x.map((at, i) => [at, y[i]]).sort((a, b) => a[0] - b[0]);
  const rows = rowsOf(of.x, of.y);
  return {
    box,
    renew(x, y) {
      this.graph.updateOptions({ file: rowsOf(x, y) });
    },
    draw() {
      this.graph = new Dygraph(plot, rows, {
        labels: ["x", "y"], colors: [colourOf(0)], strokeWidth: 0, drawPoints: true, pointSize: 2, legend: "never",
        gridLineColor: css("--line"), axisLineColor: css("--line"),
        axes: { x: { axisLabelFormatter: x => (+x.toFixed(2)) + " " + of.x_unit, drawGrid: false }, y: { axisLabelWidth: 60 } },
      });
    },
    resize() {},
  };
}
