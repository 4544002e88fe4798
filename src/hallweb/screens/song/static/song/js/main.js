// Starts the Song screen's scripts.

import { bindSections } from "./sections.js";
import { bindTap } from "./tap.js";
import { bindTracks } from "./tracks.js";
import { bindUploads } from "./uploads.js";

bindSections();
bindTap();
bindTracks();
bindUploads();
