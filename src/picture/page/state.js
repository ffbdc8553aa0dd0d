// The moment, what is shown, and who is picked; everything else listens.
const state = { time: 0, playing: false, speed: 1, picked: null, lit: [],
  shown: { outlines: true, zones: true, contacts: true, names: true, trails: true, drawings: true } };
const run = data.runs[0];
let end = Math.max(...data.runs.map(r => r.steps / r.rate));
// Colours of the page; read once for each theme, as asking the browser is slow.
let inks = new Map();
function ink(name) {
  if (!inks.has(name)) inks.set(name, getComputedStyle(document.documentElement).getPropertyValue(name).trim());
  return inks.get(name);
}
const listeners = [];
let dirty = true;
function changed() { dirty = true; }
function stepOf(r) { return Math.min(r.steps, Math.floor(state.time * r.rate + 1e-6)); }
function seek(time, quiet) {
  state.time = Math.max(0, Math.min(end, time));
  if (!quiet) history.replaceState(null, "", "#t=" + state.time.toFixed(3));
  changed();
}
function stepBy(n) { play(false); seek((stepOf(run) + n) / run.rate); }
function play(on) {
  if (on && state.time >= end - 1e-9) seek(0);
  state.playing = on;
  const button = document.getElementById("play");
  button.textContent = on ? "Pause" : "Play";
  if (!on) seek(state.time);
  changed();
}
function fromAddress() {
  const at = /[#&]t=([0-9.]+)/.exec(location.hash);
  if (at) seek(parseFloat(at[1]), true);
}
addEventListener("hashchange", fromAddress);

let shownAt = null;
function frame(now) {
  if (state.playing && shownAt !== null) {
    seek(state.time + Math.min(0.25, (now - shownAt) / 1000) * state.speed, true);
    if (state.time >= end) play(false);
  }
  shownAt = now;
  if (dirty) {
    dirty = false;
    for (const f of listeners) f();
  }
  requestAnimationFrame(frame);
}
