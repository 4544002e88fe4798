// Starts the Sends screen's scripts.

import { player } from "../../common/js/main.js";
import { bindCellBars } from "./cellbars.js";
import { bindChoosing } from "./choosing.js";
import { bindMatrix } from "./matrix.js";

bindMatrix();
bindChoosing();
bindCellBars(player);
