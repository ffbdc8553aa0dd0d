// Expectations and events beside the view. Only the rows in sight are made.
const rowHeight = 22;
const listBox = document.getElementById("list"), rowBox = document.getElementById("rows");
const filter = document.getElementById("filter");
let rows = [];
const all = data.runs.flatMap((r, k) => r.events.map(e => Object.assign(e, { run: k })))
  .sort((a, b) => a.time - b.time || a.run - b.run || a.index - b.index);
if (data.runs.length > 1) {  // what happens in one alone
  const times = [new Map(), new Map()];
  const key = e => e.text;
  for (const e of all) { const m = times[e.run]; if (!m.has(key(e))) m.set(key(e), []); m.get(key(e)).push(e.time); }
  for (const e of all) {
    const other = times[1 - e.run].get(key(e)) || [];
    e.alone = !other.some(t => Math.abs(t - e.time) < 1.5 / run.rate);
  }
}

function refilter() {
  const words = filter.value.toLowerCase().split(/\s+/).filter(w => w);
  rows = all.filter(e => words.every(w => e.search.includes(w)));
  document.getElementById("count").textContent = rows.length + " of " + all.length;
  rowBox.style.height = rows.length * rowHeight + "px";
  drawRows();
}
for (const e of all) {
  const r = data.runs[e.run];
  const tags = [e.self, e.other].flatMap(i => (i >= 0 ? r.objects[i].tags : []));
  e.search = (e.text + " " + tags.join(" ")).toLowerCase();
}
function drawRows() {
  const first = Math.max(0, Math.floor(listBox.scrollTop / rowHeight) - 3);
  const last = Math.min(rows.length, first + Math.ceil(listBox.clientHeight / rowHeight) + 6);
  const now = rowNow();
  rowBox.replaceChildren();
  for (let i = first; i < last; ++i) {
    const e = rows[i], row = document.createElement("div");
    row.className = "row" + (e.kind === "fired" ? " fired" : "") + (i === now ? " now" : "") +
      (state.picked === e ? " picked" : "") + (e.alone ? " one" : "");
    row.style.top = i * rowHeight + "px";
    row.setAttribute("role", "option");
    row.textContent = (data.runs.length > 1 ? "AB"[e.run] + "  " : "") + e.time.toFixed(3) + " s  " + e.text;
    row.title = row.textContent + (e.impulse ? "\nimpulse " + e.impulse.toPrecision(4) : "");
    row.onclick = () => pick(e);
    rowBox.append(row);
  }
}
// The last row that is not after now.
function rowNow() {
  let low = 0, high = rows.length;
  while (low < high) { const m = (low + high) >> 1; if (rows[m].time <= state.time + 1e-6) low = m + 1; else high = m; }
  return low - 1;
}
function pick(e) {
  state.picked = e;
  state.lit = [e.self, e.other].filter(i => i >= 0).map(i => data.runs[e.run].objects[i]);
  play(false);
  seek(Math.ceil(e.time * run.rate - 1e-6) / run.rate);
  bringIntoView(state.lit);
}
function pickNext(by) {
  const now = state.picked ? rows.indexOf(state.picked) : rowNow();
  const next = Math.max(0, Math.min(rows.length - 1, now + by));
  if (rows[next]) { pick(rows[next]); showRow(next); }
}
function showRow(i) {
  const y = i * rowHeight;
  if (y < listBox.scrollTop || y + rowHeight > listBox.scrollTop + listBox.clientHeight)
    listBox.scrollTop = y - listBox.clientHeight / 2;
}
listBox.onscroll = drawRows;
filter.oninput = refilter;
let rowsAt = -1;
listeners.push(() => {
  if (rowsAt !== state.time) showRow(rowNow());
  rowsAt = state.time;
  drawRows();
});

const verdicts = document.getElementById("verdicts");
for (const v of data.runs[0].verdicts) {
  const item = document.createElement("li"), mark = document.createElement("b");
  item.className = v.met ? "met" : "missed";
  mark.textContent = v.met ? "\u2713 met " : "\u2717 missed ";
  item.append(mark, v.text);
  if (v.why) { const why = document.createElement("small"); why.textContent = v.why; item.append(why); }
  verdicts.append(item);
}
const met = data.runs[0].verdicts.filter(v => v.met).length;
document.getElementById("sum").textContent = data.runs[0].verdicts.length
  ? met + " of " + data.runs[0].verdicts.length + " expectations met" : data.runs[0].objects.length + " objects";
if (!data.runs[0].verdicts.length) document.getElementById("wanted").hidden = true;
