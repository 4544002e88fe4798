// Tapping a tempo: the button, pressed in time with the song.

import { edit } from "../../common/js/requests.js";
import { tappedTempo } from "./taps.js";

let times = [];

export function bindTap() {
  document.addEventListener("click", (event) => {
    const { target } = event;
    if (target.matches("[data-tap-tempo]")) {
      times = [...times.filter((time) => event.timeStamp - time < 20_000), event.timeStamp];
      const found = tappedTempo(times);
      const take = document.querySelector("[data-tap-take]");
      document.querySelector("[data-tap-reading]").textContent = found ? `${found.bpm.toFixed(1)} a minute, ± ${found.error.toFixed(1)}, from ${found.count} taps` : "go on tapping";
      take.hidden = !found;
      if (found) take.dataset.bpm = found.bpm.toFixed(1);
    } else if (target.matches("[data-tap-take]")) {
      const { url, bpm, beat } = target.dataset;
      times = [];
      edit(url, { at: "1|1", old: "1|1", bpm, beat });
    }
  });
}
