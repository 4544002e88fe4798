// The live spectrum of the open return, in third octaves, over the measured one and on its scale.

import { eachFrame } from "../../common/js/frames.js";
import { CENTRES_HZ, thirdsOf } from "./thirds.js";

const LOW_HZ = 40;
const HIGH_HZ = 16000;
const TOP_DB = 12;
const SPAN_DB = 48;
const LEAST_MS = 60; // a transform of each side takes longer than drawing it
const EDGE = 10 ** 0.05;

function x(hz, width) {
  return (Math.log(hz / LOW_HZ) / Math.log(HIGH_HZ / LOW_HZ)) * width;
}

export function bindLiveSpectrum(player) {
  let bins = null;
  let drawnAt = 0;
  function draw() {
    const canvas = document.querySelector("[data-live-spectrum]");
    if (!canvas || (player.isPlaying && performance.now() - drawnAt < LEAST_MS)) return;
    drawnAt = performance.now();
    const context = canvas.getContext("2d");
    context.clearRect(0, 0, canvas.width, canvas.height);
    const measured = canvas.parentElement.querySelector("[data-top-db]");
    const lane = player.isPlaying ? player.mixer.lanes.get(canvas.dataset.liveSpectrum) : null;
    if (!lane || !measured) return;
    const bySide = lane.sides.map((side) => {
      bins ??= new Float32Array(side.frequencyBinCount);
      side.getFloatFrequencyData(bins);
      return thirdsOf(bins, player.manifest.sampleRate, side.fftSize);
    });
    const levels = bySide[0].map((left, strip) => 10 * Math.log10(10 ** (left / 10) + 10 ** (bySide[1][strip] / 10)));
    const top = Number(measured.dataset.topDb);
    context.strokeStyle = getComputedStyle(canvas).color;
    context.lineWidth = 2;
    context.beginPath();
    for (const [strip, level] of levels.entries()) {
      const y = Math.min(Math.max((TOP_DB - (level - top)) / SPAN_DB, 0), 1) * canvas.height;
      if (y >= canvas.height) continue;
      context.moveTo(x(CENTRES_HZ[strip] / EDGE, canvas.width) + 1, y);
      context.lineTo(x(CENTRES_HZ[strip] * EDGE, canvas.width) - 1, y);
    }
    context.stroke();
  }
  eachFrame(player, draw);
}
