import assert from "node:assert/strict";
import { test } from "node:test";

import { factorOf } from "../../src/hallweb/screens/hall/static/hall/js/roofs.js";
import { metresAt, pannedBy, rounded, within } from "../../src/hallweb/screens/hall/static/hall/js/scale.js";

test("76 px up in the plan is twice as far, within what can be asked", () => {
  assert.equal(metresAt(332), 1);
  assert.equal(metresAt(332 - 2 * 76), 4);
  assert.equal(metresAt(-2000), 60);
  assert.equal(within(0.01), 0.2);
});

test("distances are asked in tenths of a metre, from 10 m on in halves", () => {
  assert.deepEqual([3.46, 11.3, 11.2].map(rounded), [3.5, 11.5, 11]);
});

test("a pan is dragged in steps of 5 %, no further than the sides", () => {
  assert.deepEqual([pannedBy(428, 31), pannedBy(428, -400), pannedBy(458, 0)], [10, -100, 10]);
});

test("37 px up a roof is twice as deep, in steps of 0.05", () => {
  assert.deepEqual([factorOf(0), factorOf(37), factorOf(-37), factorOf(3), factorOf(400)], [1, 2, 0.5, 1.05, 10]);
});
