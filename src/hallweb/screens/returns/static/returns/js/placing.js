// Returns are dragged to another place in the list by their glyph.

import { edit, stripState } from "../../common/js/requests.js";

const LEAST_PX = 4;
let dragged = null;

const stripUnder = ({ clientX, clientY }) => document.elementFromPoint(clientX, clientY)?.closest("[data-returns] .strip");

function mark(strip) {
  for (const each of document.querySelectorAll(".strip.is-target")) each.classList.remove("is-target");
  strip?.classList.add("is-target");
}

function onMove(event) {
  if (!dragged.isMoved && Math.abs(event.clientY - dragged.y) < LEAST_PX) return;
  dragged.isMoved = true;
  document.querySelector("[data-returns]").classList.add("is-dragging");
  mark(stripUnder(event));
}

function onUp(event) {
  const { strip, isMoved } = dragged;
  dragged = null;
  document.querySelector("[data-returns]")?.classList.remove("is-dragging");
  mark(null);
  const target = isMoved && stripUnder(event);
  const isBelow = isMoved && !target && event.clientY > strip.getBoundingClientRect().bottom;
  if (target === strip || (!target && !isBelow)) return;
  edit(strip.dataset.placeUrl, { ...stripState(), before: target ? target.id.replace(/^return-/, "") : "" });
}

export function bindPlacing() {
  document.addEventListener("pointerdown", (event) => {
    const grip = event.target.closest?.("[data-return-grip]");
    if (!grip || event.button) return;
    event.preventDefault();
    dragged = { strip: grip.closest(".strip"), y: event.clientY, isMoved: false };
  });
  document.addEventListener("pointermove", (event) => dragged && onMove(event));
  document.addEventListener("pointerup", (event) => dragged && onUp(event));
}
