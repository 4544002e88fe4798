// What a listening link opens: prints that are heard one against another, equally loud and at one place; comments at a bar and beat.

import { bindFailures } from "../../common/js/screens.js";
import { gainOf, placeAt, secondsOf } from "./places.js";

const FADE_S = 0.02;
const prints = () => [...document.querySelectorAll("[data-print]")];
const find = (selector) => document.querySelector(selector);

let context = null;
let playing = null; // { source, gain, began, offset }
let offset = 0;
let chosen = 0;
let isPlaceTyped = false;
const sounds = new Map();
const beats = new Map();

function beatsOf({ dataset }) {
  if (!beats.has(dataset.beats)) beats.set(dataset.beats, JSON.parse(document.getElementById(dataset.beats).textContent));
  return beats.get(dataset.beats);
}

function say(words) {
  find("[data-state]").textContent = words;
}

/** Fetch and decode a print once; whole, so that going from one to another is exact to the sample. */
function soundOf(print) {
  const url = print.querySelector("[data-hear]").dataset.sound;
  if (!sounds.has(url)) {
    const sound = fetch(url)
      .then((answer) => (answer.ok ? answer.arrayBuffer() : Promise.reject(new Error(String(answer.status)))))
      .then((bytes) => context.decodeAudioData(bytes));
    sound.catch(() => sounds.delete(url));
    sounds.set(url, sound);
  }
  return sounds.get(url);
}

function now() {
  return playing ? Math.min(playing.offset + context.currentTime - playing.began, playing.source.buffer.duration) : offset;
}

function fadeOut({ source, gain }) {
  gain.gain.setTargetAtTime(0, context.currentTime, FADE_S / 3);
  source.stop(context.currentTime + FADE_S);
}

function stop() {
  if (!playing) return;
  offset = now();
  fadeOut(playing);
  playing = null;
  show();
}

async function play() {
  context ??= new AudioContext();
  await context.resume();
  const print = prints()[chosen];
  let buffer;
  say("Getting ready.");
  try {
    buffer = await soundOf(print);
  } catch {
    say("This print cannot be heard now. Reload the page; if it stays so, ask for a new link.");
    return;
  }
  if (print !== prints()[chosen]) return; // another one was chosen meanwhile
  const from = now() >= buffer.duration ? 0 : now();
  if (playing) fadeOut(playing);
  const source = new AudioBufferSourceNode(context, { buffer });
  const gain = new GainNode(context, { gain: 0 });
  source.connect(gain).connect(context.destination);
  gain.gain.setTargetAtTime(gainOf(Number(print.querySelector("[data-hear]").dataset.gainDb)), context.currentTime, FADE_S / 3);
  source.start(0, from);
  playing = { source, gain, began: context.currentTime, offset: from };
  source.addEventListener("ended", () => {
    if (playing?.source !== source) return;
    playing = null;
    offset = 0;
    show();
  });
  say(`You hear ${print.querySelector("h2").textContent}.`);
  show();
}

function choose(index) {
  if (!prints()[index]) return;
  chosen = index;
  play();
}

function seek(seconds) {
  const wasPlaying = Boolean(playing);
  if (playing) fadeOut(playing);
  playing = null;
  offset = Math.max(seconds, 0);
  if (wasPlaying) play();
  else show();
}

function lengthOf(print) {
  return Number(print.dataset.seconds);
}

function show() {
  const all = prints();
  if (!all.length) return;
  const current = all[chosen] ?? all[0];
  const button = find("[data-play]");
  button.textContent = playing ? "Stop" : "Play";
  button.setAttribute("aria-pressed", String(Boolean(playing)));
  all.forEach((print) => {
    print.querySelector("[data-hear]").setAttribute("aria-pressed", String(Boolean(playing) && print === current));
    const width = print.querySelector("[data-strip]").viewBox.baseVal.width;
    const share = Math.min(now() / lengthOf(print), 1); // each is as long as its own tail lets it be
    print.querySelector("[data-head]").setAttribute("transform", `translate(${share * width} 0)`);
  });
  if (document.activeElement !== find("[data-seek]")) find("[data-seek]").value = String(now() / lengthOf(current));
  const place = placeAt(beatsOf(current), now());
  find("[data-place]").textContent = place;
  const said = find("[data-say]").elements;
  if (document.activeElement !== said.at && !isPlaceTyped && !said.text.value) said.at.value = place; // what is being written stays where it began
  said.heard.value = current.querySelector("h2").textContent;
  if (playing) requestAnimationFrame(show);
}

document.addEventListener("click", (event) => {
  const hear = event.target.closest("[data-hear]");
  const strip = event.target.closest("[data-strip]");
  const place = event.target.closest("[data-go-to]");
  if (hear) choose(prints().indexOf(hear.closest("[data-print]")));
  else if (event.target.closest("[data-play]")) playing ? stop() : play();
  else if (strip) {
    const box = strip.getBoundingClientRect();
    seek(((event.clientX - box.left) / box.width) * lengthOf(strip.closest("[data-print]")));
  } else if (place) seek(secondsOf(beatsOf(prints()[chosen]), place.dataset.goTo));
});
document.addEventListener("input", ({ target }) => {
  if (target.matches("[data-seek]")) seek(Number(target.value) * lengthOf(prints()[chosen]));
  else if (target === find("[data-say]").elements.at) isPlaceTyped = target.value !== "";
});
document.addEventListener("keydown", (event) => {
  if (event.target.matches("input:not([type=range])") || event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key === " ") {
    event.preventDefault();
    playing ? stop() : play();
  } else if (Number(event.key)) choose(Number(event.key) - 1);
});
document.addEventListener("keyup", (event) => event.key === " " && event.target.matches("button") && event.preventDefault());
document.addEventListener("htmx:afterSettle", show);
document.addEventListener("htmx:afterRequest", ({ detail }) => {
  if (!detail.successful || !detail.elt.matches("[data-say]")) return;
  detail.elt.elements.text.value = "";
  isPlaceTyped = false;
});
bindFailures();
show();
