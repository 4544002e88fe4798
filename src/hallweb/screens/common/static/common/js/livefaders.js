// Mutes and typed levels of returns, heard as they are pressed or typed: the lane's gain changes at once, the edit follows.

import { gainOf } from "./levels.js";

/** Return a lane's fader with its mute turned. */
export function turnedMute({ gains, open }) {
  const isOpen = gains.some((gain) => gain > 0);
  return { gains: isOpen ? [0, 0] : open };
}

/** Return a lane's fader at another level, written as before and as now; nothing changes where a move sets its level. */
export function levelled({ gains, open, isLevelStill }, before, now) {
  const [was, is] = [gainOf(before), gainOf(now)];
  if (!isLevelStill || !was) return {};
  const isOpen = gains.some((gain) => gain > 0);
  const changed = open.map((gain) => (gain / was) * is);
  return { open: changed, gains: isOpen ? changed : gains };
}

const A_LEVEL = /^[-\u2212+]?\d+([.,]\d+)?( ?dB)?$/i;

export function bindLiveFaders(player) {
  document.addEventListener("click", ({ target }) => {
    const id = target.closest?.("[id^=mute-]")?.id.replace("mute-", "");
    if (id) player.setFader(id, turnedMute);
  });
  document.addEventListener("change", ({ target }) => {
    if (target.dataset?.path !== "return/level_db" || !A_LEVEL.test(target.value.trim())) return;
    const id = target.dataset.held.split("/")[1];
    player.setFader(id, (lane) => levelled(lane, target.dataset.initial, target.value.replace(/ ?dB/i, "")));
  }, { capture: true });
}
