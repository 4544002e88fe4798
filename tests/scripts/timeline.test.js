// node --test: the pure parts of the player and the fields.

import assert from "node:assert/strict";
import { test } from "node:test";

import { stepped } from "../../src/hallweb/screens/common/static/common/js/steps.js";
import { barBefore, barsAround, beatAt, nextStretch, sampleAt } from "../../src/hallweb/screens/common/static/common/js/timeline.js";
import "./facts.js";

test("stretches follow the segments and end with the song", () => {
  assert.deepEqual(nextStretch(150, 100, 230, null), { index: 1, start: 150, end: 200, offset: 50, wraps: false, next: 200 });
  assert.equal(nextStretch(200, 100, 230, null).end, 230);
  assert.equal(nextStretch(230, 100, 230, null), null);
});

test("a loop ends a stretch and goes back to its start", () => {
  const loop = { start: 120, end: 170 };
  assert.deepEqual(nextStretch(120, 100, 900, loop), { index: 1, start: 120, end: 170, offset: 20, wraps: true, next: 120 });
  assert.equal(nextStretch(300, 100, 900, loop).next, 400);
});

test("segments of a loop add up to the loop, again and again", () => {
  const loop = { start: 50, end: 430 };
  let cursor = loop.start;
  let played = 0;
  for (let n = 0; n < 10; n++) {
    const stretch = nextStretch(cursor, 100, 900, loop);
    played += stretch.end - stretch.start;
    cursor = stretch.next;
  }
  assert.equal(played, 2 * (loop.end - loop.start));
});

test("the position comes from the stretch that sounds", () => {
  const stretches = [{ time: 1, start: 0, end: 100 }, { time: 2, start: 500, end: 600 }];
  assert.equal(sampleAt(stretches, 1.5, 100), 50);
  assert.equal(sampleAt(stretches, 2.25, 100), 525);
  assert.equal(sampleAt(stretches, 9, 100), 600);
  assert.equal(sampleAt([], 1, 100), 0);
});

test("the beat is the last one reached", () => {
  const beats = [[0, 1, 1], [50, 1, 2], [100, 2, 1]];
  assert.deepEqual(beatAt(beats, 99), [50, 1, 2]);
  assert.deepEqual(beatAt(beats, 100), [100, 2, 1]);
});

test("arrow keys step notes, times and numbers, and keep their units", () => {
  assert.equal(stepped("1/8", "1", 1), "1/4T");
  assert.equal(stepped("1/16.", "1", -1), "1/8T");
  assert.equal(stepped("375 ms", "1", 1), "380 ms");
  assert.equal(stepped("375 ms", "1", 1, { isFine: true }), "376 ms");
  assert.equal(stepped("1.6", "0.1", 1), "1.7");
  assert.equal(stepped("\u22123.0", "0.5", 1), "\u22122.5");
  assert.equal(stepped("0.5", "0.5", -1, { isFine: true }), "0.4");
  assert.equal(stepped("1.6", "0.1", 1, { isCoarse: true }), "2.1");
  assert.equal(stepped("1/8", "1", 1, { isCoarse: true }), "1/4");
  assert.equal(stepped("soon", "1", 1), "soon");
});

test("a bar before is a bar's length before, never before the song", () => {
  const beats = [0, 1, 2, 3, 4, 5].map((n) => [n * 100, Math.floor(n / 2) + 1, (n % 2) + 1]); // bars of 200 samples
  assert.equal(barBefore(beats, 400), 200);
  assert.equal(barBefore(beats, 450), 250);
  assert.equal(barBefore(beats, 100), 0);
  assert.equal(barBefore(beats, 9000), 8800);
  assert.equal(barBefore([[0, 1, 1]], 50), 0);
});

test("a loop of bars takes the whole bars that its ends lie in, to the song's end at most", () => {
  const song = { endSample: 350, beats: [[0, 1, 1], [50, 1, 2], [100, 2, 1], [150, 2, 2], [200, 3, 1], [300, 4, 1], [400, 5, 1]] };
  assert.deepEqual(barsAround(song, 120, 250), { start: 100, end: 300, name: "bars 2 to 3" });
  assert.deepEqual(barsAround(song, 250, 120), { start: 100, end: 300, name: "bars 2 to 3" });
  assert.deepEqual(barsAround(song, 10, 10), { start: 0, end: 100, name: "bar 1" });
  assert.deepEqual(barsAround(song, 310, 349), { start: 300, end: 350, name: "bar 4" });
});
