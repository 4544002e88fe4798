// node --test: what a control that is ridden writes down, and what is heard of it meanwhile.

import assert from "node:assert/strict";
import { beforeEach, test } from "node:test";

import "./facts.js";
import { Ride } from "../../src/hallweb/screens/moves/static/moves/js/points.js";

let player;
let told;

beforeEach(() => {
  told = [];
  player = {
    sample: 0,
    hold: (what, { section }) => told.push(`hold ${what} in ${section || "the song"}`),
    setHeld: ([gain]) => told.push(gain.toFixed(3)),
    release: (isChanged) => told.push(`release ${isChanged}`),
  };
});

function take(ride, sample, value) {
  player.sample = sample;
  ride.take(value);
}

test("a level is written down where the song is, and heard as it moves", () => {
  const ride = new Ride(player, "send:voice:hall:level_db", "verse", 0.5);
  take(ride, 100, "0");
  take(ride, 200, "-20");
  assert.deepEqual(ride.end(), [[100, 0], [200, -20]]);
  assert.deepEqual(told, ["hold send/voice/hall in verse", "0.500", "-0.400", "release true"]);
});

test("nothing is written twice where the song goes back, as in a loop", () => {
  const ride = new Ride(player, "return:hall:level_db", "", 1);
  for (const [sample, value] of [[500, "-6"], [900, "-9"], [500, "-3"], [900, "-1"], [901, "0"]]) take(ride, sample, value);
  assert.deepEqual(ride.end(), [[500, -6], [900, -9], [901, 0]]);
});

test("what is no level is written down, but not heard before it is an edit", () => {
  const ride = new Ride(player, "effect:hall:reverb:decay_s", "", 1);
  take(ride, 10, "2.5");
  assert.deepEqual(ride.end(), [[10, 2.5]]);
  assert.deepEqual(told, []);
});
