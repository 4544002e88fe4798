// Starts everything on a song's page. Each module binds itself by data-* attributes.

import { bindCellBars } from "./cellbars.js";
import { bindChoosing } from "./choosing.js";
import { bindComparing } from "./comparing.js";
import { bindDock } from "./dock.js";
import { bindEdits } from "./edits.js";
import { bindFields } from "./fields.js";
import { bindFigureDrags } from "./figuredrags.js";
import { bindHandles } from "./handles.js";
import { bindKeys } from "./keys.js";
import { bindLiveSpectrum } from "./spectrum.js";
import { Matching } from "./matching.js";
import { bindMatrix } from "./matrix.js";
import { bindMeters } from "./meters.js";
import { bindMoves } from "./moves.js";
import { bindScreens } from "./screens.js";
import { bindSections } from "./sections.js";
import { bindStepDrags } from "./stepdrags.js";
import { bindTap } from "./tap.js";
import { bindTracks } from "./tracks.js";
import { bindUploads } from "./uploads.js";
import { Player } from "./player.js";

const { manifestUrl, loudnessUrl } = document.getElementById("player").dataset;
const player = new Player(manifestUrl);
const matching = new Matching(player, loudnessUrl);
bindScreens();
bindEdits(player);
bindFields();
bindFigureDrags(player);
bindHandles();
bindMatrix();
bindChoosing();
bindCellBars(player);
bindSections();
bindTap();
bindTracks();
bindUploads();
bindDock(player, matching);
bindComparing(player, matching);
bindMeters(player);
bindStepDrags(player);
bindMoves(player);
bindLiveSpectrum(player);
bindKeys(player);
player.refresh();

window.highHall = { player };
