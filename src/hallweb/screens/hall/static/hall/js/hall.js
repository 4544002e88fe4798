// The plan of the hall: a source is dragged up and down for its distance, sideways for its pan; what is asked can be heard
// against what is there. The table of places says and does the same by keyboard.

import { written } from "../../common/js/figures.js";
import { hearOther } from "../../common/js/proposals.js";
import { edit } from "../../common/js/requests.js";
import { sectionAt } from "../../common/js/songstrip.js";
import { metresAt, pannedBy, rounded, sendGains, within } from "./scale.js";

const LEAST_PX = 5;
const KEY_STEP = 1.05;
const ROW_KEYS = { 0: "dry", 1: "front", 2: "middle", 3: "back" };
const $ = (selector) => document.querySelector(selector);
const SVG = "http://www.w3.org/2000/svg";
let hold = null;
let focusing = "";

/**
 * Show the page with other things chosen; what is not named stays, and what was chosen while an answer is awaited too.
 * The focus goes to the element whose id is `focused`, as soon as there is one.
 */
export function show(changes, focused = "") {
  focusing = focused;
  const state = $("#screen-state");
  for (const [name, value] of Object.entries(changes)) {
    for (const input of state.querySelectorAll(`[name="${name}"]`)) input.remove();
    for (const each of [value].flat()) state.append(Object.assign(document.createElement("input"), { type: "hidden", name, value: each }));
  }
  const query = new URLSearchParams([...state.querySelectorAll("input:not([name=view])")].map(({ name, value }) => [name, value]));
  query.set("at", $("#play-at").value);
  const shown = window.htmx.ajax("GET", `${$("[data-hall]").dataset.hall}?${query}`, { source: state, target: "#page", swap: "innerHTML" });
  return shown.catch(() => undefined); // a later choice takes its place
}

function begin(event) {
  const token = event.target.closest?.("[data-token]");
  if (!token || event.button) return;
  event.preventDefault();
  const mark = document.createElementNS(SVG, "g");
  mark.setAttribute("class", "hall-drag");
  mark.innerHTML = `<path/><circle r="12"/><text/>`;
  hold = { token, mark, x: Number(token.dataset.x), y: Number(token.dataset.y), from: [event.clientX, event.clientY], way: "", said: null };
}

/** Let the sends into spaces follow the hand, as long as it holds the source; in the section that is shown. */
function listen(player) {
  const source = hold.token.dataset.token;
  hold.live = JSON.parse(hold.token.dataset.liveSends);
  hold.criticalM = Number(hold.token.closest("svg").dataset.criticalM);
  hold.isHeard = player.isPlaying && hold.live.sends.length > 0 && !$("[data-propose]");
  if (hold.isHeard) player.hold(hold.live.sends.map(([target]) => `send/${source}/${target}`), { section: $("#screen-state [name=section]").value });
}

function move(event, player) {
  const [dx, dy] = [event.clientX - hold.from[0], event.clientY - hold.from[1]];
  if (!hold.way) {
    if (Math.hypot(dx, dy) < LEAST_PX) return;
    hold.way = Math.abs(dx) > Math.abs(dy) ? "pan" : "asked";
    hold.token.closest("svg").append(hold.mark);
    if (hold.way === "asked") listen(player);
  }
  const isPan = hold.way === "pan";
  const metres = rounded(metresAt(hold.y + dy));
  const pan = pannedBy(hold.x, dx);
  hold.said = isPan ? pan : metres;
  if (hold.isHeard) player.setHeld(sendGains(hold.live, metres, hold.criticalM));
  const [x, y] = isPan ? [428 + 3 * pan, hold.y] : [hold.x, hold.y + dy];
  draw(x, y, isPan ? `${written(String(pan))} %` : `${written(metres.toFixed(1))} m`);
}

function draw(x, y, text) {
  const [way, ring, words] = hold.mark.children;
  way.setAttribute("d", `M${hold.x} ${hold.y}L${x} ${y}`);
  ring.setAttribute("cx", String(x));
  ring.setAttribute("cy", String(y));
  words.setAttribute("x", String(x - 20));
  words.setAttribute("y", String(y + 4));
  words.textContent = text;
}

function end(isTaken, player) {
  const { token, mark, way, said, isHeard } = hold;
  if (isHeard) player.release(false); // it is a proposal
  hold = null;
  mark.remove();
  const source = token.dataset.token;
  if (!isTaken) return;
  if ($("[data-propose]")) return way === "asked" && show({ [`place-${source}`]: String(said) });
  if (!way) return show({ source, asked: "" });
  if (way === "asked") return show({ source, asked: String(said), refused: source === $("#screen-state [name=source]").value ? refused() : [] });
  document.querySelector("#screen-state [name=source]").value = source;
  edit($("[data-hall]").dataset.panUrl, { pan: String(said) });
}

