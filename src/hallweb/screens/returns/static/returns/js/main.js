// Starts the Returns screen's scripts.

import { player } from "../../common/js/main.js";
import { bindHandles } from "./handles.js";
import { bindLiveSpectrum } from "./spectrum.js";

bindHandles();
bindLiveSpectrum(player);
