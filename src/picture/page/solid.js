// The view in 3D.
let three = null;
const orbit = { turn: 0.49, lift: 0.56, far: 10, x: 0, y: 0, z: 0 };
function shapeOf(s) {
  const T = THREE;
  if (s.is === "ball") return new T.SphereBufferGeometry(s.radius, 28, 18);
  if (s.is === "capsule") {
    const profile = [];
    for (let i = 0; i <= 20; ++i) { const a = -Math.PI / 2 + Math.PI * i / 20; profile.push(new T.Vector2(Math.max(1e-9, Math.cos(a) * s.radius), Math.sin(a) * s.radius + (i > 10 ? s.half : -s.half))); }
    return new T.LatheBufferGeometry(profile, 28);
  }
  if (s.is === "triangles") {
    const g = new T.BufferGeometry();
    g.setAttribute("position", new T.Float32BufferAttribute(s.points.flat(), 3));
    g.setIndex(s.corners.flat());
    const faces = g.toNonIndexed();  // each face lit on its own
    faces.computeVertexNormals();
    return faces;
  }
  if (s.is === "floor") {  // unbounded: as far as there is something to see
    const [lo, hi] = data.view, wide = 1.15 * Math.max(...hi.map((v, k) => v - lo[k]));
    const g = new T.BoxBufferGeometry(wide, s.thick, wide);
    g.translate((lo[0] + hi[0]) / 2, -s.thick / 2, (lo[2] + hi[2]) / 2);
    return g;
  }
  return new T.ConvexBufferGeometry(s.points.map(p => new T.Vector3(...p)));
}
function startSolid() {
  const T = THREE, canvas = document.getElementById("solid");
  const renderer = new T.WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
  const scene = new T.Scene(), camera = new T.PerspectiveCamera(38, 1, 0.01, 1e5);
  scene.add(new T.AmbientLight(0xffffff, 0.62));
  const lamp = new T.DirectionalLight(0xffffff, 0.55);
  scene.add(lamp);
  const up = new T.Vector3(...data.up).normalize();
  camera.up.copy(up);
  three = { renderer, scene, camera, lamp, up, groups: new Map() };
  data.runs.forEach((r, k) => { for (const o of r.objects) scene.add(groupOf(o, k)); });
}
function groupOf(o, second) {
  const T = THREE, group = new T.Group(), colour = new T.Color(colourOf(o));
  o.colliders.forEach((c, collider) => {
    for (const s of c.solids) {
      const geometry = shapeOf(s);
      const ghost = c.zone || second;
      const material = new T.MeshLambertMaterial({ color: colour.clone().lerp(new T.Color(0xffffff), o.body === "static" ? 0.74 : 0.15),
        transparent: ghost, opacity: ghost ? 0.16 : 1, depthWrite: !ghost, side: T.DoubleSide,
        polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 });
      const mesh = new T.Mesh(geometry, material);
      const edges = new T.LineSegments(new T.EdgesGeometry(geometry, 25), ghost
        ? new T.LineDashedMaterial({ color: colour, transparent: true, dashSize: 0.12 * data.metre, gapSize: 0.1 * data.metre }) : new T.LineBasicMaterial({ color: colour, transparent: true }));
      if (ghost) edges.computeLineDistances();
      for (const part of [mesh, edges]) {
        part.quaternion.set(...s.turned);
        part.userData = { object: o, zone: c.zone, edges: part === edges, collider, at: s.at, middle: c.at };
        group.add(part);
      }
    }
  });
  group.userData.object = o;
  three.groups.set(o, group);
  return group;
}
function fitSolid() {
  fitCanvas(view);
  const [lo, hi] = data.view;
  orbit.x = (lo[0] + hi[0]) / 2; orbit.y = (lo[1] + hi[1]) / 2; orbit.z = (lo[2] + hi[2]) / 2;
  const [w, h] = size(), radius = Math.hypot(hi[0] - lo[0], hi[1] - lo[1], hi[2] - lo[2]) / 2;
  orbit.far = radius / Math.sin(Math.PI * 19 / 180) / Math.min(1, w / h) * 0.94;
  changed();
}
function aim() {
  const T = THREE, up = three.up;
  const side = new T.Vector3(Math.abs(up.x) < 0.9 ? 1 : 0, Math.abs(up.x) < 0.9 ? 0 : 1, 0);
  side.addScaledVector(up, -up.dot(side)).normalize();
  const front = new T.Vector3().crossVectors(side, up);
  const away = side.clone().multiplyScalar(Math.sin(orbit.turn)).addScaledVector(front, Math.cos(orbit.turn)).multiplyScalar(Math.cos(orbit.lift)).addScaledVector(up, Math.sin(orbit.lift));
  const middle = new T.Vector3(orbit.x, orbit.y, orbit.z);
  three.camera.position.copy(middle).addScaledVector(away, orbit.far);
  three.camera.near = orbit.far / 200;
  three.camera.far = orbit.far * 30;
  three.camera.lookAt(middle);
  three.camera.updateProjectionMatrix();
  three.camera.updateMatrixWorld();
  three.lamp.position.copy(three.camera.position).addScaledVector(up, orbit.far * 0.8);
  eye.scale = size()[1] / (2 * orbit.far * Math.tan(Math.PI * 19 / 180));
}
function screenOf(p) {
  const v = new THREE.Vector3(...p).project(three.camera), [w, h] = size();
  return v.z > 1 ? null : [(v.x + 1) / 2 * w, (1 - v.y) / 2 * h];
}
function spotOf(o, i) { return [o.poses[i * 7], o.poses[i * 7 + 1], o.poses[i * 7 + 2]]; }
function drawSolid() {
  const scale = fitCanvas(view), [w, h] = size();
  three.renderer.setPixelRatio(scale);
  three.renderer.setSize(w, h, false);
  three.camera.aspect = w / h;
  aim();
  three.scene.background = new THREE.Color(ink("--paper"));
  for (const [o, group] of three.groups) {
    const step = stepOf(data.runs.find(r => r.objects[o.index] === o)), i = sampleAt(o, step);
    group.visible = i >= 0;
    if (i < 0) continue;
    const k = i * 7;
    group.position.set(o.poses[k], o.poses[k + 1], o.poses[k + 2]);
    group.quaternion.set(o.poses[k + 3], o.poses[k + 4], o.poses[k + 5], o.poses[k + 6]).normalize();
    const lit = state.lit.includes(o);
    for (const part of group.children) {
      const { on, size } = stateOf(o, part.userData.collider, step), { at, middle } = part.userData;
      part.position.set(...at.map((x, axis) => middle[axis] + (x - middle[axis]) * size));
      part.scale.setScalar(size);
      part.visible = part.userData.zone ? state.shown.zones : part.userData.edges ? state.shown.outlines : true;
      if (part.userData.edges) {
        part.material.color.set(lit ? ink("--lit") : colourOf(o));
        part.material.opacity = on ? 1 : 0.25;
      } else {
        part.visible &&= on;
        part.material.emissive.set(lit ? 0x661133 : 0);
      }
    }
  }
  three.renderer.render(three.scene, three.camera);
  pen.setTransform(scale, 0, 0, scale, 0, 0);
  pen.clearRect(0, 0, w, h);
  if (state.shown.trails)
    for (const o of run.objects) if (o.body !== "static") trail(o, stepOf(run), i => screenOf(spotOf(o, i)) || [-1, -1]);
  overPicture(screenOf, spotOf);
}
function hitSolid(x, y) {
  const [w, h] = size(), ray = new THREE.Raycaster();
  ray.setFromCamera(new THREE.Vector2(x / w * 2 - 1, 1 - y / h * 2), three.camera);
  const hits = ray.intersectObjects(three.scene.children, true).filter(s => s.object.isMesh && s.object.visible && s.object.parent.visible);
  const first = hits.find(s => !s.object.userData.zone) || hits[0];
  return first ? first.object.userData.object : null;
}
