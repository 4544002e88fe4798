// Starts the Song screen's scripts.

import { bindSections } from "./sections.js";
import { bindStemDrop } from "./stemdrop.js";
import { bindTap } from "./tap.js";
import { bindTracks } from "./tracks.js";

bindSections();
bindTap();
bindTracks();
bindStemDrop();
