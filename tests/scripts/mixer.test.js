// node --test: which lanes are heard, with a stand-in for the browser's audio.

import assert from "node:assert/strict";
import { beforeEach, test } from "node:test";

import { HELD, Mixer } from "../../src/hallweb/screens/common/static/common/js/mixer.js";
import { AudioContextStandIn } from "./audiocontext.js";

let mixer;

beforeEach(async () => {
  mixer = new Mixer(new AudioContextStandIn());
  await mixer.ready;
  for (const id of ["dry", "hall", "plate"]) mixer.voice(id, [1, 1]);
});

/** How many times each lane is heard. */
const heard = () => Object.fromEntries([...mixer.lanes].map(([id, { gate }]) => [id, gate.gain.value]));

test("the full mix is every lane once", () => {
  assert.deepEqual(heard(), { dry: 1, hall: 1, plate: 1 });
});

test("a voice has a factor for each side, which moves to others", () => {
  const voice = mixer.voice("hall", [4, 2]);
  const factors = () => voice.input.feeds.map(({ gain }) => gain.value);
  assert.deepEqual(factors(), [4, 2]);
  voice.set([0, 1]);
  assert.deepEqual(factors(), [0, 1]);
});

test("a voice makes up for the headroom of its segment, at first and when it is moved", () => {
  const voice = mixer.voice("hall", [1, 0.5], 8);
  const factors = () => voice.input.feeds.map(({ gain }) => gain.value);
  assert.deepEqual(factors(), [8, 4]);
  voice.set([0.25, 1]);
  assert.deepEqual(factors(), [2, 8]);
});

test("dry feeds the dry sum, returns feed the wet sum", () => {
  assert.equal(mixer.lanes.get("dry").gate.feeds[0], mixer.buses.dry);
  assert.equal(mixer.lanes.get("hall").gate.feeds[0], mixer.buses.wet);
});

test("dry alone, returns alone, one return alone", () => {
  mixer.choose("dry", []);
  assert.deepEqual(heard(), { dry: 1, hall: 0, plate: 0 });
  mixer.choose("returns", []);
  assert.deepEqual(heard(), { dry: 0, hall: 1, plate: 1 });
  mixer.choose("full", ["plate"]);
  assert.deepEqual(heard(), { dry: 0, hall: 0, plate: 1 });
});

test("a lane that comes later is heard as the others are", () => {
  mixer.choose("full", ["dry", "echo"]);
  mixer.voice("echo", [1, 1]);
  assert.equal(heard().echo, 1);
});

test("a part of what is held is heard by its gain, where the lane is heard that it adds to", () => {
  const [other, part] = [mixer.newPart(), mixer.newPart()];
  const id = `${HELD}${part} hall`;
  mixer.voice(id, [1, 1]);
  assert.equal(heard()[id], 0);
  mixer.setPart(other, 0.5);
  mixer.setPart(part, -0.25);
  assert.equal(heard()[id], -0.25);
  mixer.choose("dry", []);
  assert.equal(Math.abs(heard()[id]), 0);
  mixer.choose("full", ["hall"]);
  mixer.setPart(part, 2);
  assert.equal(heard()[id], 2);
});

test("comparing at equal loudness turns all that is heard by so many dB", () => {
  mixer.setMatch(-6);
  assert.ok(Math.abs(mixer.match.gain.value - 10 ** (-6 / 20)) < 1e-12);
});

test("the highest true peak of what is heard is held, those of dry and wet are not", () => {
  const [dry, , sum] = [mixer.buses.dry, mixer.buses.wet, mixer.out].map((node) => node.feeds.find((each) => each.port));
  sum.port.onmessage({ data: { peak: -3 } });
  sum.port.onmessage({ data: { peak: -9 } });
  dry.port.onmessage({ data: { peak: 2 } });
  assert.equal(mixer.highest, -3);
  assert.equal(mixer.readings.sum.peak, -9);
});

test("in mono each side is half of both, and as it was again", () => {
  const ways = () => mixer.master.feeds[0].feeds.map(({ gain }) => gain.value);
  assert.deepEqual(ways(), [1, 0, 0, 1]);
  mixer.setMono(true);
  assert.deepEqual(ways(), [0.5, 0.5, 0.5, 0.5]);
  mixer.setMono(false);
  assert.deepEqual(ways(), [1, 0, 0, 1]);
});
