// The data of the page: runs with objects, their poses packed, events and numbers.
const data = JSON.parse(document.getElementById("data").textContent);
const D = data.dimension;

// Numbers of seven bits each, the lowest first; the lowest bit of a whole one is its sign.
function* numbersOf(text) {
  const bytes = atob(text);
  let value = 0, scale = 1;
  for (let i = 0; i < bytes.length; ++i) {
    const b = bytes.charCodeAt(i);
    value += (b & 127) * scale;
    scale *= 128;
    if (b & 128) continue;
    yield value % 2 ? -(value + 1) / 2 : value / 2;
    value = 0;
    scale = 1;
  }
}

// Of each sample: steps since the one before, then what each part differs from going straight on.
function unpack(object, run) {
  const parts = D === 2 ? 3 : 7;
  const n = object.samples;
  object.steps = new Int32Array(n);
  object.poses = new Float64Array(n * parts);
  const from = numbersOf(object.packed);
  const before = new Array(parts).fill(0), rate = new Array(parts).fill(0);
  let step = 0;
  for (let i = 0; i < n; ++i) {
    const gap = from.next().value;
    step += gap;
    object.steps[i] = step;
    for (let k = 0; k < parts; ++k) {
      const guess = before[k] + (gap === 1 ? rate[k] : 0);
      const now = guess + from.next().value;
      rate[k] = now - before[k];
      before[k] = now;
      object.poses[i * parts + k] = now * (k < D ? run.unit : run.turn) + (k < D ? run.origin[k] : 0);
    }
  }
  object.cursor = 0;
  delete object.packed;
}

for (const run of data.runs) {
  run.objects.forEach((o, index) => { o.index = index; o.events = []; unpack(o, run); });
  run.events.forEach((e, index) => {
    e.index = index;
    for (const who of [e.self, e.other]) if (who >= 0) run.objects[who].events.push(e);
  });
}

// Index of the sample in force at a step; -1 while the object is not there.
function sampleAt(o, step) {
  if (step < o.born || (o.gone >= 0 && step >= o.gone) || !o.steps.length) return -1;
  let i = Math.min(o.cursor, o.steps.length - 1);
  if (o.steps[i] > step) {
    let low = 0, high = i;
    while (low < high) { const m = (low + high) >> 1; if (o.steps[m] <= step) low = m + 1; else high = m; }
    i = low - 1;
  }
  while (i + 1 < o.steps.length && o.steps[i + 1] <= step) ++i;
  if (i < 0) return -1;
  o.cursor = i;
  return o.hidden && o.hidden.some(([a, b]) => step >= a && step < b) ? -1 : i;
}

// What an object touches at a step, by names.
function touchingAt(run, o, step) {
  const open = new Map();
  for (const e of o.events) {
    if (e.step > step) break;
    if (e.kind === "fired") continue;
    const other = e.self === o.index ? e.other : e.self;
    if (e.kind === "end") open.delete(other + e.channel);
    else open.set(other + e.channel, run.objects[other].name + (e.channel === "zone" ? " (zone)" : ""));
  }
  return [...open.values()];
}

// Whether it sleeps, its tags, and how a walker stands, at a step.
function asleepAt(o, step) { return (o.asleep || []).some(([from, to]) => step >= from && step < to); }
// Whether a collider is on, and how large it is beside how it was sent.
function stateOf(o, collider, step) {
  let on = true, scale = 1;
  for (const [from, which, now, size] of o.changed || [])
    if (which === collider && from <= step) { on = now === 1; scale = size; }
  return { on, size: scale / o.colliders[collider].scale };
}
function lastOf(list, step) {
  let found = null;
  for (const x of list || []) if (x[0] <= step) found = x;
  return found;
}
function tagsAt(o, step) { const x = lastOf(o.tagged, step); return x ? x[1] : o.tags; }
function standsAt(run, o, step) {
  const x = lastOf(o.stands, step);
  if (!x) return "";
  return x[1] ? "stands on " + (x[2] >= 0 ? run.objects[x[2]].name : "ground") : "in the air";
}

function numbersAt(run, index, step) {
  const list = [];
  for (const n of run.numbers) {
    if (n.object !== index) continue;
    let value = null;
    for (let i = 0; i < n.steps.length && n.steps[i] <= step; ++i) value = n.values[i];
    if (value !== null) list.push(n.name + " " + value);
  }
  return list;
}

// The colours of Okabe and Ito, which the colour-blind tell apart.
const palette = ["#0072b2", "#d55e00", "#009e73", "#cc79a7", "#b8860b", "#3f9fd8", "#7a5195", "#8a8a00"];
// Beyond the eight the same, darker.
const darker = c =>
  "#" + [1, 3, 5].map(i => Math.round(parseInt(c.slice(i, i + 2), 16) * 0.55).toString(16).padStart(2, "0")).join("");
function colourOf(o) {
  if (!o.tags.length) return "#7b8087";
  const tag = data.tags.indexOf(o.tags[0]), colour = palette[tag % palette.length];
  return Math.floor(tag / palette.length) % 2 ? darker(colour) : colour;
}
