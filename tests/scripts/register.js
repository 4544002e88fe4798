// Lets node find modules as browsers do: every screen's scripts lie side by side under /static/.

import { register } from "node:module";

register("./resolve.js", import.meta.url);
