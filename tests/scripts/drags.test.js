import assert from "node:assert/strict";
import { test } from "node:test";

import { textAt } from "../../src/hallweb/screens/returns/static/returns/js/drags.js";
import { CENTRES_HZ, thirdsOf } from "../../src/hallweb/screens/returns/static/returns/js/thirds.js";

const time = { start: -8, end: 544, size: 552, step: 1, unit: "ms", isLog: false, snaps: [[100, "1/16"], [192, "1/8"]] };

test("a time is led to the nearest note value, or goes free", () => {
  assert.equal(textAt(time, 120), "1/16");
  assert.equal(textAt(time, 160), "1/8");
  assert.equal(textAt(time, 120.04, true), "112 ms");
  assert.equal(textAt(time, 120.44, true), "112.4 ms");
});

test("a frequency lies in the logarithm and keeps two digits, three when it is free", () => {
  const hz = { start: 40, end: 16000, size: 428, step: 2, unit: "Hz", isLog: true, snaps: [] };
  assert.equal(textAt(hz, 0), "40 Hz");
  assert.equal(textAt(hz, 214), "800 Hz");
  assert.equal(textAt(hz, 300, true), "2670 Hz");
});

test("a level has a real minus and steps of half a decibel", () => {
  const gain = { start: 12, end: -36, size: 168, step: 0.5, unit: "dB", isLog: false, snaps: [] };
  assert.equal(textAt(gain, 60), "\u22125 dB");
});

test("thirds of a tone's analyser bins have its mean power, and only its own band", () => {
  const rate = 48000;
  const size = 8192;
  const bins = new Float32Array(size / 2).fill(-200);
  const middle = Math.round((1000 / rate) * size);
  // A Blackman window's main lobe, by its coefficients, of a sine of amplitude 1 on a bin.
  for (const [offset, share] of [[0, 0.42], [1, 0.25], [-1, 0.25], [2, 0.04], [-2, 0.04]]) bins[middle + offset] = 20 * Math.log10(share / 2);
  const levels = thirdsOf(bins, rate, size);
  const band = CENTRES_HZ.findIndex((hz) => Math.round(hz) === 1000);
  assert.ok(Math.abs(levels[band] + 3.01) < 0.1, String(levels[band]));
  assert.ok(levels[band + 2] < -100);
});
