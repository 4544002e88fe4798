// Starts what the Hall screen has.

import { player } from "../../common/js/main.js";
import { bindHall } from "./hall.js";
import { bindLines } from "./lines.js";
import { bindMotion } from "./motion.js";
import { bindRoofs } from "./roofs.js";

bindHall(player);
bindLines();
bindMotion();
bindRoofs();
