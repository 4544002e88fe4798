// Roofs of the long section: dragged, or stepped by keys, they make a whole section deeper or nearer.

import { written } from "../../common/js/figures.js";
import { edit } from "../../common/js/requests.js";
import { show } from "./hall.js";
import { LONG_OCTAVE_PX } from "./scale.js";

const KEY_STEP = 1.05;
let hold = null;

/** Return how many times as deep a roof is so many pixels higher, in steps of 0.05. */
export function factorOf(up) {
  return Math.min(Math.max(Math.round(2 ** (up / LONG_OCTAVE_PX) * 20) / 20, 0.1), 10);
}

function deepen({ dataset, id }, factor) {
  if (dataset.factor) return show({ [`factor-${dataset.roof}`]: Math.round(1000 * dataset.factor * factor) / 1000 }, id);
  return edit(dataset.deepenUrl, { deepened: dataset.roof, factor: String(factor) });
}

export function bindRoofs() {
  document.addEventListener("pointerdown", (event) => {
    const roof = event.target.closest?.("[data-roof]");
    if (!roof || event.button) return;
    event.preventDefault();
    const words = document.createElementNS("http://www.w3.org/2000/svg", "text");
    words.setAttribute("class", "small-figure is-held");
    words.setAttribute("x", roof.getAttribute("x"));
    roof.closest("svg").append(words);
    hold = { roof, words, y: event.clientY, top: Number(roof.getAttribute("y")), factor: 1 };
  });
  document.addEventListener("pointermove", (event) => {
    if (!hold) return;
    const up = hold.y - event.clientY;
    hold.factor = factorOf(up);
    hold.words.setAttribute("y", String(Math.max(hold.top - up - 4, 12)));
    hold.words.textContent = `${written(hold.factor.toFixed(2))} times as deep`;
  });
  document.addEventListener("pointerup", () => {
    if (!hold) return;
    const { roof, words, factor } = hold;
    hold = null;
    words.remove();
    if (factor !== 1) deepen(roof, factor);
  });
  document.addEventListener("keydown", (event) => {
    const roof = event.target.closest?.("[data-roof]");
    const factor = { ArrowUp: KEY_STEP, ArrowDown: 1 / KEY_STEP }[event.key];
    if (event.key === "Escape" && hold) {
      hold.words.remove();
      hold = null;
    }
    if (!roof || !factor) return;
    event.preventDefault();
    deepen(roof, factor.toFixed(3));
  });
}
