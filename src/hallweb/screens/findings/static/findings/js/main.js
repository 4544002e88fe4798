// Starts what the Findings screen has, and the marks of findings on other screens.

import { player } from "../../common/js/main.js";
import { bindFindings } from "./findings.js";
import { bindMarks } from "./marks.js";

bindFindings(player);
bindMarks();
