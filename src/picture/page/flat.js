// The view in 2D, and what both dimensions write over their pictures.
const view = document.getElementById("view"), tip = document.getElementById("tip");
const pen = view.getContext("2d");
const eye = { x: 0, y: 0, scale: 1 };
let frameSize = [1, 1];  // read once a frame: each reading makes the browser lay out the page
function size() { return frameSize; }
function fitCanvas(canvas) {
  const scale = devicePixelRatio || 1;
  frameSize = [Math.max(1, canvas.clientWidth), Math.max(1, canvas.clientHeight)];
  const w = Math.round(frameSize[0] * scale), h = Math.round(frameSize[1] * scale);
  if (canvas.width !== w || canvas.height !== h) { canvas.width = w; canvas.height = h; }
  return scale;
}
const upward = data.down ? -1 : 1;  // y as it is on the screen
function toScreen(p) { const [w, h] = size(); return [w / 2 + (p[0] - eye.x) * eye.scale, h / 2 - upward * (p[1] - eye.y) * eye.scale]; }
function fromScreen(x, y) { const [w, h] = size(); return [eye.x + (x - w / 2) / eye.scale, eye.y - upward * (y - h / 2) / eye.scale]; }
function fitFlat() {
  fitCanvas(view);
  const [w, h] = size(), b = data.view;
  eye.x = (b[0][0] + b[1][0]) / 2;
  eye.y = (b[0][1] + b[1][1]) / 2;
  eye.scale = 0.94 * Math.min(w / (b[1][0] - b[0][0]), (h - 30) / (b[1][1] - b[0][1]));
  changed();
}

// Paths of an object's colliders in its own frame, at a step.
function pathsOf(o, step) {
  o.paths ||= o.colliders.map(() => ({}));
  return o.colliders.map((c, k) => {
    const { on, size } = stateOf(o, k, step), known = o.paths[k];
    if (known.size !== size) {
      const place = (p, axis) => c.at[axis] + (p[axis] - c.at[axis]) * size;
      const trace = (path, loop) => loop.forEach((p, i) => path[i ? "lineTo" : "moveTo"](place(p, 0), place(p, 1)));
      known.path = new Path2D();
      for (const loop of c.lines) trace(known.path, loop);
      known.fill = new Path2D();
      for (const loop of c.fills) { trace(known.fill, loop); known.fill.closePath(); }
      known.size = size;
    }
    return { c, on, path: known.path, fill: known.fill };
  });
}
const hatching = new Map();
function hatch(colour) {
  if (hatching.has(colour)) return hatching.get(colour);
  const tile = document.createElement("canvas");
  tile.width = tile.height = 9;
  const g = tile.getContext("2d");
  g.strokeStyle = colour;
  g.globalAlpha = 0.55;
  g.beginPath(); g.moveTo(-2, 11); g.lineTo(11, -2); g.stroke();
  const pattern = pen.createPattern(tile, "repeat");
  hatching.set(colour, pattern);
  return pattern;
}
function placeOf(o, i) { const k = i * 3; return [o.poses[k], o.poses[k + 1], o.poses[k + 2]]; }

