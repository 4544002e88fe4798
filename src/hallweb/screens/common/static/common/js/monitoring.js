// What is heard of the song: the mix, the dry sound or the returns; some returns or tracks alone; a return without its tone.

import { chosenTracks } from "./chosentracks.js";
import { keep, kept } from "./kept.js";

const NAMES = { full: "Full mix", dry: "Dry only", returns: "Returns only" };

/** Return what is soloed once `id` was pressed: Shift adds it to the others, Alt lets the dry sound be heard with it. */
export function soloed(solos, id, { shiftKey = false, altKey = false } = {}) {
  const left = solos.filter((other) => other !== id);
  if (solos.includes(id)) return shiftKey && left.some((other) => other !== "dry") ? left : [];
  return [...new Set([...(shiftKey ? solos : []), id, ...(altKey ? ["dry"] : [])])];
}

/** Return the tracks that are heard alone once `id` was pressed, by itself or beside those that are so already. */
export function toggledAlone(alone, id, isBeside) {
  const isOn = alone.includes(id);
  if (isBeside) return isOn ? alone.filter((other) => other !== id) : [...alone, id];
  return isOn && alone.length === 1 ? [] : [id];
}

/** Return in words what is heard; solos and tracks are told by name. */
export function monitoringWords({ listen, solos = [], withDry = false, tracks = [], isTail = false, plain = "", isUnsent = false, isMono = false, matched = "", isLate = false }) {
  const alone = tracks.length ? ` of ${tracks.length > 2 ? `${tracks.length} tracks` : tracks.join(" and ")} alone` : "";
  const heard = solos.length ? `Only ${solos.join(" and ")}, ${withDry ? "with the dry sound" : "nothing else"}` : `${NAMES[listen]}${alone}`;
  const words = [isTail ? "Sources stopped: what rings on" : heard];
  if (plain) words.push(`${plain} without its tone`);
  if (isUnsent) words.push("nothing is sent");
  if (isMono) words.push("in mono");
  if (matched) words.push(matched);
  if (isLate) words.push("the next is getting ready");
  return words.join(", ");
}

export function bindMonitoring(player, matching) {
  const heard = kept("heard") ?? { listen: "full", solos: [] };
  const trackNames = new Map(kept("alone"));
  player.alone = [...trackNames.keys()];

  const laneName = (id) => player.manifest?.lanes.find((lane) => lane.id === id)?.name;

  function show() {
    const { listen, solos } = heard;
    const words = monitoringWords({
      listen,
      solos: solos.filter((id) => id !== "dry").map((id) => laneName(id) ?? id),
      withDry: solos.includes("dry"),
      tracks: player.alone.map((id) => trackNames.get(id) ?? id),
      isTail: player.isRinging,
      plain: laneName(player.plain),
      isUnsent: player.isUnsent,
      isMono: player.isMono,
      isLate: player.isBehind || Boolean(player.preparing),
      matched: matching.words,
    });
    const place = document.querySelector("[data-monitoring]");
    place.textContent = words;
    place.title = words;
    press("listen", (name) => !solos.length && name === listen);
    press("solo", (id) => solos.includes(id));
    press("solo-track", (id) => player.alone.includes(id));
    for (const button of document.querySelectorAll("[data-solo-group]")) button.setAttribute("aria-pressed", String(isGroupAlone(membersOf(button))));
    press("plain", (id) => id === player.plain);
  }

  /** Show each button that has `data-NAME` as pressed or not, by what the attribute says. */
  function press(name, isPressed) {
    for (const button of document.querySelectorAll(`[data-${name}]`)) button.setAttribute("aria-pressed", String(isPressed(button.getAttribute(`data-${name}`))));
  }

  /** Return the tracks and the returns of a group whose button this is. */
  function membersOf(button) {
    const [tracks, returns] = [button.dataset.groupTracks, button.dataset.groupReturns].map((ids) => (ids ?? "").split(" ").filter(Boolean));
    return { tracks, returns };
  }

  const isSame = (ids, others) => ids.length > 0 && ids.length === others.length && ids.every((id) => others.includes(id));

  const isGroupAlone = ({ tracks, returns }) => (tracks.length ? isSame(tracks, player.alone) : isSame(returns, heard.solos));

  // A group's tracks are heard alone with what they feed; a group of returns alone is heard as those returns.
  function soloGroup(button) {
    const members = membersOf(button);
    members.tracks.forEach((id, index) => trackNames.set(id, button.dataset.groupNames.split("|")[index]));
    const isOn = isGroupAlone(members);
    if (!members.tracks.length) return choose(heard.listen, isOn ? [] : members.returns);
    hearAlone(isOn ? [] : members.tracks);
  }

  function choose(listen, solos) {
    Object.assign(heard, { listen, solos });
    keep("heard", heard);
    if (player.manifest) player.mixer.choose(listen, solos);
    matching.isDry = listen === "dry" && !solos.length;
    matching.apply();
    show();
  }

  function hearAlone(tracks) {
    for (const button of document.querySelectorAll("[data-solo-track]")) trackNames.set(button.dataset.soloTrack, button.dataset.name);
    keep("alone", tracks.map((id) => [id, trackNames.get(id)]));
    player.hearAlone(tracks);
    show();
  }

  document.addEventListener("click", (event) => {
    const pressed = (name) => event.target.closest(`[data-${name}]`)?.getAttribute(`data-${name}`);
    const listen = pressed("listen");
    if (listen) choose(listen, []);
    const solo = pressed("solo");
    if (solo) choose(heard.listen, soloed(heard.solos, solo, event));
    const track = pressed("solo-track");
    if (track) hearAlone(toggledAlone(player.alone, track, event.shiftKey));
    if (event.target.closest("[data-solo-chosen]")) hearAlone(chosenTracks());
    const group = event.target.closest("[data-solo-group]");
    if (group) soloGroup(group);
    const plain = pressed("plain");
    if (plain) player.hearPlain(player.plain === plain ? "" : plain).then(show);
  });
  document.addEventListener("htmx:afterSettle", show);
  matching.addEventListener("change", show);
  player.addEventListener("state", show);
  player.addEventListener("manifest", () => choose(heard.listen, heard.solos.filter(laneName)));
}
