// What is scheduled: stretches of the song, one after another, and in each a voice for every lane. A voice whose segment
// has become another one is cross-faded while it plays.

import { laneOf } from "./mixer.js";
import { sampleAt } from "./timeline.js";

const SWAP_FADE_S = 0.04;
const EDGE_FADE_S = 0.004;

export class Schedule {
  #context;
  #mixer;
  #store;
  #stretches = [];
  #swappedAt = 0; // the context time from which nothing is heard any more of what was swapped out

  constructor(context, mixer, store) {
    this.#context = context;
    this.#mixer = mixer;
    this.#store = store;
  }

  /** The song's sample that is heard now; null where nothing is scheduled. */
  sampleNow(rate) {
    return this.sampleIn(0, rate);
  }

  /** The song's sample that is heard in so many seconds, as far as it is scheduled; null where nothing is. */
  sampleIn(seconds, rate) {
    return this.#stretches.length ? sampleAt(this.#stretches, this.#context.currentTime + seconds, rate) : null;
  }

  /** The song's sample from which nothing is heard of what was swapped out; null where nothing is scheduled. */
  swappedSample(rate) {
    return this.#stretches.length ? sampleAt(this.#stretches, this.#swappedAt, rate) : null;
  }

  /** Return the peak of what a return is fed now, 1 being full scale; 0 where nothing plays. */
  fedNow(id, rate) {
    const now = this.#context.currentTime;
    const stretch = this.#stretches.findLast((each) => each.time <= now);
    const peaks = stretch?.voices.get(id)?.fedPeaks ?? [];
    return stretch ? (peaks[Math.floor((stretch.offset / rate + now - stretch.time) * 10)] ?? 0) : 0;
  }

  /** Start every lane of a stretch at a context time; a list of segments says their rate. */
  async add(stretch, time, lanes, list) {
    const last = this.#stretches.at(-1);
    Object.assign(stretch, { time, seconds: (stretch.end - stretch.start) / list.sampleRate, voices: new Map(), isJump: !last || last.end !== stretch.start });
    this.#stretches.push(stretch);
    stretch.isAdded = this.#voices(stretch, lanes, list);
    await stretch.isAdded;
  }

