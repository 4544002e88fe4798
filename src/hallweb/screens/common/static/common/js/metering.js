// What a meter says of stereo sound: level, true peak, correlation. Pure.

/** The largest value of a sound between its samples as well, by the taps of the four phases of an oversampling filter. */
class TruePeak {
  #phases; // from the oldest sample to the newest
  #past; // the samples before a block that are needed, and the block
  #gain; // no phase makes anything louder than so many times
  peak = 0;

  constructor(phases) {
    this.#phases = phases.map((taps) => Float64Array.from(taps).reverse());
    this.#past = new Float64Array(phases[0].length - 1);
    this.#gain = Math.max(...phases.map((taps) => taps.reduce((sum, tap) => sum + Math.abs(tap), 0)));
  }

  push(block) {
    const before = this.#phases[0].length - 1;
    const heard = new Float64Array(before + block.length);
    heard.set(this.#past.subarray(this.#past.length - before));
    heard.set(block, before);
    this.#past = heard;
    this.peak = Math.max(this.peak, highest(block));
    if (highest(heard) * this.#gain <= this.peak) return; // nothing between these samples can be a new peak
    this.peak = Math.max(this.peak, highestBetween(...this.#phases, heard));
  }
}

/** Return the largest magnitude of samples. */
function highest(samples) {
  let most = 0;
  for (let frame = 0; frame < samples.length; frame++) most = Math.max(most, Math.abs(samples[frame]));
  return most;
}

/** Return the largest magnitude that any of four filters gives for samples, once all its taps are on them; side by side, as none waits for another. */
function highestBetween(first, second, third, fourth, samples) {
  const count = first.length;
  let most = 0;
  for (let from = 0; from + count <= samples.length; from++) {
    let a = 0;
    let b = 0;
    let c = 0;
    let d = 0;
    for (let tap = 0; tap < count; tap++) {
      const sample = samples[from + tap];
      a += first[tap] * sample;
      b += second[tap] * sample;
      c += third[tap] * sample;
      d += fourth[tap] * sample;
    }
    most = Math.max(most, Math.abs(a), Math.abs(b), Math.abs(c), Math.abs(d));
  }
  return most;
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
    this.#peaks[0].push(left);
    this.#peaks[1].push(right);
    let [leftPower, rightPower, both] = this.#sums;
    for (let frame = 0; frame < left.length; frame++) {
      const l = left[frame];
      const r = right[frame];
      leftPower += l * l;
      rightPower += r * r;
      both += l * r;
    }
    this.#sums = [leftPower, rightPower, both];
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
