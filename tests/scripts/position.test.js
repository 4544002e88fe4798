// node --test: the figures of where the song is.

import assert from "node:assert/strict";
import { test } from "node:test";

import { beatSeconds, clock } from "../../src/hallweb/screens/common/static/common/js/position.js";

test("time is told in minutes and seconds, whose tenths carry over", () => {
  assert.equal(clock(0, 48000), "0:00.0");
  assert.equal(clock(48000 * 61.25, 48000), "1:01.3");
  assert.equal(clock(48000 * 59.97, 48000), "1:00.0");
});

test("a beat lasts as long as the first one of the bar; the last beat of a song has no length", () => {
  const beats = [[0, 1, 1], [24000, 1, 2], [48000, 2, 1], [60000, 2, 2], [72000, 3, 1]];
  assert.equal(beatSeconds(beats, 1, 48000), 0.5);
  assert.equal(beatSeconds(beats, 2, 48000), 0.25);
  assert.equal(beatSeconds(beats, 3, 48000), null);
});
