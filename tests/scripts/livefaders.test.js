import assert from "node:assert/strict";
import { test } from "node:test";

import { heardGains, levelled, turnedMute, typedLevel } from "../../src/hallweb/screens/common/static/common/js/livefaders.js";

const open = { open: [0.5, 0.25], isMuted: false, isLevelStill: true, groupGain: 0.5 };
const muted = { ...open, isMuted: true };

test("a mute closes a lane and opens it as it was", () => {
  assert.deepEqual(heardGains({ ...open, ...turnedMute(open) }), [0, 0]);
  assert.deepEqual(heardGains({ ...muted, ...turnedMute(muted) }), [0.25, 0.125], "and by its group's fader");
});

test("a typed level changes both sides by the same factor, that of a muted lane too, and is not heard there", () => {
  const [left, right] = levelled(open, "\u22126.0", "0").open;
  assert.ok(Math.abs(left - 0.5 * 10 ** 0.3) < 1e-12);
  assert.ok(Math.abs(right - 0.25 * 10 ** 0.3) < 1e-12);
  assert.deepEqual(heardGains({ ...muted, ...levelled(muted, "0.0", "0") }), [0, 0]);
});

test("nothing is known of a level that a move sets, or that was silence", () => {
  assert.deepEqual(levelled({ ...open, isLevelStill: false }, "0.0", "-6"), {});
  assert.deepEqual(levelled(open, "\u2212\u221e", "-6"), {});
});

test("a typed level is known without its unit, and nothing else that the server can read", () => {
  assert.equal(typedLevel(" -6,5 dB"), "-6,5");
  for (const text of ["off", "u", "loud", ""]) assert.equal(typedLevel(text), null);
});
