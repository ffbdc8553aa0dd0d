// Puts it together: pointer, keys, buttons.
const solid = D === 3;
if (solid) startSolid();
const fit = solid ? fitSolid : fitFlat;
listeners.push(solid ? drawSolid : drawFlat);

function zoom(by, x, y) {
  if (solid) orbit.far /= by;
  else {
    const [w, h] = size(), before = fromScreen(x ?? w / 2, y ?? h / 2);
    eye.scale *= by;
    const after = fromScreen(x ?? w / 2, y ?? h / 2);
    eye.x += before[0] - after[0];
    eye.y += before[1] - after[1];
  }
  changed();
}
function move(dx, dy) {  // pixels
  if (!solid) { eye.x -= dx / eye.scale; eye.y += upward * dy / eye.scale; }
  else {
    const m = three.camera.matrixWorld.elements;
    for (const [k, name] of ["x", "y", "z"].entries()) orbit[name] += (-m[k] * dx + m[4 + k] * dy) / eye.scale;
  }
  changed();
}
function turn(by, lift) { orbit.turn += by; orbit.lift = Math.max(-1.5, Math.min(1.5, orbit.lift + lift)); changed(); }
function bringIntoView(objects) {
  const [w, h] = size();
  for (const o of objects) {
    const i = sampleAt(o, stepOf(run));
    if (i < 0) continue;
    const place = solid ? spotOf(o, i) : placeOf(o, i);
    const p = solid ? screenOf(place) : toScreen(place);
    if (p && p[0] > 20 && p[1] > 20 && p[0] < w - 20 && p[1] < h - 20) continue;
    if (solid) { [orbit.x, orbit.y, orbit.z] = place; } else { [eye.x, eye.y] = place; }
  }
}
const fingers = new Map();
let pinch = 0;
view.onpointerdown = e => { fingers.set(e.pointerId, [e.offsetX, e.offsetY]); view.setPointerCapture(e.pointerId); pinch = 0; };
view.onpointermove = e => {
  const before = fingers.get(e.pointerId);
  if (!before) return hover(e.offsetX, e.offsetY);
  fingers.set(e.pointerId, [e.offsetX, e.offsetY]);
  const dx = e.offsetX - before[0], dy = e.offsetY - before[1];
  if (fingers.size === 2) {
    const [a, b] = [...fingers.values()], gap = Math.hypot(a[0] - b[0], a[1] - b[1]);
    if (pinch) zoom(gap / pinch, (a[0] + b[0]) / 2, (a[1] + b[1]) / 2);
    pinch = gap;
  } else if (solid && !e.shiftKey && e.buttons !== 2) turn(-dx * 0.008, dy * 0.008);
  else move(dx, dy);
};
view.onpointerup = view.onpointercancel = e => { fingers.delete(e.pointerId); };
view.onpointerleave = () => { tip.hidden = true; };
view.oncontextmenu = e => e.preventDefault();
view.onwheel = e => { e.preventDefault(); zoom(Math.exp(-e.deltaY * 0.0015), e.offsetX, e.offsetY); };
function hover(x, y) {
  const o = (solid ? hitSolid : hitFlat)(x, y);
  tip.hidden = !o;
  if (!o) return;
  const step = stepOf(run), numbers = numbersAt(run, o.index, step), touching = touchingAt(run, o, step);
  const tags = tagsAt(o, step), stands = standsAt(run, o, step);
  tip.textContent = o.name + (o.kind && o.kind !== o.name ? " (" + o.kind + ")" : "") + "\n" + o.body +
    (asleepAt(o, step) ? ", asleep" : "") + (stands ? ", " + stands : "") +
    (tags.length ? "\ntags: " + tags.join(", ") : "") + (numbers.length ? "\n" + numbers.join(", ") : "") +
    "\ntouches: " + (touching.length ? touching.slice(0, 12).join(", ") : "nothing");
  const [w, h] = size();
  tip.style.left = Math.min(x + 14, w - tip.offsetWidth - 4) + "px";
  tip.style.top = Math.min(y + 14, h - tip.offsetHeight - 4) + "px";
}
const on = (id, f) => { document.getElementById(id).onclick = f; };
on("first", () => { play(false); seek(0); });
on("last", () => { play(false); seek(end); });
on("back", () => stepBy(-1));
on("on", () => stepBy(1));
on("play", () => play(!state.playing));
on("fit", () => fit());
on("theme", () => { document.documentElement.classList.toggle("dark"); inks.clear(); changed(); });
on("help", () => document.getElementById("keys").showModal());
document.getElementById("speed").onchange = e => { state.speed = parseFloat(e.target.value); };
for (const box of document.querySelectorAll("[data-part]"))
  box.onchange = () => { state.shown[box.dataset.part] = box.checked; changed(); };
const pressed = {
  " ": () => play(!state.playing), ArrowLeft: e => stepBy(e.shiftKey ? -run.rate : -1), ArrowRight: e => stepBy(e.shiftKey ? run.rate : 1),
  Home: () => { play(false); seek(0); }, End: () => { play(false); seek(end); }, n: () => pickNext(1), p: () => pickNext(-1),
  f: () => filter.focus(), "+": () => zoom(1.25), "=": () => zoom(1.25), "-": () => zoom(0.8), 0: () => fit(),
  w: () => move(0, 40), s: () => move(0, -40), a: () => move(40, 0), d: () => move(-40, 0),
  q: () => turn(-0.1, 0), e: () => turn(0.1, 0), r: () => turn(0, 0.1), v: () => turn(0, -0.1),
  l: () => document.getElementById("theme").click(), "?": () => document.getElementById("help").click(),
};
addEventListener("keydown", e => {
  if (e.ctrlKey || e.metaKey || e.altKey || document.getElementById("keys").open) return;
  if (e.target === filter) { if (e.key === "Escape") view.focus(); return; }
  if (e.key === " " && e.target.matches("button, input, summary")) return;
  if (e.target.matches("select")) return;
  const f = pressed[e.key];
  if (f) { e.preventDefault(); f(e); }
});
if (matchMedia("(prefers-color-scheme: dark)").matches) document.documentElement.classList.add("dark");
addEventListener("resize", changed);
refilter();
fit();
fromAddress();
requestAnimationFrame(frame);
