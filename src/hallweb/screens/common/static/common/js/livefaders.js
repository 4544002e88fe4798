// Mutes and typed levels of returns, heard as they are pressed or typed: the lane's gain changes at once, the edit follows.

import { gainOf } from "./levels.js";

/** Return the factors at which a lane is heard: its own, where it is not muted, times that of its group. */
export function heardGains({ open, isMuted, groupGain = 1 }) {
  return open.map((gain) => (isMuted ? 0 : gain * groupGain));
}

/** Return a lane's fader with its mute turned. */
export function turnedMute({ isMuted }) {
  return { isMuted: !isMuted };
}

/** Return a lane's fader at another level, written as before and as now; nothing changes where a move sets its level. */
export function levelled({ open, isLevelStill }, before, now) {
  const [was, is] = [gainOf(before), gainOf(now)];
  if (!isLevelStill || !was) return {};
  return { open: open.map((gain) => (gain / was) * is) };
}

const A_LEVEL = /^[-\u2212+]?\d+([.,]\d+)?( ?dB)?$/i;

/** Return what was typed as a level in dB without its unit; null where the server has to read it. */
export function typedLevel(text) {
  return A_LEVEL.test(text.trim()) ? text.trim().replace(/ ?dB/i, "") : null;
}

export function bindLiveFaders(player) {
  document.addEventListener("click", ({ target }) => {
    const id = target.closest?.("[id^=mute-]")?.id.replace("mute-", "");
    if (id) player.setFaders((lane) => lane.id === id, turnedMute);
  });
  document.addEventListener("change", ({ target }) => {
    const level = target.dataset?.path === "return/level_db" ? typedLevel(target.value) : null;
    if (level === null) return;
    const id = target.dataset.held.split("/")[1];
    player.setFaders((lane) => lane.id === id, (lane) => levelled(lane, target.dataset.initial, level));
  }, { capture: true });
}
