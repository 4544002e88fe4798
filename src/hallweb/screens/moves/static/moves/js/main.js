// Starts the Moves screen's scripts.

import { player } from "../../common/js/main.js";
import { bindMarkKeys } from "./markkeys.js";
import { bindMoves } from "./moves.js";
import { bindPhraseEnds } from "./phraseends.js";
import { bindPoints } from "./points.js";
import { bindStepDrags } from "./stepdrags.js";
import { bindThrows } from "./throws.js";

bindStepDrags(player);
bindMoves(player);
bindThrows();
bindPoints(player);
bindMarkKeys();
bindPhraseEnds(player);
