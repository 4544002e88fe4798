// Going to places of the song: the dock's song strip, and the loop around one of them.

import { keep, kept } from "./kept.js";
import { sectionAt, xOn } from "./songstrip.js";
import { barsAround } from "./timeline.js";

const SCRUB_PX = 4;

export function bindSeeking(player, dock) {
  const find = (selector) => dock.querySelector(selector);

  function setLoop(loop) {
    player.setLoop(loop);
    const button = find("[data-loop]");
    button.setAttribute("aria-pressed", String(Boolean(loop)));
    button.dataset.loop = loop ? JSON.stringify(loop) : "";
    document.dispatchEvent(new CustomEvent("loop-set"));
    showLoop(loop);
  }

  function showLoop(loop) {
    const mark = find("[data-loop-mark]");
    mark.setAttribute("visibility", loop ? "visible" : "hidden");
    if (!loop) return;
    const [left, right] = [loop.start, loop.end].map((sample) => xOn(sample / player.manifest.endSample));
    mark.querySelector("path").setAttribute("d", `M${left} 16H${right}M${left - 3} 19l6-6M${right - 3} 19l6-6`);
    const words = mark.querySelector("text");
    words.setAttribute("x", String(Math.min(Math.max((left + right) / 2, 40), xOn(1) - 40)));
    words.textContent = `loop ${loop.name}`;
  }

  const sectionLoop = (box) => box && { start: Number(box.dataset.start), end: Number(box.dataset.end), name: box.dataset.name };

  // A reload goes on from where the song was, with its loop.
  window.addEventListener("pagehide", () => keep("place", { sample: Math.round(player.sample), loop: player.loop }));
  player.addEventListener("manifest", () => {
    const { sample, loop } = kept("place") ?? {};
    if (loop && loop.end <= player.manifest.endSample) setLoop(loop);
    if (sample) player.seek(Math.min(sample, player.manifest.stopSample - 1));
  }, { once: true });

  document.addEventListener("loop-asked", ({ detail }) => setLoop(detail));

  /** Go to the start of the section before (-1) or after (1) the one that is played. */
  function toSection(by) {
    const boxes = [...dock.querySelectorAll("[data-section-box]")];
    const next = boxes[boxes.indexOf(sectionAt(player.sample)) + by];
    if (!next) return;
    if (player.loop) setLoop(sectionLoop(next));
    player.seek(Number(next.dataset.start));
  }

  dock.addEventListener("click", ({ target }) => {
    if (target.closest("[data-to-section-start]")) player.seek(Number(sectionAt(player.sample)?.dataset.start ?? 0));
    else if (target.closest("[data-loop]")) setLoop(player.loop ? null : sectionLoop(sectionAt(player.sample)));
  });
  document.addEventListener("keydown", (event) => {
    if (!event.ctrlKey || !["ArrowLeft", "ArrowRight"].includes(event.key) || event.target.matches("input, textarea, select")) return;
    event.preventDefault();
    toSection(event.key === "ArrowRight" ? 1 : -1);
  });
  dock.addEventListener("keydown", (event) => {
    const box = event.target.closest?.("[data-section-box]");
    if (!box || event.key !== "Enter") return;
    event.preventDefault();
    if (player.loop) setLoop(sectionLoop(box));
    player.seek(Number(box.dataset.start));
  });

  // On the song strip a click goes there, a drag looks for the place by ear, a drag with Shift loops whole bars.
  let scrub = null;
  let looping = null;
  function sampleUnder(event) {
    const box = find("[data-song-strip]").getBoundingClientRect();
    const { x, width } = find("[data-song-strip]").viewBox.baseVal;
    const at = ((event.clientX - box.left) * width) / box.width + x; // the strip may be drawn at another width
    return Math.min(Math.max(at / xOn(1), 0), 1) * player.manifest.endSample;
  }
  dock.addEventListener("pointerdown", (event) => {
    if (!event.target.closest("[data-song-strip]") || event.button || !player.manifest) return;
    event.preventDefault();
    if (event.shiftKey) looping = { from: sampleUnder(event), loop: null };
    else scrub = { from: event.clientX, wasPlaying: player.isPlaying, isMoved: false };
  });
  document.addEventListener("pointermove", (event) => {
    if (looping) showLoop((looping.loop = barsAround(player.manifest, looping.from, sampleUnder(event))));
    if (!scrub || (!scrub.isMoved && Math.abs(event.clientX - scrub.from) < SCRUB_PX)) return;
    scrub.isMoved = true;
    player.scrub(sampleUnder(event));
  });
  document.addEventListener("pointerup", (event) => {
    if (looping) {
      setLoop(looping.loop ?? barsAround(player.manifest, looping.from, looping.from));
      looping = null;
      if (player.sample < player.loop.start || player.sample >= player.loop.end) player.seek(player.loop.start);
    }
    if (!scrub) return;
    const { isMoved, wasPlaying } = scrub;
    scrub = null;
    const sample = sampleUnder(event);
    if (player.loop && (sample < player.loop.start || sample >= player.loop.end)) setLoop(sectionLoop(sectionAt(sample)));
    if (isMoved && wasPlaying) player.play(Math.round(sample));
    else player.seek(sample);
  });
}
