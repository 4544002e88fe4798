// node --test: what moves with the sound is drawn while it plays, and never at rest.

import assert from "node:assert/strict";
import { beforeEach, test } from "node:test";

import { drawLessWhile, eachFrame } from "../../src/hallweb/screens/common/static/common/js/frames.js";

const FRAME_MS = 1000 / 60;
let now = 0;
let frames = []; // what waits for the next frame
let timers = []; // [when, what]
let asked = 0; // how many frames were asked for
let player;

/** Let some frames pass; what frames and timers call comes in its order. */
function pass(count) {
  for (let frame = 0; frame < count; frame++) {
    now += FRAME_MS;
    const isOver = ([when]) => when <= now;
    const over = timers.filter(isOver);
    timers = timers.filter((timer) => !isOver(timer));
    for (const [, call] of over) call();
    for (const call of frames.splice(0)) call(now);
  }
}

/** Return what counts the drawings of something; it goes on as long as `goesOn` says so. */
function drawn(goesOn = () => false) {
  const drawing = { times: [] };
  drawing.ask = eachFrame(player, () => goesOn(drawing.times.push(now)));
  return drawing;
}

beforeEach(() => {
  globalThis.requestAnimationFrame = (call) => frames.push(call) && asked++;
  globalThis.setTimeout = (call, ms) => timers.push([now + ms, call]);
  globalThis.document = new EventTarget();
  player = Object.assign(new EventTarget(), { isPlaying: false });
  pass(9);
});

test("at rest it is drawn once, and once more when something has changed", () => {
  const { times, ask } = drawn();
  pass(9);
  assert.equal(times.length, 1);
  player.dispatchEvent(new Event("state"));
  player.dispatchEvent(new Event("manifest"));
  pass(9);
  assert.equal(times.length, 2);
  document.dispatchEvent(new Event("htmx:afterSettle"));
  pass(9);
  ask();
  pass(9);
  assert.equal(times.length, 4);
});

test("while the song plays it is drawn with every second frame, and no other is asked for", () => {
  const { times } = drawn();
  pass(2);
  player.isPlaying = true;
  player.dispatchEvent(new Event("state"));
  asked = 0;
  pass(20);
  assert.equal(times.length, 11);
  assert.equal(asked, 10);
  player.isPlaying = false;
  pass(20);
  assert.equal(times.length, 12);
});

test("all that moves is drawn in the same frames, and a fault of one keeps no other from it", (t) => {
  const faults = [];
  globalThis.reportError = (error) => faults.push(error);
  t.after(() => delete globalThis.reportError);
  player.isPlaying = true;
  const first = drawn();
  pass(1);
  eachFrame(player, () => {
    throw new Error("cannot be drawn");
  });
  const second = drawn();
  pass(20);
  assert.deepEqual(first.times.slice(-8), second.times.slice(-8));
  assert.equal(faults.length, 1);
});

test("what still falls is drawn until it lies", () => {
  const { times } = drawn((count) => count < 6);
  pass(20);
  assert.equal(times.length, 6);
});

test("while an edit is not heard yet it is drawn a few times a second", (t) => {
  let isAwaited = true;
  drawLessWhile(() => isAwaited);
  t.after(() => drawLessWhile(() => false));
  player.isPlaying = true;
  const { times } = drawn();
  pass(60);
  assert.ok(times.length >= 7 && times.length <= 9, `${times.length} times`);
  isAwaited = false;
  pass(70);
  assert.ok(times.length >= 37, `${times.length} times`);
});