  async #voices(stretch, lanes, list) {
    for (const lane of lanes) await this.#voice(stretch, lane, stretch.time, list);
  }

  /** Start one lane of a stretch at a context time, inside it or at its start, and open it over `fadeS`. */
  async #voice(stretch, lane, time, list, fadeS = stretch.isJump ? EDGE_FADE_S : 0) {
    const buffer = await this.#store.load(lane, stretch.index);
    const source = new AudioBufferSourceNode(this.#context, { buffer });
    // Shut from the beginning: a source may begin a sample before the gain of that time holds.
    const gain = new GainNode(this.#context, { gain: fadeS ? 0 : 1 });
    const { input, set } = this.#mixer.voice(lane.id, lane.gains, buffer.headroom);
    source.connect(gain).connect(input);
    const passed = time - stretch.time;
    const end = stretch.time + stretch.seconds;
    if (fadeS) {
      gain.gain.setValueAtTime(0, time);
      gain.gain.linearRampToValueAtTime(1, time + fadeS);
    }
    if (stretch.wraps) {
      gain.gain.setValueAtTime(1, Math.max(end - EDGE_FADE_S, time + EDGE_FADE_S));
      gain.gain.linearRampToValueAtTime(0, end);
    }
    source.start(time, stretch.offset / list.sampleRate + passed, stretch.seconds - passed);
    stretch.voices.set(lane.id, { source, gain, set, key: lane.keys[stretch.index], fedPeaks: buffer.fedPeaks });
  }

  /**
   * Cross-fade every voice whose lane has another segment there now, as long as that `isWanted`; of segment `only`, if that
   * is said. A part of what was held leaves when the lane that it adds to is what it should be. It fails if one does not come.
   */
  async swap(lanes, list, isWanted, only = null) {
    const isAhead = (stretch) => stretch.time + stretch.seconds > this.#context.currentTime + 0.05 && (only === null || stretch.index === only);
    for (const stretch of this.#stretches.filter(isAhead)) {
      await stretch.isAdded;
      if (!isWanted()) return;
      const isThere = (id) => lanes.some((lane) => lane.id === id);
      this.#leave(stretch, (id) => !isThere(id) && !isThere(laneOf(id)));
      await Promise.all(lanes.map((lane) => this.#swapLane(stretch, lane, list, isWanted, isThere)));
      if (!isWanted()) return;
    }
  }

  /** Cross-fade one lane of a stretch as soon as its segment is there, whatever the others wait for. */
  async #swapLane(stretch, lane, list, isWanted, isThere) {
    const isOver = (id) => id !== lane.id && laneOf(id) === lane.id && !isThere(id);
    const voice = stretch.voices.get(lane.id);
    if (voice?.key === lane.keys[stretch.index]) {
      this.#leave(stretch, isOver);
      return voice.set(lane.gains);
    }
    await this.#store.load(lane, stretch.index);
    if (isWanted()) await this.#replace(stretch, lane, list, isOver);
  }

  /** End the voices of a stretch of which that is true by their ids. */
  #leave(stretch, isOver, time = Math.max(stretch.time, this.#context.currentTime + 0.02)) {
    for (const [id, voice] of stretch.voices) {
      if (!isOver(id)) continue;
      this.#drop(voice, stretch, time);
      stretch.voices.delete(id);
    }
  }

  /** Hear a lane at other factors of its sides, as it plays. */
  setGains(id, gains) {
    for (const stretch of this.#stretches) stretch.voices.get(id)?.set(gains);
  }

  async #replace(stretch, lane, list, isOver) {
    const time = Math.max(stretch.time, this.#context.currentTime + 0.02);
    const isTooLate = time + SWAP_FADE_S >= stretch.time + stretch.seconds;
    const swappedAt = isTooLate ? stretch.time + stretch.seconds : time + SWAP_FADE_S;
    if (time > stretch.time) this.#swappedAt = Math.max(this.#swappedAt, swappedAt);
    if (isTooLate) return;
    const old = stretch.voices.get(lane.id);
    if (old) this.#drop(old, stretch, time);
    this.#leave(stretch, isOver, time);
    await this.#voice(stretch, lane, time, list, time > stretch.time ? SWAP_FADE_S : undefined);
  }

  /** End a voice: by a fade, or before it has begun. */
  #drop(voice, stretch, time) {
    if (time <= stretch.time) return voice.source.stop(time);
    const { gain } = voice.gain;
    gain.cancelScheduledValues(time);
    gain.setValueAtTime(1, time);
    gain.linearRampToValueAtTime(0, time + SWAP_FADE_S);
    voice.source.stop(time + SWAP_FADE_S + 0.01);
  }

  /** Take back what begins later than a moment from now, and what lies behind `end`; return what is then the last. */
  cut(end, rate) {
    const now = this.#context.currentTime + 0.02;
    for (const stretch of this.#stretches) if (stretch.time > now) this.#end(stretch);
    this.#stretches = this.#stretches.filter((stretch) => stretch.time <= now);
    const last = this.#stretches.at(-1);
    if (last && last.start < end && last.end > end) this.#shorten(last, end, rate);
    return last;
  }

  #shorten(stretch, end, rate) {
    stretch.end = end;
    stretch.seconds = (end - stretch.start) / rate;
    const time = stretch.time + stretch.seconds;
    for (const { source, gain } of stretch.voices.values()) {
      gain.gain.setValueAtTime(1, Math.max(time - EDGE_FADE_S, 0));
      gain.gain.linearRampToValueAtTime(0, time);
      source.stop(time);
    }
  }

  /** Forget what is over. */
  forget() {
    this.#stretches = this.#stretches.filter((stretch) => stretch.time + stretch.seconds > this.#context.currentTime - 1);
  }

  /** End all, after some milliseconds. */
  clear(afterMs = 0) {
    const old = this.#stretches;
    this.#stretches = [];
    const end = () => old.forEach((stretch) => this.#end(stretch));
    if (afterMs) setTimeout(end, afterMs);
    else end();
  }

  #end(stretch) {
    for (const voice of stretch.voices.values()) voice.source.stop();
  }
}
