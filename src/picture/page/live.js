// A page that a program serves: it shows the scene again when it was saved, and lets keys play it.
const live = data.live;
function made(tag, id, text, parent) {
  const e = document.createElement(tag);
  e.id = id;
  e.textContent = text;
  parent.append(e);
  return e;
}
const header = document.querySelector("header");
const watching = made("span", "watching", "watching " + live.scene, header);
const driveButton = made("button", "drive", "Play with keys", header);
const keepButton = made("button", "keep", "Stop and keep", header);
driveButton.hidden = !live.keys.length;
keepButton.hidden = true;
driveButton.title = live.keys.map(k => k.key + ": " + k.does).join("\n");
header.insertBefore(watching, document.querySelector("header .gap"));
const problems = made("pre", "problems", "", document.getElementById("stage"));
function complain(list) {
  problems.textContent = list.join("\n");
  problems.hidden = !list.length;
}
complain(live.problems);

async function ask(path, body) {
  const answer = await fetch(path, body === undefined ? {} :
    { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(body) });
  const json = await answer.json();
  if (!answer.ok) throw new Error(json.problem || answer.statusText);
  return json;
}
// The server answers once there is something new, or after a while.
let known = live.version;
async function follow() {
  for (;;) {
    try {
      const now = await ask("/state?since=" + known);
      known = now.version;
      if (driving) continue;
      complain(now.problems);
      if (now.shown !== live.shown) {
        history.replaceState(null, "", "#t=" + state.time.toFixed(3));
        return location.reload();
      }
    } catch (gone) {
      complain(["colvik watch does not answer any more: " + gone.message]);
      await new Promise(done => setTimeout(done, 1000));
    }
  }
}

// ---- playing ---------------------------------------------------------------------------------
let driving = null;  // { due, busy, paused, over }
const held = new Set(), tapped = new Set();
const named = { ArrowLeft: "left", ArrowRight: "right", ArrowUp: "up", ArrowDown: "down", " ": "space", Enter: "enter", Shift: "shift" };
const keyOf = e => named[e.key] || e.key.toLowerCase();
const plays = e => driving && !driving.over && !document.getElementById("kept")?.open && live.keys.some(k => k.key === keyOf(e));
addEventListener("keydown", e => {
  if (e.ctrlKey || e.metaKey || e.altKey || !plays(e)) return;
  e.preventDefault();
  e.stopImmediatePropagation();
  if (!e.repeat) { held.add(keyOf(e)); tapped.add(keyOf(e)); }
}, true);
addEventListener("keyup", e => { held.delete(keyOf(e)); }, true);
addEventListener("blur", () => held.clear());

