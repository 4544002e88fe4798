// Going to places of the song: the dock's song strip, and the loop around one of them.

import { keep, kept } from "./kept.js";
import { sectionAt, xOn } from "./songstrip.js";

const SCRUB_PX = 4;

export function bindSeeking(player, dock) {
  const find = (selector) => dock.querySelector(selector);

  function setLoop(box) {
    player.setLoop(box ? { start: Number(box.dataset.start), end: Number(box.dataset.end) } : null);
    find("[data-loop]").setAttribute("aria-pressed", String(Boolean(box)));
    const mark = find("[data-loop-mark]");
    mark.setAttribute("visibility", box ? "visible" : "hidden");
    if (!box) return;
    const left = xOn(player.loop.start / player.manifest.endSample);
    const right = xOn(player.loop.end / player.manifest.endSample);
    mark.querySelector("path").setAttribute("d", `M${left} 16H${right}M${left - 3} 19l6-6M${right - 3} 19l6-6`);
    const words = mark.querySelector("text");
    words.setAttribute("x", String(Math.min(Math.max((left + right) / 2, 40), xOn(1) - 40)));
    words.textContent = `loop ${box.dataset.name}`;
  }

  // A reload goes on from where the song was, with its loop.
  window.addEventListener("pagehide", () => keep("place", { sample: Math.round(player.sample), loop: player.loop && sectionAt(player.loop.start)?.dataset.id }));
  player.addEventListener("manifest", () => {
    const { sample, loop } = kept("place") ?? {};
    if (loop) setLoop(find(`[data-section-box][data-id="${CSS.escape(loop)}"]`));
    if (sample) player.seek(Math.min(sample, player.manifest.stopSample - 1));
  }, { once: true });

  dock.addEventListener("click", ({ target }) => {
    if (target.closest("[data-to-section-start]")) player.seek(Number(sectionAt(player.sample)?.dataset.start ?? 0));
    else if (target.closest("[data-loop]")) setLoop(player.loop ? null : sectionAt(player.sample));
  });
  dock.addEventListener("keydown", (event) => {
    const box = event.target.closest?.("[data-section-box]");
    if (!box || event.key !== "Enter") return;
    event.preventDefault();
    if (player.loop) setLoop(box);
    player.seek(Number(box.dataset.start));
  });

  // On the song strip a click goes there, a drag looks for the place by ear.
  let scrub = null;
  function sampleUnder(event) {
    const box = find("[data-song-strip]").getBoundingClientRect();
    return Math.min(Math.max((event.clientX - box.left - 1) / xOn(1), 0), 1) * player.manifest.endSample;
  }
  dock.addEventListener("pointerdown", (event) => {
    if (event.target.closest("[data-song-strip]") && !event.button && player.manifest) scrub = { from: event.clientX, wasPlaying: player.isPlaying, isMoved: false };
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
}
