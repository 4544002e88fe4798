import assert from "node:assert/strict";
import { test } from "node:test";

import { levelled, turnedMute } from "../../src/hallweb/screens/common/static/common/js/livefaders.js";

const open = { gains: [0.5, 0.25], open: [0.5, 0.25], isLevelStill: true };
const muted = { ...open, gains: [0, 0] };

test("a mute closes a lane and opens it as it was", () => {
  assert.deepEqual(turnedMute(open), { gains: [0, 0] });
  assert.deepEqual(turnedMute(muted), { gains: [0.5, 0.25] });
});

test("a typed level changes both sides by the same factor, that of a muted lane too, and is not heard there", () => {
  const [left, right] = levelled(open, "\u22126.0", "0").gains;
  assert.ok(Math.abs(left - 0.5 * 10 ** 0.3) < 1e-12);
  assert.ok(Math.abs(right - 0.25 * 10 ** 0.3) < 1e-12);
  assert.deepEqual(levelled(muted, "0.0", "0").gains, [0, 0]);
});

test("nothing is known of a level that a move sets, or that was silence", () => {
  assert.deepEqual(levelled({ ...open, isLevelStill: false }, "0.0", "-6"), {});
  assert.deepEqual(levelled(open, "\u2212\u221e", "-6"), {});
});
