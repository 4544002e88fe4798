// Meters: what dry, wet and their sum are doing now, and every return; the highest true peak is held until it is reset.

const LOW_DB = -60;
const WIDTH = 102;
const LANE_WIDTH = 92;
const HOLD_FALL_DB = 0.35;
const MINUS = "\u2212";

const $ = (selector) => document.querySelector(selector);
const held = { dry: -Infinity, wet: -Infinity };
let shownHighest = null;

function figure(db) {
  return db > -100 ? db.toFixed(1).replace("-", MINUS) : `${MINUS}∞`;
}

/** Return root mean square and peak of an analyser's last samples, in dB. */
function levels(analyser, scratch) {
  analyser.getFloatTimeDomainData(scratch);
  let sum = 0;
  let peak = 0;
  for (const value of scratch) {
    sum += value * value;
    peak = Math.max(peak, Math.abs(value));
  }
  return { rms: 10 * Math.log10(sum / scratch.length), peak: 20 * Math.log10(peak) };
}

function place(db) {
  return (Math.max(Math.min(db, 0), LOW_DB) - LOW_DB) / -LOW_DB * WIDTH;
}

// A lane that went over full scale says so in its band, until the flag is pressed.
const clipped = new Set();

function showClips() {
  for (const flag of document.querySelectorAll("[data-clip]")) flag.hidden = !clipped.has(flag.dataset.clip);
}

function watchLanes(player, scratch) {
  for (const [id, { sides }] of player.mixer.lanes) {
    const bar = $(`[data-lane-meter="${id}"]`);
    if (!bar && clipped.has(id)) continue;
    const both = sides.map((side) => levels(side, scratch));
    if (bar) showLane(id, bar, 10 * Math.log10(both.reduce((sum, { rms }) => sum + 10 ** (rms / 10), 0)));
    if (clipped.has(id) || Math.max(...both.map(({ peak }) => peak)) < 0) continue;
    clipped.add(id);
    showClips();
  }
}

function showLane(id, bar, db) {
  bar.setAttribute("width", String((place(db) / WIDTH) * LANE_WIDTH));
  $(`[data-lane-figure="${id}"]`).textContent = figure(db);
}

function showBus(player, name, { rms, peak }) {
  held[name] = Math.max(peak, held[name] - HOLD_FALL_DB);
  if (name === "wet") player.wetPeak = peak;
  $(`[data-meter=${name}]`).setAttribute("width", String(place(rms)));
  $(`[data-peak=${name}]`).setAttribute("d", `M${1 + place(held[name])} 0v12`);
  $(`[data-figure=${name}]`).textContent = figure(rms);
}

function showSum({ rms, correlation }) {
  $("[data-figure=sum]").textContent = figure(rms);
  $("[data-figure=correlation]").textContent = correlation === null ? "none" : correlation.toFixed(2).replace("-", MINUS);
}

function showHighest(db) {
  if (db === shownHighest) return;
  shownHighest = db;
  const button = $("[data-peak-hold]");
  button.querySelector("b").textContent = figure(db);
  button.querySelector("[data-over]").hidden = db <= 0;
}

export function bindMeters(player) {
  document.addEventListener("htmx:afterSettle", showClips);
  document.addEventListener("click", (event) => {
    const flag = event.target.closest("[data-clip]");
    if (flag && clipped.delete(flag.dataset.clip)) showClips();
    if (event.target.closest("[data-peak-hold]") && player.hasSound) player.mixer.highest = -Infinity;
  });
  const scratch = new Float32Array(2048);
  let frame = 0;
  function draw() {
    requestAnimationFrame(draw);
    if (!player.hasSound || frame++ % 3) return;
    const { readings, highest } = player.mixer;
    for (const name of ["dry", "wet"]) if (readings[name]) showBus(player, name, readings[name]);
    if (readings.sum) showSum(readings.sum);
    showHighest(highest);
    if (player.isPlaying) watchLanes(player, scratch);
  }
  draw();
}
