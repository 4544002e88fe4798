// A moment of sound, faded in and out, for looking for a place by ear.

const GRAIN_S = 0.16;

/** Play what lies at a sample, of segments that are loaded; it is over when the promise is fulfilled. */
export async function playGrain(context, mixer, store, manifest, sample) {
  const index = Math.floor(sample / manifest.segmentFrames);
  const time = context.currentTime + 0.01;
  mixer.fadeIn(0, time);
  for (const lane of manifest.lanes) {
    const buffer = await store.load(lane, index);
    const source = new AudioBufferSourceNode(context, { buffer });
    const gain = new GainNode(context, { gain: 0 });
    gain.gain.setValueAtTime(0, time);
    gain.gain.linearRampToValueAtTime(1, time + GRAIN_S / 4);
    gain.gain.setValueAtTime(1, time + (GRAIN_S * 3) / 4);
    gain.gain.linearRampToValueAtTime(0, time + GRAIN_S);
    source.connect(gain).connect(mixer.voice(lane.id, lane.gains, buffer.headroom).input);
    source.start(time, (sample - index * manifest.segmentFrames) / manifest.sampleRate, GRAIN_S);
  }
  await new Promise((done) => setTimeout(done, GRAIN_S * 1000));
}
