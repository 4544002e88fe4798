// The end of a phrase is dragged to where it is, stepped with Alt and an arrow, and put back by a double-click.

import { edit } from "../../common/js/requests.js";

const LEAST_PX = 4;
const STEP_S = 0.05;
const WAIT_MS = 250;
let hold = null;
let throwing = 0;

function put(mark, sample) {
  const { phraseUrl } = document.querySelector("[data-moves]").dataset;
  edit(phraseUrl, { target: mark.closest("[data-move-row]").dataset.moveRow, phrase: mark.dataset.phraseEnd, sample });
}

function endOf(mark) {
  return Number(mark.getAttribute("x"));
}

function sampleAt(x, player) {
  return String(Math.max(Math.round((x / 1000) * player.manifest.endSample), 0));
}

function onMove(event) {
  const moved = event.clientX - hold.from;
  if (!hold.isMoved && Math.abs(moved) < LEAST_PX) return;
  hold.isMoved = true;
  hold.mark.setAttribute("transform", `translate(${moved - 24} 0)`);
  hold.mark.classList.add("is-dragged");
}

// A press that moved the end throws nothing; one that did not waits a moment, since a second would put the end back.
function onClick(event) {
  const mark = event.target.closest?.("[data-phrase-end]");
  if (!mark || !event.isTrusted) return;
  event.stopImmediatePropagation();
  clearTimeout(throwing);
  if (hold?.isSpent) return (hold = null);
  const { shiftKey } = event;
  throwing = setTimeout(() => mark.dispatchEvent(new MouseEvent("click", { bubbles: true, shiftKey })), WAIT_MS);
}

export function bindPhraseEnds(player) {
  document.addEventListener("pointerdown", (event) => {
    const mark = event.target.closest?.("[data-phrase-end]");
    if (mark && !event.button) hold = { mark, from: event.clientX, isMoved: false };
  });
  document.addEventListener("pointermove", (event) => hold && !hold.isSpent && onMove(event));
  document.addEventListener("pointerup", (event) => {
    if (!hold?.isMoved) return (hold = null);
    hold.isSpent = true;
    put(hold.mark, sampleAt(endOf(hold.mark) + event.clientX - hold.from, player));
  });
  document.addEventListener("click", onClick, { capture: true });
  document.addEventListener("dblclick", ({ target }) => {
    const mark = target.closest?.("[data-phrase-end]");
    if (!mark) return;
    clearTimeout(throwing);
    put(mark, "");
  });
  document.addEventListener("keydown", (event) => {
    const mark = event.target.closest?.("[data-phrase-end]");
    const direction = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!mark || !event.altKey || !direction) return;
    event.preventDefault();
    const step = (STEP_S * player.manifest.sampleRate * 1000) / player.manifest.endSample;
    put(mark, sampleAt(endOf(mark) + direction * step, player));
  });
}
