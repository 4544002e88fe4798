// node --test: what answers tell to be heard next, put into the list of segments.

import assert from "node:assert/strict";
import { test } from "node:test";

import { isToldAt, lanesAhead } from "../../src/hallweb/screens/common/static/common/js/ahead.js";

const list = { segmentFrames: 2000, endSample: 9000, lanes: [{ id: "dry", keys: ["a", "b", "c", "d"], gains: [1, 1], url: "/INDEX/KEY" }] };
const told = { first: 1, segmentFrames: 2000, endSample: 9000, url: "/7/LANE/INDEX-KEY", keys: { dry: ["x", "y"] }, faders: { dry: { gains: [0.5, 1] } } };

test("what is told takes the place of its segments, with their addresses and the lane's new fader", () => {
  const [lane] = lanesAhead(list, told);
  assert.deepEqual(lane, { id: "dry", keys: ["a", "x", "y", "d"], gains: [0.5, 1], url: "/INDEX/KEY", urls: { 1: "/7/dry/INDEX-KEY", 2: "/7/dry/INDEX-KEY" } });
  assert.deepEqual(list.lanes[0].keys, ["a", "b", "c", "d"]);
});

test("nothing is put into a list of another length, of other segments or with a lane of which nothing is told", () => {
  assert.equal(lanesAhead(list, { ...told, endSample: 9001 }), null);
  assert.equal(lanesAhead(list, { ...told, segmentFrames: 1000 }), null);
  assert.equal(lanesAhead({ ...list, lanes: [...list.lanes, { id: "hall", keys: [] }] }, told), null);
});

test("it is told from the first sample of its segments to the last", () => {
  assert.deepEqual([1999, 2000, 5999, 6000].map((sample) => isToldAt(told, sample)), [false, true, true, false]);
});
