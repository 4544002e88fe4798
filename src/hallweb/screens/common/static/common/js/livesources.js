// Levels, mutes and pans of tracks and groups, heard in the dry sound as they are pressed or typed; what they feed follows.
// What the pointer or the focus is on is fetched beforehand, so that a press finds its sound at hand.

import { editsAhead } from "./edits.js";
import { gainOf, sidesOf } from "./levels.js";
import { typedLevel } from "./livefaders.js";
import { toggledAlone } from "./monitoring.js";

const SIDES = { level: [""], pan: ["left", "right"] };
const A_PAN = /^[-\u2212+]?\d{1,3}( ?%)?$/;

const fieldOf = (id) => document.querySelector(`[data-live="${id}"][data-sets=level]`);
const muteOf = (id) => document.querySelector(`button[data-live="${id}"]`);
const isMuted = (id) => muteOf(id)?.getAttribute("aria-pressed") === "true";

/** Return the gains by which a typed value changes each of its parts; null where only the server can read it. */
export function changedGains(drag, before, now) {
  if (drag === "pan") {
    const isPan = A_PAN.test(now.trim()) && Math.abs(Number.parseInt(now.replace("\u2212", "-"), 10)) <= 100;
    if (!isPan) return null;
    const old = sidesOf(before);
    return sidesOf(now.replace(/ ?%/, "")).map((gain, side) => gain - old[side]);
  }
  const level = typedLevel(now);
  return level === null ? null : [gainOf(level) - gainOf(before)];
}

/** Return what is fetched beforehand for an element: the parts of its value, or the tracks that its press lets be heard alone. */
function anticipated({ dataset }, player) {
  if (dataset.live) return { what: `source/${dataset.live}`, sides: SIDES[dataset.sets ?? "level"] };
  const tracks = dataset.soloTrack ? toggledAlone(player.alone, dataset.soloTrack, false) : dataset.groupTracks.split(" ").filter(Boolean);
  return { alone: tracks };
}

export function bindLiveSources(player) {
  const isHeard = (id) => {
    const tracks = muteOf(id)?.dataset.groupTracks?.split(" ") ?? [id];
    return !player.alone.length || tracks.every((track) => player.alone.includes(track));
  };
  const promise = (id, gains, sides) => isHeard(id) && player.promise({ what: `source/${id}`, sides }, gains, editsAhead());

  function onMute(button) {
    const { live: id, level } = button.dataset;
    const turned = !isMuted(id);
    button.setAttribute("aria-pressed", String(turned)); // as the answer will say
    const gain = gainOf(fieldOf(id)?.value ?? level);
    promise(id, [turned ? -gain : gain], SIDES.level);
    player.setFaders((lane) => lane.group === id, () => ({ groupGain: turned ? 0 : gain }));
  }

  function onTyped({ value, dataset: { live: id, sets, initial } }) {
    const gains = changedGains(sets, initial, value);
    if (!gains || isMuted(id)) return;
    promise(id, gains, SIDES[sets]);
    if (sets === "level") player.setFaders((lane) => lane.group === id, ({ groupGain }) => ({ groupGain: groupGain + gains[0] }));
  }

  function onNear({ target }) {
    const near = target.closest?.("[data-live], [data-solo-track], [data-solo-group]");
    if (near) player.anticipate(anticipated(near, player));
  }

  document.addEventListener("pointerover", onNear);
  document.addEventListener("focusin", onNear);
  document.addEventListener("click", onNear); // a solo that was pressed may be pressed again
  document.addEventListener("click", ({ target }) => {
    const button = target.closest?.("button[data-live]");
    if (button) onMute(button);
  }, { capture: true });
  document.addEventListener("change", ({ target, detail }) => {
    if (target.dataset?.live && target.dataset.sets && !detail?.isHeard) onTyped(target);
  }, { capture: true });
  document.addEventListener("htmx:afterRequest", ({ detail }) => {
    const isRefused = detail.xhr.status >= 400 && detail.elt.matches?.("button[data-live]");
    if (isRefused) detail.elt.setAttribute("aria-pressed", String(!isMuted(detail.elt.dataset.live)));
  });
}
