// node --test: what is scheduled of a song, with a stand-in for the browser's audio.

import assert from "node:assert/strict";
import { beforeEach, test } from "node:test";

import { Schedule } from "../../src/hallweb/screens/common/static/common/js/schedule.js";
import { AudioContextStandIn } from "./audiocontext.js";

const RATE = 1000;
const list = { sampleRate: RATE };
const hall = { id: "hall", keys: ["h0", "h1"], gains: [1, 0.5] };
const plate = { id: "plate", keys: ["p0", "p1"], gains: [1, 1] };

let context;
let schedule;
let store;
let factors;

/** A stretch of two seconds: the whole of a segment. */
function stretch(index, more = {}) {
  return { index, start: index * 2000, end: (index + 1) * 2000, offset: 0, ...more };
}

beforeEach(() => {
  context = new AudioContextStandIn();
  store = { load: async (lane, index) => ({ key: lane.keys[index], headroom: 4, fedPeaks: [0.25, 0.5] }) };
  factors = [];
  const voice = (id, gains, headroom) => {
    const set = (others) => factors.push([id, others.map((side) => side * headroom)]);
    set(gains);
    return { input: context.createGain(), set };
  };
  schedule = new Schedule(context, { voice }, store);
});

const keys = () => context.sources.map((source) => source.buffer.key);

test("every lane of a stretch starts at its time and lasts as long as it", async () => {
  await schedule.add(stretch(0, { offset: 500, end: 1500 }), 10, [hall, plate], list);
  assert.deepEqual(keys(), ["h0", "p0"]);
  for (const source of context.sources) assert.deepEqual(source.starts, [{ time: 10, offset: 0.5, seconds: 1.5 }]);
});

test("a jump is faded in, a stretch that goes on from the last is not", async () => {
  await schedule.add(stretch(0), 10, [hall], list);
  await schedule.add(stretch(1), 12, [hall], list);
  const [jump, next] = context.sources.map((source) => source.feeds[0].gain);
  assert.equal(jump.value, 0);
  assert.deepEqual(jump.told, [{ value: 0, time: 10 }, { value: 1, time: 10.004, isRamp: true }]);
  assert.equal(next.value, 1);
  assert.deepEqual(next.told, []);
});

test("a stretch that wraps to the loop's start is faded out to its end", async () => {
  await schedule.add(stretch(0, { wraps: true }), 10, [hall], list);
  assert.deepEqual(context.sources[0].feeds[0].gain.told.at(-1), { value: 0, time: 12, isRamp: true });
});

test("the sample that is heard follows the context's time", async () => {
  assert.equal(schedule.sampleNow(RATE), null);
  await schedule.add(stretch(1), 10, [hall], list);
  context.currentTime = 10.25;
  assert.equal(schedule.sampleNow(RATE), 2250);
});

test("what a return is fed is read ten times a second, and is 0 for one that does not play", async () => {
  await schedule.add(stretch(0), 10, [hall], list);
  context.currentTime = 10.15;
  assert.equal(schedule.fedNow("hall", RATE), 0.5);
  assert.equal(schedule.fedNow("plate", RATE), 0);
});

test("an edit cross-fades the lanes whose segment it changed, and leaves the others", async () => {
  await schedule.add(stretch(0), 10, [hall, plate], list);
  context.currentTime = 11;
  await schedule.swap([{ ...hall, keys: ["new", "h1"] }, plate], list, () => true);
  const [old, kept, replaced] = context.sources;
  assert.deepEqual(keys(), ["h0", "p0", "new"]);
  assert.deepEqual(kept.stops, []);
  const [{ time, offset, seconds }] = replaced.starts;
  assert.ok(time > 11 && Math.abs(offset - (time - 10)) < 1e-9 && Math.abs(seconds - (12 - time)) < 1e-9);
  const [from, to] = old.feeds[0].gain.told;
  assert.deepEqual([from.value, from.time, to.value], [1, time, 0]);
  assert.ok(old.stops[0] > to.time);
  assert.equal(replaced.feeds[0].gain.told.at(-1).time, to.time);
});

