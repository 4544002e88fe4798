// Powers of an analyser's bins summed into third octaves. Pure.

export const CENTRES_HZ = Array.from({ length: 30 }, (_, n) => 1000 * 10 ** ((n - 16) / 10));
const EDGE = 10 ** 0.05;
const WINDOW_POWER = 0.42 ** 2 + (0.5 ** 2 + 0.08 ** 2) / 2;

/**
 * Return the level of every third octave in dB from an analyser's magnitudes in dB.
 *
 * Web Audio API, 1.8.6: the transform of the Blackman window's product, divided by its length. So the bins of a tone of
 * amplitude A add up to A^2 / 4 times the window's mean square, and its mean power is A^2 / 2.
 */
export function thirdsOf(bins, sampleRate, fftSize) {
  const width = sampleRate / fftSize;
  return CENTRES_HZ.map((hz) => {
    const low = hz / EDGE / width;
    const high = (hz * EDGE) / width;
    let power = 0;
    for (let bin = Math.max(Math.ceil(low - 0.5), 1); bin < Math.min(high + 0.5, bins.length); bin++) {
      const inside = Math.min(bin + 0.5, high) - Math.max(bin - 0.5, low);
      power += Math.max(inside, 0) * 10 ** (bins[bin] / 10);
    }
    return power > 0 ? 10 * Math.log10((2 * power) / WINDOW_POWER) : -Infinity;
  });
}
