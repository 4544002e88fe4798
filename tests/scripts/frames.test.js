// node --test: what moves with the sound is drawn while it plays, and never at rest.

import assert from "node:assert/strict";
import { test } from "node:test";

import { eachFrame } from "../../src/hallweb/screens/common/static/common/js/frames.js";

/** Return a player, what was drawn of it, and what lets some frames pass. */
function started(t, draw = () => false) {
  const asked = [];
  t.mock.method(globalThis, "requestAnimationFrame", (each) => asked.push(each));
  globalThis.document = new EventTarget();
  const player = Object.assign(new EventTarget(), { isPlaying: false });
  const drawn = { times: 0 };
  const ask = eachFrame(player, () => {
    drawn.times++;
    return draw(drawn.times);
  });
  const pass = (frames) => {
    for (let frame = 0; frame < frames; frame++) {
      now += 1000 / 60;
      asked.splice(0).forEach((each) => each(now));
    }
  };
  return { player, drawn, ask, pass };
}

globalThis.requestAnimationFrame ??= () => null;
let now = 0;

test("at rest it is drawn once, and once more when something has changed", (t) => {
  const { player, drawn, ask, pass } = started(t);
  pass(9);
  assert.equal(drawn.times, 1);
  player.dispatchEvent(new Event("state"));
  player.dispatchEvent(new Event("manifest"));
  pass(9);
  assert.equal(drawn.times, 2);
  document.dispatchEvent(new Event("htmx:afterSettle"));
  pass(9);
  ask();
  pass(9);
  assert.equal(drawn.times, 4);
});

test("while the song plays it is drawn with every second frame", (t) => {
  const { player, drawn, pass } = started(t);
  pass(2);
  player.isPlaying = true;
  player.dispatchEvent(new Event("state"));
  pass(20);
  assert.equal(drawn.times, 11);
  player.isPlaying = false;
  pass(20);
  assert.equal(drawn.times, 12);
});

test("all that moves is drawn in the same frames", (t) => {
  const asked = [];
  t.mock.method(globalThis, "requestAnimationFrame", (each) => asked.push(each));
  globalThis.document = new EventTarget();
  const player = Object.assign(new EventTarget(), { isPlaying: true });
  const drawnAt = [[], []];
  for (const times of drawnAt) {
    eachFrame(player, () => void times.push(now));
    now += 1000 / 60;
    asked.splice(0).forEach((each) => each(now));
  }
  for (let frame = 0; frame < 20; frame++) {
    now += 1000 / 60;
    asked.splice(0).forEach((each) => each(now));
  }
  assert.deepEqual(drawnAt[0].slice(-8), drawnAt[1].slice(-8));
});

test("what still falls is drawn until it lies", (t) => {
  const { drawn, pass } = started(t, (times) => times < 6);
  pass(20);
  assert.equal(drawn.times, 6);
});
