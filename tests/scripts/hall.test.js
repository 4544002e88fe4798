import assert from "node:assert/strict";
import { test } from "node:test";

import { ways } from "../../src/hallweb/screens/hall/static/hall/js/motion.js";
import { factorOf } from "../../src/hallweb/screens/hall/static/hall/js/roofs.js";
import { longMetresAt, metresAt, pannedBy, rounded, sendGains, within } from "../../src/hallweb/screens/hall/static/hall/js/scale.js";

test("76 px up in the plan is twice as far, within what can be asked", () => {
  assert.equal(metresAt(332), 1);
  assert.equal(metresAt(332 - 2 * 76), 4);
  assert.equal(metresAt(-2000), 60);
  assert.equal(within(0.01), 0.2);
  assert.equal(longMetresAt(171 - 37), 2);
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

test("sends follow the hand by the same number of dB, until one is at the end of its range", () => {
  const live = { free: 0.09, fixed: 0.01, sends: [["plate", -14], ["hall", -20]] }; // a tenth of the dry power: 8 m / sqrt 10
  const near = (gains, levels) => gains.forEach((gain, index) => assert.ok(Math.abs(gain - levels[index]) < 1e-9, `${gains}`));
  near(sendGains(live, 8 / Math.sqrt(10), 8), [0, 0]);
  const by = 10 * Math.log10((1 - 0.01) / 0.09);
  near(sendGains(live, 8, 8), [10 ** ((by - 14) / 20) - 10 ** (-14 / 20), 10 ** ((by - 20) / 20) - 0.1]);
  near(sendGains(live, 400, 8), [10 ** (6 / 20) - 10 ** (-14 / 20), 10 ** (6 / 20) - 0.1]);
  near(sendGains({ ...live, sends: [] }, 8, 8), []);
});

test("sources walk from where they were; those that are new or stayed do not", () => {
  const from = new Map([["voice", [10, 20]], ["harp", [5, 5]], ["gone", [1, 1]]]);
  const to = new Map([["voice", [40, 60]], ["harp", [5.4, 5]], ["drum", [9, 9]]]);
  assert.deepEqual([...ways(from, to)], [["voice", [-30, -40]]]);
});
