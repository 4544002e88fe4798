// Plays a list of segments, lane by lane, gaplessly: play, stop, seek, loop, and look for a place by ear.

import { playGrain } from "./grains.js";
import { Mixer } from "./mixer.js";
import { Schedule } from "./schedule.js";
import { SegmentStore } from "./segments.js";
import { barBefore, nextStretch } from "./timeline.js";

const LOOK_AHEAD_S = 3;
const START_DELAY_S = 0.08;
const TICK_MS = 100;
const FADE_IN_S = 0.12;
const AGAIN_S = 4;
const LATEST_S = 0.15;
const REST_MS = 1000; // what is faded out is silent by then, for meters too

export class Transport extends EventTarget {
  manifest = null;
  loop = null;
  isPlaying = false;
  isWaiting = false;
  softStart = true;
  hasPreRoll = false;
  resting = 0;
  schedule = null;
  #context = null;
  #mixer = null;
  #cursor = 0;
  #cursorTime = 0;
  #run = 0;
  #isScrubbing = false;
  #rest = null;
  #heard = []; // the lanes of the last segment that was scheduled as it was asked for

  /** The lanes that play. */
  get lanes() {
    return this.manifest.lanes;
  }

  /** The way out for sound, made when it is first asked for: a browser gives it only when something is pressed. */
  get mixer() {
    if (!this.#mixer) {
      this.#context = new AudioContext({ sampleRate: this.manifest.sampleRate, latencyHint: "interactive" });
      this.#mixer = new Mixer(this.#context);
      this.#mixer.setMono(this.#isMono);
      this.store = new SegmentStore(this.#context);
      this.schedule = new Schedule(this.#context, this.#mixer, this.store);
      this.#restSoon();
    }
    return this.#mixer;
  }

  #isMono = false;

  /** Whether both sides are heard as one. */
  get isMono() {
    return this.#isMono;
  }

  set isMono(isMono) {
    this.#isMono = isMono;
    if (this.#mixer) this.#mixer.setMono(isMono);
    this.tell("state");
  }

  /** Whether there is a way out for sound yet. */
  get hasSound() {
    return this.#mixer !== null;
  }

  get sample() {
    const now = this.isPlaying ? this.schedule.sampleNow(this.manifest.sampleRate) : null;
    return now ?? this.resting;
  }

  tell(name) {
    this.dispatchEvent(new Event(name));
  }

  fail(text) {
    this.problem = text;
    this.tell("problem");
  }

  toggle() {
    if (this.isPlaying) return this.stop();
    return this.play(this.hasPreRoll ? barBefore(this.manifest.beats, this.resting) : this.resting);
  }

  /** Play the last few seconds again. */
  again() {
    const from = this.sample - AGAIN_S * this.manifest.sampleRate;
    return this.play(Math.max(Math.round(from), this.loop?.start ?? 0));
  }

  async play(from = this.resting) {
    if (!this.manifest) return;
    await this.#awake();
    const run = ++this.#run;
    this.schedule.clear();
    this.resting = from >= this.manifest.stopSample ? 0 : from;
    this.#cursor = this.resting;
    this.isPlaying = true;
    this.isWaiting = true;
    this.tell("state");
    const first = nextStretch(this.#cursor, this.manifest.segmentFrames, this.manifest.stopSample, this.loop);
    if (!first || !(await this.#loaded(first.index))) return this.stop();
    if (run !== this.#run) return;
    this.#cursorTime = this.#context.currentTime + START_DELAY_S;
    this.mixer.fadeIn(this.softStart ? FADE_IN_S : 0, this.#cursorTime);
    this.isWaiting = false;
    this.tell("state");
    while (run === this.#run && this.isPlaying) {
      await this.#fill(run);
      await new Promise((done) => setTimeout(done, TICK_MS));
    }
  }

  stop() {
    if (!this.isPlaying) return;
    this.resting = this.sample;
    this.#run++;
    this.isPlaying = false;
    this.isWaiting = false;
    this.mixer.fadeOut();
    this.schedule.clear(60);
    this.#restSoon();
    this.tell("state");
  }

  /** Stop at the end of the song, and rest at its start. */
  atEnd() {
    this.stop();
    this.resting = 0;
    this.tell("state");
  }

  async seek(sample) {
    this.resting = Math.max(0, Math.round(sample));
    if (this.isPlaying) await this.play(this.resting);
    else this.tell("state");
  }

  /** Go to a place while looking for it, and hear a moment of it. */
  async scrub(sample) {
    if (this.isPlaying) this.stop();
    this.resting = Math.max(0, Math.min(Math.round(sample), this.manifest.stopSample - 1));
    this.tell("state");
    if (this.#isScrubbing) return;
    this.#isScrubbing = true;
    await this.#awake();
    if (await this.#loaded(Math.floor(this.resting / this.manifest.segmentFrames))) {
      await playGrain(this.#context, this.mixer, this.store, this.manifest, this.resting);
      this.tell("state");
    }
    this.#isScrubbing = false;
    this.#restSoon();
  }

  /** Loop between two samples, or go on with null; what was scheduled beyond is taken back. */
  setLoop(loop) {
    this.loop = loop;
    if (!this.isPlaying || this.isWaiting) return;
    const current = this.schedule.cut(loop?.end ?? Infinity, this.manifest.sampleRate);
    if (!current) return;
    this.#cursor = loop && current.end === loop.end ? loop.start : current.end;
    this.#cursorTime = current.time + current.seconds;
  }

  /** Called with the index of each segment that was scheduled, to have others at hand. */
  loadBeside() {}

  /** Let the processor rest where nothing sounds: silence is worked out like any other sound. */
  #restSoon() {
    clearTimeout(this.#rest);
    this.#rest = setTimeout(() => !this.isPlaying && this.#context.suspend(), REST_MS);
  }

  async #awake() {
    const { mixer } = this;
    clearTimeout(this.#rest);
    await Promise.all([this.#context.resume(), mixer.ready]);
  }

  /** Whether a lane may go on with the sound that it had, where its new one is late. */
  get mayLag() {
    return true;
  }

  /** Called when a lane went on with the sound that it had: the new one is to take its place. */
  catchUp() {}

  /** Load one segment of every lane; say why if that fails. */
  async #loaded(index, lanes = this.lanes) {
    try {
      await Promise.all(lanes.map((lane) => this.store.load(lane, index)));
      return true;
    } catch (error) {
      this.fail(`sound could not be loaded: ${error.message}`);
      return false;
    }
  }

  /** Return the lanes with which a segment can be scheduled in time: as they are, or late ones as they were before. */
  async #lanesInTime(index) {
    const { lanes } = this;
    const before = new Map(this.#heard.map((lane) => [lane.id, lane]));
    if (!this.mayLag || !before.size) return lanes;
    const patience = Math.max(this.#cursorTime - this.#context.currentTime - LATEST_S, 0);
    const isThere = this.#loaded(index, lanes).then(() => true);
    if (await Promise.race([isThere, new Promise((done) => setTimeout(done, patience * 1000, false))])) return lanes;
    return lanes.map((lane) => (this.store.has(lane, index) || !this.store.has(before.get(lane.id), index) ? lane : before.get(lane.id)));
  }

  async #fill(run) {
    const { segmentFrames, stopSample } = this.manifest;
    while (this.#cursorTime < this.#context.currentTime + LOOK_AHEAD_S) {
      const stretch = nextStretch(this.#cursor, segmentFrames, stopSample, this.loop);
      if (!stretch) {
        if (this.#context.currentTime > this.#cursorTime) this.atEnd();
        return;
      }
      const { manifest } = this;
      const lanes = await this.#lanesInTime(stretch.index);
      if (run !== this.#run || manifest !== this.manifest) return;
      if (!(await this.#loaded(stretch.index, lanes))) return this.stop();
      if (run !== this.#run || manifest !== this.manifest) return;
      const late = this.#context.currentTime + 0.02 - this.#cursorTime;
      if (late > 0) this.#cursorTime += late; // sound came too late: go on from there rather than skip
      await this.schedule.add(stretch, this.#cursorTime, lanes, manifest);
      if (lanes.some((lane, index) => lane !== this.lanes[index])) this.catchUp();
      else this.#heard = lanes;
      this.#cursor = stretch.next;
      this.#cursorTime += stretch.seconds;
      this.schedule.forget();
      this.loadBeside(stretch.index);
    }
  }
}