test("a lane that an edit removed is faded out, one that it added is faded in", async () => {
  await schedule.add(stretch(0), 10, [hall], list);
  context.currentTime = 11;
  await schedule.swap([plate], list, () => true);
  assert.deepEqual(keys(), ["h0", "p0"]);
  assert.equal(context.sources[0].stops.length, 1);
  assert.equal(context.sources[1].feeds[0].gain.value, 0);
});

test("what has not begun is replaced from its start, without a fade", async () => {
  await schedule.add(stretch(0), 10, [hall], list);
  await schedule.add(stretch(1), 12, [hall], list);
  context.currentTime = 10.5;
  await schedule.swap([{ ...hall, keys: ["h0", "new"] }], list, () => true);
  const [, old, replaced] = context.sources;
  assert.deepEqual(old.stops, [12]);
  assert.deepEqual(replaced.starts, [{ time: 12, offset: 0, seconds: 2 }]);
  assert.deepEqual(replaced.feeds[0].gain.told, []);
});

test("an edit that a newer one overtook changes nothing", async () => {
  await schedule.add(stretch(0), 10, [hall], list);
  await schedule.swap([{ ...hall, keys: ["new", "h1"] }], list, () => false);
  assert.deepEqual(keys(), ["h0"]);
  assert.deepEqual(context.sources[0].stops, []);
});

test("what lies ahead is taken back, and what plays is shortened to a loop's end", async () => {
  await schedule.add(stretch(0), 10, [hall], list);
  await schedule.add(stretch(1), 12, [hall], list);
  context.currentTime = 10.5;
  const last = schedule.cut(1000, RATE);
  assert.equal(last.end, 1000);
  const [playing, ahead] = context.sources;
  assert.deepEqual(playing.stops, [11]);
  assert.deepEqual(ahead.stops, [undefined]);
});

test("what is over is forgotten, and clearing ends the rest", async () => {
  await schedule.add(stretch(0), 10, [hall], list);
  context.currentTime = 13.5;
  schedule.forget();
  assert.equal(schedule.sampleNow(RATE), null);
  await schedule.add(stretch(1), 14, [hall], list);
  schedule.clear();
  assert.deepEqual(context.sources.map((source) => source.stops.length), [0, 1]);
});

test("a voice is made up for the headroom of its segment and as loud as its lane, which may change while it plays", async () => {
  await schedule.add(stretch(0), 10, [hall, plate], list);
  assert.deepEqual(factors, [["hall", [4, 2]], ["plate", [4, 4]]]);
  schedule.setGains("hall", [0, 0]);
  assert.deepEqual(factors.at(-1), ["hall", [0, 0]]);
  await schedule.swap([{ ...hall, gains: [0.25, 0.25] }, plate], list, () => true);
  assert.deepEqual(factors.slice(3), [["hall", [1, 1]], ["plate", [4, 4]]], "the same segment, at another fader");
  assert.equal(context.sources.length, 2);
});

test("a part of what was held leaves when the lane that it adds to has come, not before", async () => {
  const part = { id: "held 3 hall", keys: ["part", "part"], gains: [1, 1] };
  await schedule.add(stretch(0), 10, [hall, plate, part], list);
  context.currentTime = 10.5;
  const { load } = store;
  let come;
  const late = new Promise((done) => (come = done));
  store.load = (lane, index) => (lane.keys[index] === "new" ? late.then(() => load(lane, index)) : load(lane, index));
  const swapped = schedule.swap([{ ...hall, keys: ["new", "h1"] }, plate], list, () => true);
  await new Promise((done) => setTimeout(done));
  const [old, , held] = context.sources;
  assert.deepEqual([old.stops, held.stops], [[], []]);
  come();
  await swapped;
  assert.deepEqual(held.stops, old.stops);
  assert.equal(held.stops.length, 1);
});

test("a part whose lane stays as it was leaves at once", async () => {
  await schedule.add(stretch(0), 10, [hall, { id: "held 3 hall", keys: ["part", "part"], gains: [1, 1] }], list);
  context.currentTime = 10.5;
  await schedule.swap([hall], list, () => true);
  assert.deepEqual(context.sources.map(({ stops }) => stops.length), [0, 1]);
});