function take(update) {
  for (const o of update.objects) {
    o.index = run.objects.length;
    o.events = [];
    o.steps = [];
    o.poses = [];
    o.cursor = 0;
    o.hidden = [];
    run.objects.push(o);
    if (solid) three.scene.add(groupOf(o, 0));
  }
  for (const [i, step, shown, ...pose] of update.samples) {
    const o = run.objects[i];
    o.steps.push(step);
    o.poses.push(...pose);
    const last = o.hidden[o.hidden.length - 1];
    const away = last && last[1] === Infinity;
    if (!shown && !away) o.hidden.push([step, Infinity]);
    if (shown && away) last[1] = step;
  }
  for (const [i, change] of update.changed) (run.objects[i].changed ||= []).push(change);
  for (const [i, step] of update.gone) run.objects[i].gone = step;
  for (const [object, name, step, value] of update.numbers) {
    let n = run.numbers.find(x => x.object === object && x.name === name);
    if (!n) run.numbers.push(n = { object, name, steps: [], values: [] });
    n.steps.push(step);
    n.values.push(value);
  }
  for (const e of update.events) {
    e.index = run.events.length;
    e.run = 0;
    for (const who of [e.self, e.other]) if (who >= 0) run.objects[who].events.push(e);
    const tags = [e.self, e.other].flatMap(i => (i >= 0 ? run.objects[i].tags : []));
    e.search = (e.text + " " + tags.join(" ")).toLowerCase();
    run.events.push(e);
    all.push(e);
    const lane = lanes.find(l => l.name === e.reaction);
    if (lane && e.kind === "fired") lane.ticks.push(e);
  }
  run.steps = update.steps;
  end = Math.max(1 / run.rate, run.steps / run.rate);
  state.time = run.steps / run.rate;
  if (update.events.length) refilter();
  changed();
}
function forget() {
  if (solid) for (const group of three.groups.values()) three.scene.remove(group);
  if (solid) three.groups.clear();
  for (const list of [run.objects, run.events, run.numbers, all]) list.length = 0;
  for (const lane of lanes) if (lane.ticks) lane.ticks.length = 0;
  lanes.splice(0, lanes.length, ...lanes.filter(l => l.ticks));
  state.picked = null;
  state.lit = [];
}
async function drive() {
  play(false);
  try {
    const update = await ask("/play", {});
    forget();
    take(update);
    for (const n of run.numbers.filter(n => n.object < 0).slice(0, 6)) lanes.push({ name: n.name + " =", number: n });
  } catch (problem) { return complain([problem.message]); }
  driving = { due: 0, busy: false, paused: false, over: false };
  document.getElementById("wanted").hidden = true;
  document.getElementById("sum").textContent = "played now: " + live.keys.map(k => k.key).join(", ");
  driveButton.textContent = "Play again";
  keepButton.hidden = false;
  document.getElementById("play").textContent = "Pause";
  view.focus();
}
let drivenAt = null;
async function advance(steps) {
  driving.busy = true;
  const keys = [...new Set([...held, ...tapped])];
  tapped.clear();
  try {
    const update = await ask("/step", { steps, held: keys });
    take(update);
    if (update.over) { driving.over = true; finishDrive(); }
  } catch (problem) { complain([problem.message]); driving.over = true; }
  driving.busy = false;
}
function driveFrame(now) {
  if (driving && !driving.over && !driving.paused && drivenAt !== null) {
    driving.due = Math.min(30, driving.due + (now - drivenAt) / 1000 * state.speed * run.rate);
    const steps = Math.floor(driving.due);
    if (steps > 0 && !driving.busy) {
      driving.due -= steps;
      advance(steps);
    }
  }
  drivenAt = now;
  requestAnimationFrame(driveFrame);
}
async function finishDrive() {
  driving.over = true;
  document.getElementById("play").textContent = "Play";
  try {
    const update = await ask("/stop", {});
    take(update);
    const dialog = document.getElementById("kept");
    document.getElementById("played").textContent =
      update.seconds.toFixed(2) + " s were played: " + update.wishes + " wishes, " + update.inputs +
      " inputs; " + update.fired + " reactions fired. Letting go, the run went on to its end.";
    dialog.showModal();
  } catch (problem) { complain([problem.message]); }
}
driveButton.onclick = drive;
keepButton.onclick = () => { if (driving && !driving.over) finishDrive(); else document.getElementById("kept").showModal(); };
const ownPlay = document.getElementById("play").onclick, ownStep = document.getElementById("on").onclick;
document.getElementById("play").onclick = () => {
  if (!driving || driving.over) return ownPlay();
  driving.paused = !driving.paused;
  document.getElementById("play").textContent = driving.paused ? "Play" : "Pause";
};
document.getElementById("on").onclick = () => {
  if (!driving || driving.over) return ownStep();
  driving.paused = true;
  document.getElementById("play").textContent = "Play";
  if (!driving.busy) advance(1);
};
const kept = made("dialog", "kept", "", document.body);
kept.innerHTML = '<h2>Played</h2><p id="played"></p><label><input type="checkbox" id="keep-wishes" checked> keep the wishes and inputs</label><br>' +
  '<label><input type="checkbox" id="keep-fired" checked> keep what fired as expectations</label>' +
  '<p><button id="keep-now">Keep</button> <button id="keep-again">Play again</button> <button id="keep-not">Back to the scene</button></p>' +
  '<pre id="keep-said"></pre>';
document.getElementById("keep-now").onclick = async () => {
  const said = document.getElementById("keep-said");
  try {
    const done = await ask("/keep", { wishes: document.getElementById("keep-wishes").checked,
      expectations: document.getElementById("keep-fired").checked });
    said.textContent = done.said.join("\n");
  } catch (problem) { said.textContent = problem.message; }
};
document.getElementById("keep-again").onclick = () => { kept.close(); drive(); };
document.getElementById("keep-not").onclick = () => { driving = null; location.reload(); };
follow();
requestAnimationFrame(driveFrame);
