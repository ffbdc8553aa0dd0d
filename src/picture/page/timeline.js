// The scrubber: bands of what is expected, a lane for each reaction with a tick each time it fired.
const line = document.getElementById("line"), strip = document.getElementById("strip");
const lanes = data.runs[0].reactions.map((name, i) => ({ name, ticks: [] }));
for (const r of data.runs) for (const e of r.events) if (e.kind === "fired") {
  const lane = lanes.find(l => l.name === e.reaction);
  if (lane) lane.ticks.push(e);
}
for (const n of data.runs[0].numbers.filter(n => n.object < 0).slice(0, 6)) lanes.push({ name: n.name + " =", number: n });
const laneHeight = 17, label = () => Math.min(150, line.clientWidth * 0.25);
function xOf(time) { return label() + (line.clientWidth - label() - 12) * (end ? time / end : 0); }
function timeOf(x) { return end * (x - label()) / (line.clientWidth - label() - 12); }

function drawLine() {
  const scale = devicePixelRatio || 1, width = line.clientWidth;
  const height = 20 + lanes.length * laneHeight + 4;
  if (line.width !== Math.round(width * scale) || line.height !== Math.round(height * scale)) {
    line.width = Math.round(width * scale);
    line.height = Math.round(height * scale);
    line.style.height = height + "px";
  }
  const g = line.getContext("2d");
  g.setTransform(scale, 0, 0, scale, 0, 0);
  g.clearRect(0, 0, width, height);
  g.font = "11px 'DejaVu Sans', sans-serif";
  const about = end / Math.max(2, width / 90), unit = Math.pow(10, Math.floor(Math.log10(about || 1)));
  const step = [1, 2, 5, 10].map(k => k * unit).find(s => s >= about) || unit;
  g.strokeStyle = ink("--rule");
  g.fillStyle = ink("--quiet");
  for (let t = 0; t <= end + 1e-9; t += step) {
    g.beginPath(); g.moveTo(xOf(t), 15); g.lineTo(xOf(t), height); g.stroke();
    g.fillText(parseFloat(t.toFixed(6)) + (t === 0 ? " s" : ""), xOf(t) + 2, 11);
  }
  const shades = data.runs[0].verdicts;
  lanes.forEach((lane, i) => {
    const y = 20 + i * laneHeight;
    for (const v of shades) if (v.reaction === lane.name && v.from !== undefined) {
      g.fillStyle = v.met ? ink("--met") : ink("--missed");
      g.globalAlpha = 0.22;
      g.fillRect(xOf(v.from), y + 1, Math.max(2, xOf(Math.min(end, v.to)) - xOf(v.from)), laneHeight - 3);
      g.globalAlpha = 1;
      g.fillText(v.met ? "\u2713" : "\u2717", xOf(Math.min(end, v.to)) - 10, y + 12);
    }
    g.fillStyle = ink("--ink");
    g.save();
    g.beginPath(); g.rect(0, y, label() - 4, laneHeight); g.clip();
    g.fillText(lane.name, 2, y + 12);
    g.restore();
    if (lane.number) return drawSteps(g, lane.number, y);
    let before = -9;
    for (const e of lane.ticks) {
      const x = xOf(e.time);
      if (x - before < 1.5 && state.picked !== e) continue;
      before = x;
      g.fillStyle = state.picked === e ? ink("--lit") : e.run ? palette[1] : palette[0];
      g.fillRect(x - 1.5, y + 2 + (e.run ? 6 : 0), 3, data.runs.length > 1 ? 6 : laneHeight - 5);
    }
  });
  const x = xOf(state.time);
  g.fillStyle = g.strokeStyle = ink("--lit");
  g.beginPath(); g.moveTo(x, 12); g.lineTo(x, height); g.stroke();
  g.beginPath(); g.moveTo(x - 6, 4); g.lineTo(x + 6, 4); g.lineTo(x, 13); g.fill();
  line.setAttribute("aria-valuemin", "0");
  line.setAttribute("aria-valuemax", end);
  line.setAttribute("aria-valuenow", state.time.toFixed(3));
  document.getElementById("time").textContent =
    state.time.toFixed(3) + " s of " + end.toFixed(3) + " s, step " + stepOf(run);
}
function drawSteps(g, number, y) {
  const low = Math.min(0, ...number.values), high = Math.max(1e-9, ...number.values);
  const yOf = v => y + laneHeight - 3 - (laneHeight - 6) * (v - low) / (high - low);
  g.strokeStyle = palette[2];
  g.beginPath();
  number.values.forEach((v, i) => {
    const from = xOf(number.steps[i] / run.rate);
    const to = i + 1 < number.steps.length ? xOf(number.steps[i + 1] / run.rate) : xOf(end);
    g.lineTo(from, yOf(v));
    g.lineTo(to, yOf(v));
  });
  g.stroke();
}
let scrubbing = false;
line.onpointerdown = e => { scrubbing = true; line.setPointerCapture(e.pointerId); play(false); line.onpointermove(e); };
line.onpointermove = e => { if (scrubbing) seek(timeOf(e.offsetX)); };
line.onpointerup = line.onpointercancel = () => { scrubbing = false; };
listeners.push(drawLine);