function refused() {
  return [...document.querySelectorAll("#screen-state [name=refused]")].map(({ value }) => value);
}

function onPlaceKey(event, link) {
  const links = [...document.querySelectorAll("[data-place]")];
  const step = { ArrowUp: -1, ArrowDown: 1 }[event.key];
  const factor = { ArrowLeft: 1 / KEY_STEP, ArrowRight: KEY_STEP }[event.key];
  if (step) links[links.indexOf(link) + step]?.focus();
  else if (factor) askFrom(link, factor);
  else return;
  event.preventDefault();
}

function askFrom(link, factor) {
  const source = link.dataset.place;
  const isHeld = source === $("#screen-state [name=source]").value;
  const asked = Number((isHeld && $("#screen-state [name=asked]").value) || link.dataset.distance);
  if (!asked) return;
  show({ source, asked: within(asked * factor).toFixed(2), refused: isHeld ? refused() : [] }, link.id);
}

/** Hear the other of what is there and what is proposed, in the section that is shown. */
function hear(player) {
  const shown = $("#screen-state [name=section]")?.value;
  const box = [...document.querySelectorAll("[data-section-box]")].find((each) => each.dataset.id === shown);
  return hearOther(player, box && { start: Number(box.dataset.start), end: Number(box.dataset.end) });
}

/** Show the section that is played, as long as nothing is asked. */
function follow(player) {
  const state = $("#screen-state[data-view=hall]");
  const box = sectionAt(player.sample);
  if (!state || !box || !player.isPlaying || hold) return;
  if ($("[data-propose]")) return;
  const [shown, asked] = ["section", "asked"].map((name) => state.querySelector(`[name=${name}]`).value);
  if (!asked && shown !== box.dataset.id) show({ section: box.dataset.id });
}

function onClick(event, player) {
  const { target } = event;
  const scope = target.closest?.("[data-scope]")?.dataset.scope;
  if (scope) show({ scope });
  if (target.closest?.("[data-hear-proposal]")) hear(player);
}

/** Put an instrument whose row has the focus into another one. */
function choose(event, row) {
  const { target } = event;
  event.preventDefault();
  target.value = row;
  show({ [`place-${target.dataset.rowOf}`]: row }, target.id);
}

function onChange({ target }) {
  if (target.matches?.("[data-ghosts]")) $("[data-ghost-marks]").classList.toggle("is-hidden", !target.checked);
  if (target.matches?.("[data-keep]")) show({ keep: target.checked ? "yes" : "" });
  if (target.matches?.("[data-row-of]")) show({ [`place-${target.dataset.rowOf}`]: target.value });
  if (target.matches?.("[data-verses]")) show({ verses: target.value });
  if (target.matches?.("[data-leave]")) show({ left: [...document.querySelectorAll("[data-leave]:not(:checked)")].map((box) => box.dataset.leave) });
  if (target.matches?.("[data-refuse]")) show({ refused: [...document.querySelectorAll("[data-refuse]:not(:checked)")].map((box) => box.dataset.refuse) });
}

/** Give the focus to what waits for it; a page that is still being worked out has nothing to give it to. */
function focusAgain() {
  const element = focusing && document.getElementById(focusing);
  if (!element) return;
  focusing = "";
  element.focus();
}

export function bindHall(player) {
  document.addEventListener("htmx:afterSettle", ({ target }) => target.id === "page" && focusAgain());
  document.addEventListener("pointerdown", begin);
  document.addEventListener("pointermove", (event) => hold && move(event, player));
  document.addEventListener("pointerup", () => hold && end(true, player));
  document.addEventListener("click", (event) => onClick(event, player));
  document.addEventListener("change", onChange);
  document.addEventListener("section-changed", () => follow(player));
  document.addEventListener("keydown", (event) => {
    if (event.key === "Escape" && hold) return end(false, player);
    if (event.key === "Escape" && $("[data-hall-discard]") && !event.target.matches("input")) return $("[data-hall-discard]").click();
    const row = event.target.matches?.("[data-row-of]") && ROW_KEYS[event.key];
    if (row && !event.altKey && !event.ctrlKey && !event.metaKey) return choose(event, row);
    const link = event.target.closest?.("[data-place]");
    if (link && !event.altKey && !event.ctrlKey && !event.metaKey) onPlaceKey(event, link);
  });
}
