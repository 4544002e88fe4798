// The ids of the tracks that are chosen on the Song screen; the dock can play them alone.

let ids = [];

export function chosenTracks() {
  return ids;
}

export function setChosenTracks(chosen) {
  ids = [...chosen];
}
