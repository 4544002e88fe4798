// Starts everything on a song's page. Each module binds itself by data-* attributes.

import { bindCellBars } from "./cellbars.js";
import { bindChoosing } from "./choosing.js";
import { bindDock } from "./dock.js";
import { bindEdits } from "./edits.js";
import { bindFields } from "./fields.js";
import { bindHandles } from "./handles.js";
import { bindKeys } from "./keys.js";
import { bindLiveSpectrum } from "./spectrum.js";
import { bindMatrix } from "./matrix.js";
import { bindMeters } from "./meters.js";
import { bindScreens } from "./screens.js";
import { bindSections } from "./sections.js";
import { bindTap } from "./tap.js";
import { bindTracks } from "./tracks.js";
import { bindUploads } from "./uploads.js";
import { Player } from "./player.js";

const player = new Player(document.getElementById("player").dataset.manifestUrl);
bindScreens();
bindEdits();
bindFields();
bindHandles();
bindMatrix();
bindChoosing();
bindCellBars();
bindSections();
bindTap();
bindTracks();
bindUploads();
bindDock(player);
bindMeters(player);
bindLiveSpectrum(player);
bindKeys(player);
player.refresh();

window.highHall = { player };