function drawFlat() {
  const scale = fitCanvas(view), [w, h] = size();
  pen.setTransform(scale, 0, 0, scale, 0, 0);
  pen.clearRect(0, 0, w, h);
  data.runs.forEach((r, k) => {
    const step = stepOf(r);
    if (state.shown.trails) for (const o of r.objects) if (o.body !== "static") trail(o, step, i => toScreen(placeOf(o, i)));
    for (const pass of [0, 1, 2])
      for (const o of r.objects) {
        if (passOf(o) !== pass) continue;
        const i = sampleAt(o, step);
        if (i >= 0) drawObject(o, placeOf(o, i), k, step);
      }
  });
  overPicture(p => toScreen(p), (o, i) => placeOf(o, i));
}
function passOf(o) { return o.zone ? 0 : o.body === "static" ? 1 : 2; }
function drawObject(o, [x, y, angle], second, step) {
  const [sx, sy] = toScreen([x, y]), [w, h] = size(), far = o.reach * eye.scale + 4;
  if (sx < -far || sy < -far || sx > w + far || sy > h + far) return;
  pen.save();
  pen.translate(sx, sy);
  pen.scale(eye.scale, -upward * eye.scale);
  pen.rotate(angle);
  const colour = colourOf(o), lit = state.lit.includes(o);
  if (state.shown.drawings && !second) for (const d of o.drawings || []) drawDrawing(d);
  const sleeping = asleepAt(o, step);
  for (const { c, on, path, fill } of pathsOf(o, step)) {
    if (c.zone ? !state.shown.zones : !state.shown.outlines) continue;
    pen.globalAlpha = !on ? 0.25 : second ? 0.6 : 1;
    if (!second && on) {
      if (c.zone) { if (o.reach * eye.scale > 0.3 * Math.min(w, h)) pen.globalAlpha = 0.3; pen.fillStyle = hatch(colour); const p = pen.fillStyle; if (p.setTransform) p.setTransform(new DOMMatrix().rotate(-angle * 180 / Math.PI).scale(1 / eye.scale)); pen.fill(fill); pen.globalAlpha = 1; }
      else { pen.fillStyle = colour; pen.globalAlpha = o.body === "dynamic" ? 0.42 : o.body === "kinematic" ? 0.24 : 0.1; pen.fill(fill); pen.globalAlpha = 1; }
    }
    pen.strokeStyle = lit ? ink("--lit") : colour;
    const px = 1 / eye.scale;
    pen.lineWidth = (lit ? 4 : o.body === "static" ? 1.2 : 2) * px;
    pen.setLineDash(second || c.zone ? [6 * px, 4 * px] : sleeping ? [px, 4 * px] : o.body === "kinematic" ? [14 * px, 3 * px, 3 * px, 3 * px] : []);
    pen.stroke(path);
    if (c.open) {  // a one-way surface: a mark to its open side
      pen.setLineDash([]);
      pen.beginPath();
      const b = c.open;
      pen.moveTo(b[0], b[1]); pen.lineTo(b[0] + b[2] * 9 * px, b[1] + b[3] * 9 * px);
      pen.stroke();
    }
  }
  pen.restore();
  if (!o.colliders.length) { pen.fillStyle = colour; pen.fillRect(sx - 2, sy - 2, 4, 4); }
}
// A picture stands the way its object does, its top along the object's own y.
const pictures = new Map();
for (const [path, text] of Object.entries(data.pictures || {})) {
  if (!text) continue;
  const image = new Image();
  image.onload = changed;
  image.src = text;
  pictures.set(path, image);
}
function drawDrawing(d) {
  pen.save();
  pen.translate(...d.at);
  pen.scale(d.mirrored ? -1 : 1, -1);
  const [w, h] = d.size, image = pictures.get(d.picture);
  pen.globalAlpha = image ? 0.8 : 0.08;
  if (image && image.complete) pen.drawImage(image, -w / 2, -h / 2, w, h);
  else { pen.fillStyle = ink("--ink"); pen.fillRect(-w / 2, -h / 2, w, h); }
  pen.restore();
}
const movers = run.objects.filter(o => o.body !== "static").length;
function trail(o, step, at) {
  pen.strokeStyle = colourOf(o);
  pen.globalAlpha = 0.5;
  pen.lineWidth = 1.2;
  pen.beginPath();
  // Of many only the last second, and never more points than can be drawn smoothly.
  const last = sampleAt(o, step);
  const from = movers > 40 && !state.lit.includes(o) ? Math.max(0, last - Math.round(run.rate)) : 0;
  const stride = Math.max(1, Math.ceil((last - from) / Math.max(8, Math.min(600, 12000 / movers))));
  for (let i = from; i <= last; i += stride) pen.lineTo(...at(i));
  pen.stroke();
  pen.globalAlpha = 1;
}

