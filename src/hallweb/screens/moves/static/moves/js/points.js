// Points of a move: set by Alt-click, removed by key, and ridden by a control while the song plays.

import { editsAhead } from "../../common/js/edits.js";
import { gainOf } from "../../common/js/levels.js";
import { edit } from "../../common/js/requests.js";
import { nearestTo } from "../../common/js/selection.js";
import { sectionAt } from "../../common/js/songstrip.js";
import { beatAt } from "../../common/js/timeline.js";
import { chosen } from "./moves.js";
import { levelAt, wasDrag } from "./stepdrags.js";

const RIDE_MS = 50;

function editPoints(row, values) {
  edit(document.querySelector("[data-moves]").dataset.pointsUrl, { target: row.dataset.moveRow, ...values });
}

// A point where one Alt-clicks: on the next eighth, at the height's level.
function addPoint(event, player) {
  const picture = event.target.closest("[data-move-picture]");
  const row = picture.closest("[data-move-row]");
  if (!("level" in row.dataset)) return;
  const box = picture.getBoundingClientRect();
  const sample = ((event.clientX - box.left) / box.width) * player.manifest.endSample;
  const eighth = nearestTo(JSON.parse(document.querySelector("[data-moves]").dataset.snaps), sample);
  const at = eighth?.[0] ?? beatAt(player.manifest.beats, sample).slice(1).join("|");
  editPoints(row, { do: "add", at, value: String(levelAt(event.clientY - box.top, 0.5)) });
}

/** What a control says while it is held and the song plays: points that follow each other, a level heard at once. */
export class Ride {
  points = [];

  /** row: of the move, "send:voice:hall:level_db"; section: where the value is that section's own; base: its gain. */
  constructor(player, row, section, base) {
    const [kind, ...whose] = row.split(":");
    const param = whose.pop();
    this.player = player;
    this.base = base;
    this.isHeard = kind !== "effect" && param === "level_db";
    if (this.isHeard) player.hold([kind, ...whose].join("/"), { section });
  }

  /** Take what the control says now. Where the song went back, as in a loop, nothing is written twice. */
  take(value) {
    const { sample } = this.player;
    if (sample > (this.points.at(-1)?.[0] ?? -1)) this.points.push([sample, Number(value)]);
    if (this.isHeard) this.player.setHeld([gainOf(value) - this.base]);
  }

  end() {
    if (this.isHeard) this.player.release(true, editsAhead());
    return this.points;
  }
}

function bindRide(player) {
  let ride = null;
  document.addEventListener("pointerdown", ({ target }) => {
    if (!target.matches?.("[data-ride]") || !player.isPlaying) return;
    const [cell] = chosen();
    const row = cell.closest("[data-move-row]");
    const here = row.querySelector(`[data-move-cell$="|${sectionAt(player.sample)?.dataset.id}"]`) ?? cell;
    const section = here.parentElement.classList.contains("is-set") ? here.dataset.moveCell.split("|")[1] : "";
    const taken = new Ride(player, row.dataset.moveRow, section, gainOf(here.dataset.text));
    ride = { row, taken, timer: setInterval(() => taken.take(target.value), RIDE_MS) };
  });
  document.addEventListener("pointerup", () => {
    if (!ride) return;
    const { row, taken, timer } = ride;
    ride = null;
    clearInterval(timer);
    editPoints(row, { do: "ride", ride: JSON.stringify(taken.end()) });
  });
}

export function bindPoints(player) {
  bindRide(player);
  document.addEventListener("click", (event) => {
    if (event.altKey && !wasDrag() && event.target.closest("[data-move-picture]")) addPoint(event, player);
  });
  document.addEventListener("keydown", (event) => {
    const dot = event.target.closest?.("[data-dot]");
    if (dot && event.key === "Delete") editPoints(dot.closest("[data-move-row]"), { do: "remove", at: dot.dataset.dot });
  });
}
