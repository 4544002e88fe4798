// Stems by drop or dialog: once they are in they come into the song as one edit, or one takes the place of a track's stem.

import { edit } from "../../common/js/requests.js";
import { bringAll, onFilesDropped, post } from "../../common/js/uploads.js";

async function bringIn(files, track) {
  const zone = document.querySelector("[data-stem-drop]");
  if (!zone || !files.length) return;
  const { uploadsUrl, takeUrl, replaceUrl } = zone.dataset;
  const { brought, refused } = await bringAll(files, zone.querySelector("[data-uploads]"), uploadsUrl);
  const paths = brought.map(({ path }) => path);
  if (!paths.length) return;
  await (track ? edit(replaceUrl, { track, path: paths[0] }) : edit(takeUrl, { path: paths }));
  document.querySelector("[data-uploads]")?.append(...refused);
}

export function bindStemDrop() {
  document.addEventListener("change", (event) => {
    const { target } = event;
    if (!target.matches("[data-stem-files], [data-replace-stem]")) return;
    bringIn([...target.files], target.dataset.replaceStem);
    target.value = "";
  });
  document.addEventListener("click", async (event) => {
    const item = event.target.closest("[data-drop-upload]")?.closest("[data-broken-off]");
    if (!item) return;
    await post(item.dataset.brokenOff, null);
    item.remove();
  });
  onFilesDropped("[data-stem-drop]", bringIn);
}
