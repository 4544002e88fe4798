import assert from "node:assert/strict";
import { test } from "node:test";

import { says } from "../../src/hallweb/screens/common/static/common/js/keysheet.js";

test("a line of the key sheet is found by all of its words, in any order and case", () => {
  const line = "Ctrl C, Ctrl V copy levels of the chosen sends";
  assert.ok(says(line, "sends COPY"));
  assert.ok(says(line, ""));
  assert.ok(!says(line, "copy throws"));
});
