import assert from "node:assert/strict";
import { readFile } from "node:fs/promises";
import { test } from "node:test";

import { useFacts } from "../../src/hallweb/screens/common/static/common/js/facts.js";
import { steppedRamp } from "../../src/hallweb/screens/moves/static/moves/js/markkeys.js";

useFacts(JSON.parse(await readFile(new URL("facts.json", import.meta.url))));

test("a ramp is stepped by note values, through the jump, to the other side", () => {
  assert.deepEqual(steppedRamp(-0.25, -1), { value: "1/2", side: "before" });
  assert.deepEqual(steppedRamp(-0.25, 1), { value: "1/8", side: "before" });
  assert.deepEqual(steppedRamp(0, 1), { value: "1/64", side: "after" });
  assert.deepEqual(steppedRamp(0.015625, -1), { value: "", side: "after" });
});

test("a ramp of milliseconds goes to the next note value, and the longest stays", () => {
  assert.deepEqual(steppedRamp(-0.1, -1), { value: "1/8", side: "before" });
  assert.deepEqual(steppedRamp(-1, -1), { value: "1/1", side: "before" });
});
