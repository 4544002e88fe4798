// Lines of the long section: dragged up or down, one asks for another distance of its source in the section under the hand.

import { written } from "../../common/js/figures.js";
import { show } from "./hall.js";
import { longMetresAt, rounded } from "./scale.js";

let hold = null;

function place(event) {
  const box = hold.svg.getBoundingClientRect();
  return [event.clientX - box.left, event.clientY - box.top];
}

function begin(event) {
  const line = event.target.closest?.("[data-line]");
  if (!line || event.button) return;
  event.preventDefault();
  const words = document.createElementNS("http://www.w3.org/2000/svg", "text");
  words.setAttribute("class", "small-figure is-held");
  hold = { svg: line.closest("svg"), source: line.dataset.line, words, asked: null };
  const [x] = place(event);
  const isOver = (roof) => x >= Number(roof.getAttribute("x")) && x < Number(roof.getAttribute("x")) + Number(roof.getAttribute("width"));
  hold.section = [...document.querySelectorAll("[data-roof]")].find(isOver)?.dataset.roof;
  hold.svg.append(words);
}

function move(event) {
  const [x, y] = place(event);
  hold.asked = rounded(longMetresAt(y));
  hold.words.setAttribute("x", String(x + 8));
  hold.words.setAttribute("y", String(y - 6));
  hold.words.textContent = `${written(hold.asked.toFixed(1))} m`;
}

function end(isTaken) {
  const { words, source, section, asked } = hold;
  hold = null;
  words.remove();
  if (isTaken && section) show({ source, section, asked: asked === null ? "" : String(asked), refused: [] });
}

export function bindLines() {
  document.addEventListener("pointerdown", begin);
  document.addEventListener("pointermove", (event) => hold && move(event));
  document.addEventListener("pointerup", () => hold && end(true));
  document.addEventListener("keydown", (event) => hold && event.key === "Escape" && end(false));
}
