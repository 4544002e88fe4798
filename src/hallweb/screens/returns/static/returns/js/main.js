// Starts the Returns screen's scripts.

import { player } from "../../common/js/main.js";
import { bindHandles } from "./handles.js";
import { bindPanels } from "./panels.js";
import { bindPlacing } from "./placing.js";
import { bindLiveSpectrum } from "./spectrum.js";

bindHandles(player);
bindPanels();
bindPlacing();
bindLiveSpectrum(player);
