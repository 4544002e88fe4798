// node --test: what a meter says of known signals.

import assert from "node:assert/strict";
import { test } from "node:test";

import { Metering } from "../../src/hallweb/screens/common/static/common/js/metering.js";
import { facts } from "./facts.js";

const RATE = 48000;

function tone(hz, gain, phase = 0, frames = 9600) {
  return Float32Array.from({ length: frames }, (_, n) => gain * Math.sin((2 * Math.PI * hz * n) / RATE + phase));
}

function read(left, right) {
  const metering = new Metering(facts.truePeak);
  for (let n = 0; n < left.length; n += 128) metering.push(left.slice(n, n + 128), right.slice(n, n + 128));
  return metering.read();
}

test("a full-scale tone on both sides is -3 dB RMS with its peak at 0 dBTP", () => {
  const { rms, peak, correlation } = read(tone(1000, 1), tone(1000, 1));
  assert.ok(Math.abs(rms + 3.01) < 0.02, String(rms));
  assert.ok(Math.abs(peak) < 0.1, String(peak));
  assert.ok(Math.abs(correlation - 1) < 1e-6);
});

test("the true peak between samples is found where the samples miss it", () => {
  const quarter = tone(RATE / 4, 1, Math.PI / 4); // samples at 0.707, -3.01 dB
  const { peak } = read(quarter, quarter);
  assert.ok(Math.abs(peak) < 0.25, String(peak));
});

test("sides turned against each other correlate by -1, a quarter apart by 0", () => {
  assert.ok(Math.abs(read(tone(500, 0.5), tone(500, -0.5)).correlation + 1) < 1e-6);
  assert.ok(Math.abs(read(tone(500, 0.5), tone(500, 0.5, Math.PI / 2)).correlation) < 0.01);
});

test("silence has no correlation, and reading begins anew", () => {
  const metering = new Metering(facts.truePeak);
  metering.push(tone(1000, 1), tone(1000, 1));
  metering.read();
  metering.push(new Float32Array(4800), new Float32Array(4800));
  assert.equal(metering.read().rms, -Infinity);
  metering.push(new Float32Array(4800), new Float32Array(4800));
  assert.equal(metering.read().peak, -Infinity);
  assert.equal(read(new Float32Array(128), new Float32Array(128)).correlation, null);
});
