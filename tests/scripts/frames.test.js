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
    for (let frame = 0; frame < frames; frame++) asked.splice(0).forEach((each) => each());
  };
  return { player, drawn, ask, pass };
}

globalThis.requestAnimationFrame ??= () => null;

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

test("while the song plays it is drawn with every frame", (t) => {
  const { player, drawn, pass } = started(t);
  pass(1);
  player.isPlaying = true;
  player.dispatchEvent(new Event("state"));
  pass(20);
  assert.equal(drawn.times, 21);
  player.isPlaying = false;
  pass(20);
  assert.equal(drawn.times, 22);
});

test("what still falls is drawn until it lies", (t) => {
  const { drawn, pass } = started(t, (times) => times < 6);
  pass(20);
  assert.equal(drawn.times, 6);
});
