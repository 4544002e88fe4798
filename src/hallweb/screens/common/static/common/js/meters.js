// Meters: what dry, wet and their sum are doing now, and every return; the highest true peak is held until it is reset.

import { eachFrame } from "./frames.js";
import { written } from "./figures.js";

const LOW_DB = -60;
const WIDTH = 102;
const FOOT_WIDTH = 92;
const WATCH_MS = 35; // less than what an analyser keeps
const HOLD_FALL_DB = 0.23; // a drawing: 7 dB a second

const $ = (selector) => document.querySelector(selector);
const held = { dry: -Infinity, wet: -Infinity };
let shownHighest = null;

function figure(db) {
  return db > -100 ? written(db.toFixed(1)) : written("-∞");
}

/** Whether any of an analyser's last samples is at full scale or over it. */
function isOverIn(analyser, scratch) {
  analyser.getFloatTimeDomainData(scratch);
  for (let frame = 0; frame < scratch.length; frame++) if (Math.abs(scratch[frame]) >= 1) return true;
  return false;
}

function place(db) {
  return (Math.max(Math.min(db, 0), LOW_DB) - LOW_DB) / -LOW_DB * WIDTH;
}

// A lane that went over full scale says so in its strip, until the flag is pressed.
const clipped = new Set();

function showClips() {
  for (const flag of document.querySelectorAll("[data-clip]")) flag.hidden = !clipped.has(flag.dataset.clip);
}

function watchLanes(player, scratch) {
  for (const [id, { sides }] of player.mixer.lanes) {
    if (clipped.has(id)) continue;
    if (!sides.some((side) => isOverIn(side, scratch))) continue;
    clipped.add(id);
    showClips();
  }
}

// What returns are fed, in the feet of the matrix: now, its peak for a while, and how often and where last it was over.
const fed = new Map();

function watchFeeds(player) {
  for (const { id } of player.manifest.lanes) {
    const db = 20 * Math.log10(player.isPlaying ? player.fedNow(id) : 0);
    const before = fed.get(id) ?? { held: -Infinity, isOver: false, count: 0, place: "" };
    const isOver = db >= 0;
    const isNew = isOver && !before.isOver;
    const now = { held: Math.max(db, before.held - HOLD_FALL_DB), isOver, count: before.count + (isNew ? 1 : 0), place: isNew ? $("[data-position]").textContent : before.place };
    fed.set(id, now);
    const bar = $(`[data-fed-meter="${id}"]`);
    if (!bar) continue;
    const share = FOOT_WIDTH / WIDTH;
    bar.setAttribute("width", String(place(db) * share));
    $(`[data-fed-peak="${id}"]`).setAttribute("d", `M${1 + place(now.held) * share} 0v10`);
    $(`[data-fed-figure="${id}"]`).textContent = figure(now.held);
    const flag = $(`[data-fed-over="${id}"]`);
    flag.hidden = !now.count;
    flag.textContent = `over ${now.count}×, ${now.place}`;
  }
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
  $("[data-figure=correlation]").textContent = correlation === null ? "none" : written(correlation.toFixed(2));
}

function showHighest(db) {
  if (db === shownHighest) return;
  shownHighest = db;
  const button = $("[data-peak-hold]");
  button.querySelector("b").textContent = figure(db);
  button.querySelector("[data-over]").hidden = db <= 0;
}

/** Whether a mark of what was loudest is still on its way down. */
function isFalling() {
  return [...Object.values(held), ...[...fed.values()].map((feed) => feed.held)].some((db) => db > LOW_DB);
}

export function bindMeters(player) {
  document.addEventListener("htmx:afterSettle", showClips);
  const scratch = new Float32Array(2048);
  function draw() {
    if (!player.hasSound) return false;
    const { readings, highest } = player.mixer;
    for (const name of ["dry", "wet"]) if (readings[name]) showBus(player, name, readings[name]);
    if (readings.sum) showSum(readings.sum);
    showHighest(highest);
    if (player.manifest) watchFeeds(player);
    return isFalling();
  }
  const drawAgain = eachFrame(player, draw);
  setInterval(() => player.isPlaying && watchLanes(player, scratch), WATCH_MS); // whether it is drawn or not
  document.addEventListener("click", (event) => {
    const flag = event.target.closest("[data-clip]");
    if (flag && clipped.delete(flag.dataset.clip)) showClips();
    const over = event.target.closest("[data-fed-over]");
    if (over) fed.delete(over.dataset.fedOver);
    if (event.target.closest("[data-peak-hold]") && player.hasSound) player.mixer.highest = -Infinity;
    drawAgain();
  });
}
