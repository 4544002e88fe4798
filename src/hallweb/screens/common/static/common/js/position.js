// Where the song is: bar and beat, time, the mark on the song strip, the section; told to the pictures that follow the tempo.

import { eachFrame } from "./frames.js";
import { sectionAt, xOn } from "./songstrip.js";
import { beatAt } from "./timeline.js";

/** Return samples as minutes and seconds. */
export function clock(samples, rate) {
  const tenths = Math.round((samples / rate) * 10);
  return `${Math.floor(tenths / 600)}:${((tenths % 600) / 10).toFixed(1).padStart(4, "0")}`;
}

/** Return how long the first beat of a bar lasts, in seconds; null where no beat follows it. */
export function beatSeconds(beats, bar, rate) {
  const index = beats.findIndex(([, each]) => each === bar);
  return beats[index + 1] ? (beats[index + 1][0] - beats[index][0]) / rate : null;
}

export function bindPosition(player, dock) {
  const find = (selector) => dock.querySelector(selector);
  let shown = -1;

  function draw() {
    const { manifest, sample } = player;
    if (!manifest || sample === shown) return;
    shown = sample;
    const [, bar, beat] = beatAt(manifest.beats, sample);
    tellPlace(bar);
    find("[data-position]").textContent = sample > manifest.endSample ? "tail" : `${bar}.${beat}`;
    find("[data-time]").textContent = clock(sample, manifest.sampleRate);
    find("[data-length]").textContent = clock(manifest.endSample, manifest.sampleRate);
    find("[data-play-mark]").setAttribute("transform", `translate(${xOn(sample / manifest.endSample)} 0)`);
    const here = sectionAt(sample);
    if (!here || here.classList.contains("is-here")) return;
    document.querySelector(".song-strip-section.is-here")?.classList.remove("is-here");
    here.classList.add("is-here");
    find("[data-section]").textContent = here.dataset.name;
    document.dispatchEvent(new Event("section-changed"));
  }

  // Pictures are drawn against the tempo where the song is: the place is told with every request, and where the tempo
  // has become another one, they are drawn anew.
  function tellPlace(bar) {
    const place = document.getElementById("play-at");
    if (place.value === `${bar}|1`) return;
    place.value = `${bar}|1`;
    const drawn = Number(document.getElementById("screen-state")?.dataset.beatS);
    const now = beatSeconds(player.manifest.beats, bar, player.manifest.sampleRate);
    if (!drawn || now === null) return;
    if (Math.abs(now / drawn - 1) > 0.01 && !document.querySelector("#page :is(input, select):focus, .handle.is-held")) document.dispatchEvent(new Event("tempo-changed"));
  }

  const drawAnew = () => {
    shown = -1;
  };
  player.addEventListener("state", drawAnew);
  player.addEventListener("manifest", drawAnew);
  eachFrame(player, draw);
}
