// node --test: what is chosen of a grid, and the way through a list.

import assert from "node:assert/strict";
import { test } from "node:test";

import { nearestTo, Selection, stepThrough } from "../../src/hallweb/screens/common/static/common/js/selection.js";

const ADDED = { isAdded: true };

test("a press chooses one alone, whatever was chosen before", () => {
  const selection = new Selection();
  selection.choose(["voice/hall", "voice/plate"]);
  assert.equal(selection.press("voice/plate"), true);
  assert.deepEqual(selection.names, ["voice/plate"]);
  assert.equal(selection.has("voice/hall"), false);
});

test("with Ctrl a press adds one, and takes it away again", () => {
  const selection = new Selection();
  selection.press("a");
  assert.equal(selection.press("b", ADDED), true);
  assert.deepEqual(selection.names, ["a", "b"]);
  assert.equal(selection.press("a", ADDED), false);
  assert.deepEqual(selection.names, ["b"]);
});

test("a rectangle takes the place of what was chosen, or joins it, each cell once", () => {
  const selection = new Selection();
  selection.choose(["a", "b"]);
  selection.choose(["b", "c"], ADDED);
  assert.deepEqual(selection.names, ["a", "b", "c"]);
  selection.choose([]);
  assert.deepEqual(selection.names, []);
});

test("a list is gone through in both directions, round and round, from its end where nothing is held", () => {
  const flags = ["one", "two", "three"];
  assert.equal(stepThrough(flags, "one", 1), "two");
  assert.equal(stepThrough(flags, "three", 1), "one");
  assert.equal(stepThrough(flags, "one", -1), "three");
  assert.equal(stepThrough(flags, undefined, 1), "one");
  assert.equal(stepThrough(flags, undefined, -1), "three");
  assert.equal(stepThrough([], undefined, 1), undefined);
});

test("a place is led to the nearest eighth, the earlier of two that are as near", () => {
  const snaps = [["1|1", 0], ["1|1+1/8", 100], ["1|2", 200]];
  assert.deepEqual(nearestTo(snaps, 140), ["1|1+1/8", 100]);
  assert.deepEqual(nearestTo(snaps, 150), ["1|1+1/8", 100]);
  assert.deepEqual(nearestTo(snaps, 9000), ["1|2", 200]);
  assert.equal(nearestTo([], 10), undefined);
});
