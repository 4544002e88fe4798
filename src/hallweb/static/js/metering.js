// What a meter says of stereo sound: level, true peak, correlation. Pure.

// ITU-R BS.1770-4, Annex 2: four times oversampled by 48 taps in four phases; the last two mirror the first two.
const HALF = [
  [0.001708984375, 0.010986328125, -0.0196533203125, 0.033203125, -0.0594482421875, 0.1373291015625, 0.97216796875, -0.102294921875, 0.047607421875, -0.026611328125, 0.014892578125, -0.00830078125],
  [-0.0291748046875, 0.029296875, -0.0517578125, 0.089111328125, -0.16650390625, 0.465087890625, 0.77978515625, -0.2003173828125, 0.1015625, -0.0582275390625, 0.0330810546875, -0.0189208984375],
];
const PHASES = [...HALF, [...HALF[1]].reverse(), [...HALF[0]].reverse()];
const TAPS = 12;

class TruePeak {
  #past = new Float64Array(2 * TAPS);
  #at = 0;
  peak = 0;

  push(sample) {
    this.#at = (this.#at + TAPS - 1) % TAPS;
    this.#past[this.#at] = this.#past[this.#at + TAPS] = sample; // twice, so that no tap wraps
    for (const taps of PHASES) {
      let sum = 0;
      for (let tap = 0; tap < TAPS; tap++) sum += taps[tap] * this.#past[this.#at + tap];
      if (sum > this.peak) this.peak = sum;
      else if (-sum > this.peak) this.peak = -sum;
    }
    const level = Math.abs(sample);
    if (level > this.peak) this.peak = level;
  }
}

/** Gathers two sides until it is read. */
export class Metering {
  #peaks = [new TruePeak(), new TruePeak()];
  #sums = [0, 0, 0];
  #smooth = [0, 0, 0];
  #frames = 0;

  /** Take sound of both sides, equally long. */
  push(left, right) {
    for (let frame = 0; frame < left.length; frame++) {
      const [l, r] = [left[frame], right[frame]];
      this.#peaks[0].push(l);
      this.#peaks[1].push(r);
      this.#sums[0] += l * l;
      this.#sums[1] += r * r;
      this.#sums[2] += l * r;
    }
    this.#frames += left.length;
  }

  /** Return mean level of the sides and true peak in dB since the last reading, and correlation (-1 to 1, null in silence) over about the last six. */
  read() {
    const [left, right] = this.#sums;
    const rms = 10 * Math.log10((left + right) / 2 / Math.max(this.#frames, 1));
    const peak = 20 * Math.log10(Math.max(...this.#peaks.map((side) => side.peak)));
    this.#smooth = this.#smooth.map((before, index) => before * 0.85 + this.#sums[index]);
    const power = Math.sqrt(this.#smooth[0] * this.#smooth[1]);
    const correlation = power > 1e-12 ? this.#smooth[2] / power : null;
    this.#sums = [0, 0, 0];
    this.#frames = 0;
    for (const side of this.#peaks) side.peak = 0;
    return { rms, peak, correlation };
  }
}
