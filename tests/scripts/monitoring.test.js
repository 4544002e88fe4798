// node --test: what is heard after a press, and how it is said.

import assert from "node:assert/strict";
import { test } from "node:test";

import { monitoringWords, soloed, toggledAlone } from "../../src/hallweb/screens/common/static/common/js/monitoring.js";

const SHIFT = { shiftKey: true };
const ALT = { altKey: true };

test("a return is soloed, and again it is not", () => {
  assert.deepEqual(soloed([], "hall"), ["hall"]);
  assert.deepEqual(soloed(["hall"], "plate"), ["plate"]);
  assert.deepEqual(soloed(["hall", "plate"], "hall"), []);
});

test("Shift adds a return to those that are soloed, and takes one of them away", () => {
  assert.deepEqual(soloed(["hall"], "plate", SHIFT), ["hall", "plate"]);
  assert.deepEqual(soloed(["hall", "plate"], "hall", SHIFT), ["plate"]);
});

test("Alt lets the dry sound be heard too, which is never soloed by what is left", () => {
  assert.deepEqual(soloed([], "hall", ALT), ["hall", "dry"]);
  assert.deepEqual(soloed(["hall", "dry"], "hall", SHIFT), []);
  assert.deepEqual(soloed(["hall", "dry"], "plate", { ...SHIFT, ...ALT }), ["hall", "dry", "plate"]);
});

test("a track is heard alone, or beside others", () => {
  assert.deepEqual(toggledAlone([], "voice", false), ["voice"]);
  assert.deepEqual(toggledAlone(["voice"], "voice", false), []);
  assert.deepEqual(toggledAlone(["voice", "bass"], "voice", false), ["voice"]);
  assert.deepEqual(toggledAlone(["voice"], "bass", true), ["voice", "bass"]);
  assert.deepEqual(toggledAlone(["voice", "bass"], "voice", true), ["bass"]);
});

test("what is heard is told by name", () => {
  const told = (more) => monitoringWords({ listen: "full", ...more });
  assert.equal(told({}), "Full mix");
  assert.equal(told({ tracks: ["Voice", "Bass"] }), "Full mix of Voice and Bass alone");
  assert.equal(told({ listen: "returns", tracks: ["Voice", "Bass", "Drums"] }), "Returns only of 3 tracks alone");
  assert.equal(told({ solos: ["Hall", "Plate"] }), "Only Hall and Plate, nothing else");
  assert.equal(told({ solos: ["Hall"], withDry: true }), "Only Hall, with the dry sound");
  assert.equal(told({ isTail: true, solos: ["Hall"] }), "Sources stopped: what rings on");
  assert.equal(told({ plain: "Hall", isUnsent: true, matched: "+3.0 dB" }), "Full mix, Hall without its tone, nothing is sent, +3.0 dB");
});