// Names, contacts and what is picked.
function overPicture(screen, place) {
  pen.font = "11px 'DejaVu Sans', sans-serif";
  pen.textAlign = "center";
  const step = stepOf(run), taken = [];
  if (state.shown.contacts)
    for (const r of data.runs) for (const e of near(r, state.time, 0.25)) {
      if (!e.at) continue;
      const p = screen(e.at);
      if (!p) continue;
      const [x, y] = p, size = e.kind === "fired" ? 8 : 5;
      pen.strokeStyle = e.kind === "fired" || state.picked === e ? ink("--lit") : ink("--ink");
      pen.lineWidth = 2;
      pen.beginPath();
      pen.moveTo(x - size, y - size); pen.lineTo(x + size, y + size); pen.moveTo(x - size, y + size); pen.lineTo(x + size, y - size);
      if (e.normal) { const q = screen(e.at.map((v, k) => v + e.normal[k] * 14 / eye.scale)); if (q) { pen.moveTo(x, y); pen.lineTo(...q); } }
      if (e.kind === "fired") pen.rect(x - size - 2, y - size - 2, 2 * size + 4, 2 * size + 4);
      pen.stroke();
    }
  if (state.shown.names) {
    const [w, h] = size();
    const order = [...state.lit, ...run.objects.filter(o => !state.lit.includes(o))];
    let named = 0;
    for (const o of order) {
      if (named > 150 || (o.name.includes(".") && !state.lit.includes(o))) continue;
      const i = sampleAt(o, step);
      if (i < 0) continue;
      const p = screen(place(o, i));
      if (!p || p[0] < 0 || p[1] < 0 || p[0] > w || p[1] > h) continue;
      const text = o.name.length > 24 ? o.name.slice(0, 23) + "\u2026" : o.name;
      const half = pen.measureText(text).width / 2 + 2, reach = Math.min(60, o.tall * eye.scale);
      for (const dy of [-reach - 5, reach + 13, 4]) {
        const box = [p[0] - half, p[1] + dy - 10, p[0] + half, p[1] + dy + 3];
        if (taken.some(t => t[0] < box[2] && box[0] < t[2] && t[1] < box[3] && box[1] < t[3])) continue;
        taken.push(box);
        ++named;
        pen.fillStyle = ink("--paper");
        pen.globalAlpha = 0.7; pen.fillRect(box[0], box[1], box[2] - box[0], box[3] - box[1]); pen.globalAlpha = 1;
        pen.fillStyle = state.lit.includes(o) ? ink("--lit") : ink("--ink");
        pen.fillText(text, p[0], p[1] + dy);
        break;
      }
    }
  }
}
// Events of a run in the last part of a second.
function near(r, time, seconds) {
  const list = r.events;
  let low = 0, high = list.length;
  while (low < high) { const m = (low + high) >> 1; if (list[m].time <= time - seconds) low = m + 1; else high = m; }
  const found = [];
  for (let i = low; i < list.length && list[i].time <= time + 1e-6 && found.length < 300; ++i) found.push(list[i]);
  return found;
}
function hitFlat(x, y) {
  const step = stepOf(run), scale = devicePixelRatio || 1;
  let found = null, best = Infinity;
  for (const o of run.objects) {
    const i = sampleAt(o, step);
    if (i < 0) continue;
    const [px, py, a] = placeOf(o, i), [wx, wy] = fromScreen(x, y), dx = wx - px, dy = wy - py;
    if (Math.hypot(dx, dy) > o.reach + 4 / eye.scale) continue;
    const lx = dx * Math.cos(a) + dy * Math.sin(a), ly = dy * Math.cos(a) - dx * Math.sin(a);
    pen.save();
    pen.setTransform(1, 0, 0, 1, 0, 0);
    pen.lineWidth = 8 / eye.scale;
    const inside = pathsOf(o, step).some(p => p.on &&
      (pen.isPointInPath(p.fill, lx, ly) || pen.isPointInStroke(p.path, lx, ly))) || (!o.colliders.length && Math.hypot(dx, dy) * eye.scale < 6);
    pen.restore();
    const rank = o.reach * (o.zone ? 4 : 1);  // small ones before what they are in
    if (inside && rank < best) { best = rank; found = o; }
  }
  return found;
}
