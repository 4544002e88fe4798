// node --test: heights and lengths of the Moves pictures.

import assert from "node:assert/strict";
import { test } from "node:test";

import { levelAt, nearestNote } from "../../src/hallweb/screens/moves/static/moves/js/stepdrags.js";
import "./facts.js";

test("a height is a level in steps, kept inside the scale", () => {
  assert.equal(levelAt(14, 0.5), 6);
  assert.equal(levelAt(83, 0.5), -36);
  assert.equal(levelAt(48.5, 0.5), -15);
  assert.equal(levelAt(-40, 0.5), 6);
  assert.ok(Math.abs(levelAt(50, 0.1) + 15.9) < 1e-9);
});

test("a length is the nearest note value, none near nothing", () => {
  assert.equal(nearestNote(0.005), "");
  assert.equal(nearestNote(0.13), "1/8");
  assert.equal(nearestNote(0.36), "1/4.");
  assert.equal(nearestNote(9), "1/1.");
});
