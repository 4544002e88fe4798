import assert from "node:assert/strict";
import { test } from "node:test";

import { titleOf } from "../../src/hallweb/screens/songs/static/songs/js/titles.js";

test("a title is what the names of all stems begin with, to a whole word", () => {
  assert.equal(titleOf(["Lantern_Bass.wav", "Lantern_Voice.wav"]), "Lantern");
  assert.equal(titleOf(["Cold Harbour - Drum.wav", "Cold Harbour - Drone.wav"]), "Cold Harbour");
  assert.equal(titleOf(["bass.wav", "bassoon.wav"]), "New song");
  assert.equal(titleOf(["01 Kick.wav", "02 Snare.wav"]), "New song");
  assert.equal(titleOf(["one.wav"]), "New song");
});
