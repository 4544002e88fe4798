// A tempo from taps. Pure.

const LEAST = 4;
const PAUSE = 2.5;

/** Return { bpm, error, count } from the times of taps in ms, the last unbroken run; null for too few. */
export function tappedTempo(times) {
  let run = [];
  for (const time of times) {
    const gap = run.length ? time - run.at(-1) : 0;
    const usual = run.length > 1 ? (run.at(-1) - run[0]) / (run.length - 1) : gap;
    run = gap > PAUSE * usual ? [time] : [...run, time];
  }
  if (run.length < LEAST) return null;
  // A line through the taps: what one tap was off by counts little.
  const n = run.length;
  const middle = (n - 1) / 2;
  const mean = run.reduce((sum, time) => sum + time, 0) / n;
  const spread = run.reduce((sum, _, i) => sum + (i - middle) ** 2, 0);
  const beat = run.reduce((sum, time, i) => sum + (i - middle) * (time - mean), 0) / spread;
  const off = run.reduce((sum, time, i) => sum + (time - mean - beat * (i - middle)) ** 2, 0) / (n - 2);
  const bpm = 60_000 / beat;
  return { bpm, error: (bpm * Math.sqrt(off / spread)) / beat, count: n };
}
