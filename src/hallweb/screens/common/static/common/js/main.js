// Starts what every page of a song has: the player, the dock, fields, meters. Each module binds itself by data-* attributes.

import { bindComparing } from "./comparing.js";
import { bindDock } from "./dock.js";
import { bindEdits, isEditing } from "./edits.js";
import { bindElsewhere } from "./elsewhere.js";
import { bindFields } from "./fields.js";
import { bindFigureDrags } from "./figuredrags.js";
import { drawLessWhile } from "./frames.js";
import { bindKeys } from "./keys.js";
import { bindKeySheet } from "./keysheet.js";
import { bindListener } from "./listener.js";
import { bindLiveFaders } from "./livefaders.js";
import { bindLiveSources } from "./livesources.js";
import { Matching } from "./matching.js";
import { bindMeters } from "./meters.js";
import { bindNews } from "./news.js";
import { Player } from "./player.js";
import { bindPresses } from "./presses.js";
import { bindRehearsals } from "./rehearsals.js";
import { bindScreens } from "./screens.js";
import { bindTooltips } from "./tooltips.js";

const { manifestUrl, loudnessUrl } = document.getElementById("player").dataset;

/** The song's player; each screen's own scripts bind to it. */
export const player = new Player(manifestUrl);
/** Whether an edit is on its way, or was made and is not heard yet. */
const awaitsSound = () => isEditing() || player.isBehind;
const matching = new Matching(player, loudnessUrl);
bindScreens();
bindTooltips();
bindEdits(player);
bindFields();
bindPresses();
bindFigureDrags(player);
bindDock(player, matching);
bindComparing(player, matching);
bindMeters(player);
bindKeys(player);
bindLiveFaders(player);
bindLiveSources(player);
bindRehearsals(player);
bindKeySheet();
bindElsewhere();
bindNews(awaitsSound);
drawLessWhile(awaitsSound);
bindListener();
player.refresh();

window.highHall = { player };
