// Starts the Moves screen's scripts.

import { player } from "../../common/js/main.js";
import { bindMoves } from "./moves.js";
import { bindStepDrags } from "./stepdrags.js";

bindStepDrags(player);
bindMoves(player);
