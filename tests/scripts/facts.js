// What the server tells scripts, as a page would hold it: `tests/web/test_script_facts.py` keeps the file in step.

import { readFileSync } from "node:fs";

import { facts, useFacts } from "../../src/hallweb/screens/common/static/common/js/facts.js";

useFacts(JSON.parse(readFileSync(new URL("facts.json", import.meta.url))));

export { facts };
