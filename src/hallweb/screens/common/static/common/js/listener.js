// Whoever may only listen to a song finds its fields closed; what scripts would change all the same is not sent.

import { drawAgain, say } from "./screens.js";

const WRITES = "#page [hx-post]:not(form, [data-open-to-all]), #page form[hx-post]:not([data-open-to-all]) :is(input, select, button, textarea), #page [data-live], #history button";

function close() {
  for (const field of document.querySelectorAll(WRITES)) field.disabled = true;
}

function refuse(event) {
  const { elt, requestConfig } = event.detail;
  if (requestConfig.verb === "get" || elt.closest("[data-open-to-all]")) return;
  event.preventDefault();
  say(document.querySelector("[data-listens-only]").title);
  drawAgain();
}

export function bindListener() {
  if (!document.querySelector("[data-listens-only]")) return;
  document.addEventListener("htmx:afterSettle", close);
  document.addEventListener("htmx:beforeRequest", refuse);
  close();
}
