// Findings: opened one at a time, gone to, heard with what is proposed, taken, set aside; by hand and by keyboard.

import { hearOther } from "../../common/js/proposals.js";

const $ = (selector) => document.querySelector(selector);
const WAIT_MS = 1500;

/** Show the page with other things chosen; what is not named stays. */
function show(changes, focused = "") {
  const state = new URLSearchParams([...document.querySelectorAll("#screen-state input:not([name=view])")].map(({ name, value }) => [name, value]));
  for (const [name, value] of Object.entries(changes)) state.set(name, value);
  const address = `${$("[data-findings-page]").dataset.findingsPage}?${state}`;
  return window.htmx.ajax("GET", address, { source: "#page", target: "#page", swap: "innerHTML" }).then(() => focused && document.getElementById(focused)?.focus());
}

function open(id, focused) {
  return show({ open: id, place: "0" }, focused);
}

/** Ask again for a list that is being worked out, unless something on the page is at work. */
function wait() {
  const waiting = $("[data-findings-wait]");
  if (!waiting) return;
  window.setTimeout(() => {
    const isHeld = document.activeElement?.matches("select, input") || document.querySelector("[data-several-choice]:checked");
    if (waiting.isConnected && isHeld) return wait();
    if (waiting.isConnected) show({}, document.activeElement?.id);
  }, WAIT_MS);
}

function stretch() {
  const band = $("[data-open-band]");
  return band && { start: Number(band.dataset.loopStart), end: Number(band.dataset.loopEnd), name: band.dataset.loopName };
}

function goThere(player) {
  const loop = stretch();
  if (!loop) return;
  document.dispatchEvent(new CustomEvent("loop-asked", { detail: loop }));
  player.seek(loop.start);
  if (!player.isPlaying) player.play();
}

/** Open a finding and hear what it proposes, as soon as the page compares with that. */
async function hearRow(player, id) {
  const settled = new Promise((resolve) => document.addEventListener("htmx:afterSettle", resolve, { once: true }));
  await open(id);
  await settled;
  await hearOther(player, stretch());
}

function showSeveral() {
  const bar = $("[data-several]");
  if (bar) bar.hidden = !$("[data-several-choice]:checked");
}

function step(by) {
  const rows = [...document.querySelectorAll(".finding-open")];
  const at = rows.indexOf(document.activeElement);
  rows[at < 0 ? 0 : Math.min(Math.max(at + by, 0), rows.length - 1)]?.focus();
}

function stepPlace(by) {
  const place = Number($("#screen-state [name=place]").value) + by;
  const button = $(`[data-place-step="${by}"]`);
  if (button && place >= 0) show({ place: String(place) });
}

function onClick({ target }, player) {
  const room = target.closest?.("[data-room]");
  const opened = target.closest?.("[data-open-finding]");
  const chosen = target.closest?.("button[data-choose]");
  if (opened) open(opened.dataset.openFinding, opened.id);
  else if (room) show({ section: room.getAttribute("aria-pressed") === "true" ? "" : room.dataset.room });
  else if (chosen?.dataset.choose === "all") show({ section: "", kind: "" });
  else if (chosen) show({ [chosen.dataset.choose]: chosen.value }, chosen.id);
  if (target.closest?.("[data-place-step]")) stepPlace(Number(target.closest("[data-place-step]").dataset.placeStep));
  if (target.closest?.("[data-go-there]")) goThere(player);
  if (target.closest?.("[data-hear-finding]")) hearOther(player, stretch());
  if (target.closest?.("[data-hear-row]")) hearRow(player, target.closest("[data-hear-row]").dataset.hearRow);
}

function onKey(event, player) {
  if (!$("[data-findings-page]") || event.altKey || event.ctrlKey || event.metaKey || event.target.matches("input, select, textarea")) return;
  const room = event.target.closest?.("[data-room]");
  const press = { y: "#take-it", h: "#hear-it", g: "#go-there", s: "#hear-alone", x: "#set-aside" }[event.key.toLowerCase()];
  if (event.key === "ArrowDown") step(1);
  else if (event.key === "ArrowUp") step(-1);
  else if (event.key === "Escape" && $("[data-open-band]")) open("", document.querySelector("[data-open-band] .finding-open").id);
  else if (event.key === "." || event.key === ",") stepPlace(event.key === "." ? 1 : -1);
  else if (room && event.key === "Enter") show({ section: room.getAttribute("aria-pressed") === "true" ? "" : room.dataset.room });
  else if (press && $(press)) $(press).click();
  else return;
  event.preventDefault();
  event.stopImmediatePropagation();
}

export function bindFindings(player) {
  document.addEventListener("click", (event) => $("[data-findings-page]") && onClick(event, player));
  document.addEventListener("keydown", (event) => onKey(event, player), true);
  document.addEventListener("change", ({ target }) => {
    if (target.matches?.("select[data-choose]")) show({ [target.dataset.choose]: target.value }, target.id);
    if (target.matches?.("[data-several-choice]")) showSeveral();
  });
  document.addEventListener("htmx:afterSettle", ({ target }) => target.id === "page" && wait());
  wait();
}
