// The dock: transport, position, the strip of sections, and what is heard.

import { say } from "./screens.js";
import { sectionAt } from "./strip.js";
import { beatAt } from "./timeline.js";
import { chosenTracks } from "./chosentracks.js";

const WIDTH = 558;
const SCRUB_PX = 4;
const NAMES = { full: "Full mix", dry: "Dry only", returns: "Returns only" };
const $ = (selector) => document.querySelector(selector);

function clock(samples, rate) {
  const seconds = samples / rate;
  return `${Math.floor(seconds / 60)}:${(seconds % 60).toFixed(1).padStart(4, "0")}`;
}

export function bindDock(player, matching) {
  const dock = document.getElementById("player");
  let shown = -1;

  function draw() {
    requestAnimationFrame(draw);
    const { manifest, sample } = player;
    if (player.tail) showTail();
    if (!manifest || sample === shown) return;
    shown = sample;
    const [, bar, beat] = beatAt(manifest.beats, sample);
    tellPlace(bar);
    $("[data-position]").textContent = sample > manifest.endSample ? "tail" : `${bar}.${beat}`;
    $("[data-time]").textContent = clock(sample, manifest.sampleRate);
    $("[data-length]").textContent = clock(manifest.endSample, manifest.sampleRate);
    const x = Math.min((sample / manifest.endSample) * WIDTH, WIDTH);
    $("[data-play-mark]").setAttribute("transform", `translate(${x} 0)`);
    const here = sectionAt(sample);
    if (!here || here.classList.contains("is-here")) return;
    document.querySelector(".strip-section.is-here")?.classList.remove("is-here");
    here.classList.add("is-here");
    $("[data-section]").textContent = here.dataset.name;
    document.dispatchEvent(new Event("section-changed"));
  }

  // Pictures are drawn against the tempo where the song is: the place is told with every request, and where the tempo
  // has become another one, they are drawn anew.
  function tellPlace(bar) {
    const place = $("#play-at");
    if (place.value === `${bar}|1`) return;
    place.value = `${bar}|1`;
    const drawn = Number(document.getElementById("screen-state")?.dataset.beatS);
    const { beats, sampleRate } = player.manifest;
    const index = beats.findIndex(([, each]) => each === bar);
    if (!drawn || !beats[index + 1]) return;
    const now = (beats[index + 1][0] - beats[index][0]) / sampleRate;
    if (Math.abs(now / drawn - 1) > 0.01 && !document.querySelector("#sheet :is(input, select):focus, .handle.is-held")) document.dispatchEvent(new Event("tempo-changed"));
  }

  // While returns ring on: for how long they have; under -60 dB the check is over.
  function showTail() {
    const button = $("[data-tail]");
    const { tail } = player;
    button.setAttribute("aria-pressed", String(Boolean(tail)));
    if (!tail) return (button.textContent = "Tail check");
    const seconds = (player.sample - tail.end) / player.manifest.sampleRate;
    button.textContent = `ringing ${Math.max(seconds, 0).toFixed(1)} s`;
    if (seconds > 0.5 && player.isPlaying && player.wetPeak < -60) player.endTail();
  }

  function showState() {
    showTail();
    const play = $("[data-play]");
    play.setAttribute("aria-pressed", String(player.isPlaying));
    play.setAttribute("aria-label", player.isPlaying ? "Stop" : "Play");
    play.toggleAttribute("data-waiting", player.isWaiting);
    $("[data-cut-sends]").setAttribute("aria-pressed", String(player.sendsEnd !== null));
    shown = -1;
  }

  function showHearing() {
    const { listen, solos } = heard;
    const plain = player.manifest?.lanes.find((l) => l.id === player.plain);
    const heardWords = solos.length ? soloWords(solos) : `${NAMES[listen]}${aloneWords()}`;
    const words = [player.tail ? "Sources stopped: what rings on" : heardWords];
    if (plain) words.push(`${plain.name} without its tone`);
    if (player.sendsEnd !== null) words.push("nothing is sent");
    if (matching.words) words.push(matching.words);
    $("[data-monitoring]").textContent = words.join(", ");
    $("[data-monitoring]").title = words.join(", ");
    for (const button of document.querySelectorAll("[data-listen]")) button.setAttribute("aria-pressed", String(!solos.length && button.dataset.listen === listen));
    for (const button of document.querySelectorAll("[data-solo-track]")) button.setAttribute("aria-pressed", String(player.alone.includes(button.dataset.soloTrack)));
    for (const button of document.querySelectorAll("[data-solo]")) button.setAttribute("aria-pressed", String(solos.includes(button.dataset.solo)));
    for (const button of document.querySelectorAll("[data-plain]")) button.setAttribute("aria-pressed", String(button.dataset.plain === player.plain));
  }

  function aloneWords() {
    if (!player.alone.length) return "";
    const names = player.alone.map((id) => aloneNames.get(id) ?? id);
    return ` of ${names.length > 2 ? `${names.length} tracks` : names.join(" and ")} alone`;
  }

  const aloneNames = new Map();
  function hearAlone(tracks) {
    for (const button of document.querySelectorAll("[data-solo-track]")) aloneNames.set(button.dataset.soloTrack, button.dataset.name);
    player.hearAlone(tracks);
    showHearing();
  }

  function toggleAlone(id, isAdded) {
    const isOn = player.alone.includes(id);
    if (isAdded) hearAlone(isOn ? player.alone.filter((other) => other !== id) : [...player.alone, id]);
    else hearAlone(isOn && player.alone.length === 1 ? [] : [id]);
  }

  function soloWords(solos) {
    const names = solos.filter((id) => id !== "dry").map((id) => player.manifest?.lanes.find((lane) => lane.id === id)?.name ?? id);
    return `Only ${names.join(" and ")}, ${solos.includes("dry") ? "with the dry sound" : "nothing else"}`;
  }

  const heard = { listen: "full", solos: [] };
  function choose(listen, solos) {
    Object.assign(heard, { listen, solos });
    if (player.manifest) player.mixer.choose(listen, solos);
    matching.isDry = listen === "dry" && !solos.length;
    matching.apply();
    showHearing();
  }

  // Shift adds a return to those that are heard alone, Alt lets the dry sound be heard with it.
  function soloed(id, { shiftKey, altKey }) {
    const isOn = heard.solos.includes(id);
    const left = heard.solos.filter((other) => other !== id);
    if (isOn) return shiftKey && left.some((other) => other !== "dry") ? left : [];
    const others = shiftKey ? heard.solos : [];
    return [...new Set([...others, id, ...(altKey ? ["dry"] : [])])];
  }

  function setLoop(box) {
    player.setLoop(box ? { start: Number(box.dataset.start), end: Number(box.dataset.end) } : null);
    $("[data-loop]").setAttribute("aria-pressed", String(Boolean(box)));
    const mark = $("[data-loop-mark]");
    mark.setAttribute("visibility", box ? "visible" : "hidden");
    if (!box) return;
    const left = (player.loop.start / player.manifest.endSample) * WIDTH;
    const right = (player.loop.end / player.manifest.endSample) * WIDTH;
    mark.querySelector("path").setAttribute("d", `M${left} 16H${right}M${left - 3} 19l6-6M${right - 3} 19l6-6`);
    const words = mark.querySelector("text");
    words.setAttribute("x", String(Math.min(Math.max((left + right) / 2, 40), WIDTH - 40)));
    words.textContent = `loop ${box.dataset.name}`;
  }

  function toBox(box) {
    if (player.loop) setLoop(box);
    player.seek(Number(box.dataset.start));
  }

  dock.addEventListener("click", (event) => {
    const { target } = event;
    if (target.closest("[data-play]")) player.toggle();
    else if (target.closest("[data-to-section-start]")) player.seek(Number(sectionAt(player.sample)?.dataset.start ?? 0));
    else if (target.closest("[data-loop]")) setLoop(player.loop ? null : sectionAt(player.sample));
    else if (target.closest("[data-tail]")) player.checkTail();
    else if (target.closest("[data-listen]")) choose(target.closest("[data-listen]").dataset.listen, []);
    else if (target.closest("[data-again]")) player.again();
    else if (target.closest("[data-cut-sends]")) player.cutSends();
  });

  // On the strip a click goes there, a drag looks for the place by ear.
  let scrub = null;
  function sampleUnder(event) {
    const box = $("[data-strip]").getBoundingClientRect();
    return Math.min(Math.max((event.clientX - box.left - 1) / WIDTH, 0), 1) * player.manifest.endSample;
  }
  dock.addEventListener("pointerdown", (event) => {
    if (event.target.closest("[data-strip]") && !event.button && player.manifest) scrub = { from: event.clientX, wasPlaying: player.isPlaying, isMoved: false };
  });
  document.addEventListener("pointermove", (event) => {
    if (!scrub || (!scrub.isMoved && Math.abs(event.clientX - scrub.from) < SCRUB_PX)) return;
    scrub.isMoved = true;
    player.scrub(sampleUnder(event));
  });
  document.addEventListener("pointerup", (event) => {
    if (!scrub) return;
    const { isMoved, wasPlaying } = scrub;
    scrub = null;
    const sample = sampleUnder(event);
    if (player.loop) setLoop(sectionAt(sample));
    if (isMoved && wasPlaying) player.play(Math.round(sample));
    else player.seek(sample);
  });

  dock.addEventListener("keydown", (event) => {
    const box = event.target.closest?.("[data-section-box]");
    if (box && (event.key === "Enter" || event.key === " ")) {
      event.preventDefault();
      toBox(box);
    }
  });
  dock.addEventListener("change", (event) => {
    const { target } = event;
    if (target.matches("[data-soft-start]")) player.softStart = target.checked;
    if (target.matches("[data-pre-roll]")) player.hasPreRoll = target.checked;
    if (target.matches("[data-match-dry]")) matching.wantsDry(target.checked);
  });
  document.addEventListener("click", (event) => {
    const solo = event.target.closest("[data-solo]")?.dataset.solo;
    if (solo) choose(heard.listen, soloed(solo, event));
    const track = event.target.closest("[data-solo-track]")?.dataset.soloTrack;
    if (track) toggleAlone(track, event.shiftKey);
    if (event.target.closest("[data-solo-chosen]")) hearAlone(chosenTracks());
    const plain = event.target.closest("[data-plain]")?.dataset.plain;
    if (plain) player.hearPlain(player.plain === plain ? "" : plain).then(showHearing);
  });
  document.addEventListener("plan-changed", () => player.refresh());
  document.addEventListener("htmx:afterSettle", showHearing);
  matching.addEventListener("change", showHearing);
  player.addEventListener("state", () => {
    showState();
    showHearing();
  });
  player.addEventListener("manifest", () => {
    shown = -1;
  });
  player.addEventListener("manifest", () => choose(heard.listen, heard.solos.filter((id) => player.manifest.lanes.some((lane) => lane.id === id))));
  player.addEventListener("problem", () => say(`The ${player.problem}.`.replace("The sound", "Sound")));
  draw();
}
