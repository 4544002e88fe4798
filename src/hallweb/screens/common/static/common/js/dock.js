// The dock: transport, the tail check, and how playing starts.

import { eachFrame } from "./frames.js";
import { keep, kept } from "./kept.js";
import { bindMonitoring } from "./monitoring.js";
import { bindPosition } from "./position.js";
import { say } from "./screens.js";
import { bindSeeking } from "./seeking.js";

const SILENT_DB = -60;
const LEAST_TAIL_S = 0.5;

export function bindDock(player, matching) {
  const dock = document.getElementById("player");
  const find = (selector) => dock.querySelector(selector);

  // While returns ring on: for how long they have; once they are silent the check is over.
  function showTail() {
    const button = find("[data-tail]");
    const { tail } = player;
    const isReady = player.preparing !== "tail";
    button.setAttribute("aria-pressed", String(Boolean(tail) || !isReady));
    if (!tail) return (button.textContent = isReady ? "Tail check" : "getting ready");
    const seconds = (player.sample - player.ringsFrom) / player.manifest.sampleRate;
    button.textContent = seconds < 0 ? "getting ready" : `ringing ${seconds.toFixed(1)} s`;
    if (seconds > LEAST_TAIL_S && player.isPlaying && player.wetPeak < SILENT_DB) player.endTail();
  }

  function showState() {
    showTail();
    const play = find("[data-play]");
    play.setAttribute("aria-pressed", String(player.isPlaying));
    play.setAttribute("aria-label", player.isPlaying ? "Stop" : "Play");
    play.toggleAttribute("data-waiting", player.isWaiting);
    const cut = find("[data-cut-sends]");
    cut.setAttribute("aria-pressed", String(player.sendsEnd !== null || player.preparing === "sends"));
    cut.textContent = player.preparing === "sends" ? "getting ready" : "Sends off";
  }

  dock.addEventListener("click", ({ target }) => {
    if (target.closest("[data-play]")) player.toggle();
    else if (target.closest("[data-tail]")) player.checkTail();
    else if (target.closest("[data-again]")) player.again();
    else if (target.closest("[data-cut-sends]")) player.cutSends();
  });
  const boxes = [...dock.querySelectorAll("input[type=checkbox]")];
  function takeBoxes() {
    player.softStart = find("[data-soft-start]").checked;
    player.hasPreRoll = find("[data-pre-roll]").checked;
    matching.wantsDry(find("[data-match-dry]").checked);
    player.isMono = find("[data-mono]").checked;
  }
  dock.addEventListener("change", () => {
    takeBoxes();
    keep("boxes", boxes.map((box) => box.checked));
  });
  kept("boxes")?.forEach((isChecked, index) => (boxes[index].checked = isChecked));
  takeBoxes();
  player.addEventListener("state", showState);
  player.addEventListener("problem", () => say(`The ${player.problem}.`.replace("The sound", "Sound")));
  bindPosition(player, dock);
  bindSeeking(player, dock);
  bindMonitoring(player, matching);
  eachFrame(player, () => {
    if (player.tail) showTail();
  });
}
