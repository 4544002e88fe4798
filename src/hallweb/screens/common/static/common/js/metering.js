// What a meter says of stereo sound: level, true peak, correlation. Pure.

/** The largest value of a sound between its samples as well, by the taps of an oversampling filter's phases. */
class TruePeak {
  #phases;
  #count;
  #past;
  #at = 0;
  peak = 0;

  constructor(phases) {
    this.#phases = phases;
    this.#count = phases[0].length;
    this.#past = new Float64Array(2 * this.#count);
  }

  push(sample) {
    const count = this.#count;
    this.#at = (this.#at + count - 1) % count;
    this.#past[this.#at] = this.#past[this.#at + count] = sample; // twice, so that no tap wraps
    for (const taps of this.#phases) {
      let sum = 0;
      for (let tap = 0; tap < count; tap++) sum += taps[tap] * this.#past[this.#at + tap];
      if (sum > this.peak) this.peak = sum;
      else if (-sum > this.peak) this.peak = -sum;
    }
    const level = Math.abs(sample);
    if (level > this.peak) this.peak = level;
  }
}

/** Gathers two sides until it is read. */
export class Metering {
  #peaks;
  #sums = [0, 0, 0];
  #smooth = [0, 0, 0];
  #frames = 0;

  /** phases: the taps of the true-peak filter by phase, those for the newest sample first. */
  constructor(phases) {
    this.#peaks = [new TruePeak(phases), new TruePeak(phases)];
  }

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
