// The list of songs: stems that are dropped make a new song, songs that were saved as files open; rows by keyboard; renaming in place.

import { bindFailures, say } from "../../common/js/screens.js";
import { bringAll, formOf, onFilesDropped, post } from "../../common/js/uploads.js";
import { titleOf } from "./titles.js";

const MAP = /\.midi?$/i;
const SONG = /\.zip$/i;

function zone() {
  return document.querySelector("[data-songs-drop]");
}

function goTo(page, refused) {
  if (!refused.length) return window.location.assign(page);
  const open = Object.assign(document.createElement("a"), { className: "btn btn-primary", href: page, textContent: "Open the new song" });
  zone().querySelector("[data-uploads]").append(open);
}

/** Open songs that were saved as files; one alone is shown. */
async function openSongs(files) {
  const { brought, refused } = await bringAll(files, zone().querySelector("[data-uploads]"), zone().dataset.openUrl);
  if (files.length === 1 && brought.length) return goTo(brought[0].page, refused);
  if (brought.length) window.htmx.ajax("GET", window.location.href, { target: "#songs", swap: "outerHTML" });
}

/** Make a song of files: stems become its tracks, a MIDI file its tempo, meters and sections. */
async function makeSong(stems, map) {
  const made = await post(zone().dataset.newUrl, formOf({ title: titleOf(stems.map(({ name }) => name)) }));
  if (made.status !== 200) return say(made.error ?? "The song could not be made; try again in a moment.");
  const { brought, refused } = await bringAll(stems, zone().querySelector("[data-uploads]"), made.uploads);
  let revision = 1;
  if (brought.length) await post(made.take, formOf({ path: brought.map(({ path }) => path), revision: revision++ }), { responseType: "text" });
  if (map) await post(made.map, formOf({ file: map, revision }), { responseType: "text" });
  goTo(made.page, refused);
}

function takeFiles(files) {
  const songs = files.filter(({ name }) => SONG.test(name));
  if (songs.length) return openSongs(songs);
  const stems = files.filter(({ name }) => !MAP.test(name));
  if (!stems.length) return say("Drop sound files: WAV, AIFF, FLAC, OGG or MP3; a MIDI file only goes with them.");
  return makeSong(stems, files.find(({ name }) => MAP.test(name)));
}

function row(target) {
  return target.closest?.("[data-song]");
}

function rename(song, isOpen) {
  song.querySelector("[data-rename]").hidden = !isOpen;
  song.querySelector(".song-name").hidden = isOpen;
  if (isOpen) song.querySelector("[data-rename] input").select();
  else song.querySelector(".song-name").focus();
}

function newSong(isOpen) {
  document.getElementById("new-song").hidden = !isOpen;
  document.querySelector("[data-new-song]").setAttribute("aria-expanded", String(isOpen));
  if (isOpen) document.getElementById("new-title").focus();
}

function step(song, by) {
  const songs = [...document.querySelectorAll("[data-song]")];
  songs[songs.indexOf(song) + by]?.querySelector(".song-name").focus();
}

function onKey(event) {
  const song = row(event.target);
  if (event.target.matches("input, select, textarea")) {
    if (event.key === "Escape" && event.target.closest("[data-rename]")) rename(song, false);
    else if (event.key === "Escape" && event.target.closest("#new-song")) newSong(false);
    return;
  }
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const acts = {
    "/": () => document.querySelector(".songs-search")?.focus(),
    n: () => newSong(true),
    ArrowDown: () => (song ? step(song, 1) : document.querySelector(".song-name")?.focus()),
    ArrowUp: () => song && step(song, -1),
    F2: () => song && rename(song, true),
    Delete: () => song?.querySelector("[data-delete-song]").click(),
  };
  const act = acts[event.key.length === 1 ? event.key.toLowerCase() : event.key];
  if (!act) return;
  event.preventDefault();
  act();
}

document.addEventListener("keydown", onKey);
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-new-song]")) newSong(document.getElementById("new-song").hidden);
  if (event.target.closest("[data-rename-song]")) rename(row(event.target), true);
});
document.addEventListener("change", (event) => {
  if (!event.target.matches("[data-songs-files]")) return;
  takeFiles([...event.target.files]);
  event.target.value = "";
});
onFilesDropped("[data-songs-drop]", takeFiles);
bindFailures();
