// Starts what the Hand-off screen has.

import { bindHandOff } from "./hand_off.js";

bindHandOff();
