// node --test: the pure parts of the Song screen.

import assert from "node:assert/strict";
import { test } from "node:test";

import { nearest, stepBar } from "../../src/hallweb/screens/song/static/song/js/bars.js";
import { tappedTempo } from "../../src/hallweb/screens/song/static/song/js/taps.js";

test("a wall snaps to the nearest bar", () => {
  const snaps = [["1|1", 0], ["2|1", 10], ["3|1", 20]];
  assert.deepEqual(nearest(snaps, 14.9), ["2|1", 10]);
  assert.deepEqual(nearest(snaps, 400), ["3|1", 20]);
  assert.deepEqual(nearest(snaps, -3), ["1|1", 0]);
});

test("bars step with their beat and never before the first", () => {
  assert.equal(stepBar("12|4.5", 1), "13|4.5");
  assert.equal(stepBar("12", -2), "10");
  assert.equal(stepBar("1|1", -1), "1|1");
  assert.equal(stepBar("soon", 1), "soon");
});

test("even taps give their tempo, uneven ones come close and say how far off they may be", () => {
  const even = tappedTempo(Array.from({ length: 8 }, (_, i) => 1000 + i * 500));
  assert.ok(Math.abs(even.bpm - 120) < 1e-9 && even.error < 1e-6 && even.count === 8);
  const off = [12, -9, 4, -14, 10, 3, -6, 8];
  const uneven = tappedTempo(off.map((by, i) => 1000 + i * 500 + by));
  assert.ok(Math.abs(uneven.bpm - 120) < 2 * uneven.error && uneven.error < 1.5);
});

test("after a pause it starts anew, and three taps are too few", () => {
  const times = [0, 500, 1000, 1500, 9000, 9400, 9800, 10200];
  assert.ok(Math.abs(tappedTempo(times).bpm - 150) < 1e-9);
  assert.equal(tappedTempo(times.slice(0, 3)), null);
  assert.equal(tappedTempo(times.slice(0, 5)), null);
});
