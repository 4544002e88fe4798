// Plays the song as segments, lane by lane, gaplessly; takes up edits while it plays.

import { HELD, Mixer } from "./mixer.js";
import { SegmentLists, SegmentStore } from "./segments.js";
import { Schedule } from "./schedule.js";
import { barBefore, nextStretch } from "./timeline.js";

const LOOK_AHEAD_S = 3;
const START_DELAY_S = 0.08;
const TICK_MS = 100;
const TAIL_START_S = 0.25;
const TAIL_LEAD_S = 3;
const AGAIN_S = 4;
const GRAIN_S = 0.16;

export class Player extends EventTarget {
  manifest = null;
  loop = null;
  isPlaying = false;
  isWaiting = false;
  softStart = true;
  alone = [];
  plain = "";
  tail = null;
  sendsEnd = null;
  hasPreRoll = false;
  compared = null;
  side = "a";
  #lists;
  #held = null;
  #context = null;
  #schedule = null;
  #cursor = 0;
  #cursorTime = 0;
  #resting = 0;
  #run = 0;
  #swaps = 0;

  constructor(url) {
    super();
    this.#lists = new SegmentLists(url);
  }

  get mixer() {
    return this.#mixer();
  }

  /** Whether there is a way out for sound yet; a browser gives it only when something is pressed. */
  get hasSound() {
    return this.#mixerMade !== null;
  }

  #mixerMade = null;
  #mixer() {
    if (!this.#mixerMade) {
      this.#context = new AudioContext({ sampleRate: this.manifest.sampleRate, latencyHint: "interactive" });
      this.#mixerMade = new Mixer(this.#context);
      this.store = new SegmentStore(this.#context);
      this.#schedule = new Schedule(this.#context, this.#mixerMade, this.store);
    }
    return this.#mixerMade;
  }

  get sample() {
    const now = this.isPlaying ? this.#schedule.sampleNow(this.manifest.sampleRate) : null;
    return now ?? this.#resting;
  }

  /** Return the peak of what a return is fed now, 1 being full scale; 0 where nothing plays. */
  fedNow(id) {
    return this.#schedule?.fedNow(id, this.manifest.sampleRate) ?? 0;
  }

  #tell(name) {
    this.dispatchEvent(new Event(name));
  }

  /** The lanes that play: those of the list, and those of what is held. */
  get #lanes() {
    return [...this.manifest.lanes, ...(this.#held?.lanes ?? [])];
  }

  #query(side = this.side) {
    const said = [["alone", this.alone.join(",")], ["plain", this.plain], ["tracks-end", this.tail?.end], ["sends-end", this.sendsEnd], ["version", side === "b" ? this.compared : ""]];
    return new URLSearchParams(said.filter(([, value]) => value));
  }

  /** Fetch the list of segments anew, since the plan has changed, and swap in what is another sound now. */
  refresh() {
    this.#lists.clear();
    return this.#follow();
  }

  /** Take up what is to be heard now, whatever of it has changed. */
  async #follow() {
    const query = this.#query();
    try {
      const list = await this.#lists.of(query);
      if (query.toString() !== this.#query().toString()) return;
      this.manifest = list;
      if (!this.#held?.isHeld) this.#held = null;
    } catch (error) {
      return this.#fail(error.message);
    }
    this.#tell("manifest");
    if (this.isPlaying) await this.#swapChanged();
  }

  /** Compare with a version, by its id, and hear what is there now; with null compare no more. */
  compare(version) {
    this.compared = version;
    return this.hear("a");
  }

  /** Hear side "a", what is there now, or "b", the version that it is compared with. */
  hear(side) {
    this.side = this.compared ? side : "a";
    this.#tell("state");
    return this.#follow();
  }

  /** Mute all sends from now on, or unmute them; the tracks are heard either way. */
  cutSends() {
    this.sendsEnd = this.sendsEnd === null ? this.sample + Math.round(TAIL_START_S * this.manifest.sampleRate) : null;
    this.#tell("state");
    return this.#follow();
  }

  /**
   * Play a level or pan as the user drags it. Extra lanes play the sound that the dragged value lets through, at a live
   * gain: see `highhall.plan.isolation`. `what` names the value as the list of segments takes it; a level needs one such
   * part, a pan two: `sides` left and right.
   */
  async hold(what, { section = "", sides = [""] } = {}) {
    if (this.side === "b") return; // what changes is A
    const held = { isHeld: true, lanes: [] };
    this.#held = held;
    this.setHeld(sides.map(() => 0));
    const queries = sides.map((side) => new URLSearchParams([...this.#query(), ["held", what], ["section", section], ["side", side]].filter(([, value]) => value)));
    const lists = await Promise.all(queries.map((query) => this.#lists.of(query))).catch(() => []);
    if (this.#held !== held) return;
    held.lanes = lists.flatMap((list, part) => list.lanes.map((lane) => ({ ...lane, id: `${HELD}${part} ${lane.id}` })));
    if (this.isPlaying) await this.#swapChanged();
  }

  /** Set the gain of each part of the dragged value; a negative gain takes sound away. */
  setHeld(gains) {
    if (this.#held && this.#mixerMade) this.#mixer().setHeld(gains);
  }

  /** Stop dragging: the extra lanes play on until the edit sounds, or stop at once if nothing was changed. */
  release(isChanged) {
    if (!this.#held) return;
    this.#held.isHeld = false;
    if (!isChanged) this.#follow();
  }

  /** Hear only these tracks, with what they feed; none is the whole song again. */
  hearAlone(tracks) {
    this.alone = tracks;
    return this.#follow();
  }

  /** Stop the sources and hear the returns ring on; when they are over, all is as it was before. Again, it is repeated. */
  async checkTail() {
    if (this.tail) return this.endTail();
    if (!this.isPlaying) {
      await this.play(Math.max(this.#resting - TAIL_LEAD_S * this.manifest.sampleRate, 0));
      return;
    }
    const end = this.sample + Math.round(TAIL_START_S * this.manifest.sampleRate);
    this.tail = { from: this.sample, end, loop: this.loop };
    this.loop = null;
    this.#tell("state");
    await this.#follow();
  }

  /** End the tail check: stop where it began, with what was heard before. */
  async endTail() {
    const { from, loop } = this.tail;
    this.stop();
    this.tail = null;
    this.loop = loop;
    this.#resting = from;
    this.#tell("state");
    await this.#follow();
  }

  /** Hear one return without its tone; none is all as it is. */
  hearPlain(id) {
    this.plain = id;
    return this.#follow();
  }

  #fail(text) {
    this.problem = text;
    this.#tell("problem");
  }

  toggle() {
    if (this.isPlaying) return this.stop();
    return this.play(this.hasPreRoll ? barBefore(this.manifest.beats, this.#resting) : this.#resting);
  }

  /** Play the last few seconds again. */
  again() {
    const from = this.sample - AGAIN_S * this.manifest.sampleRate;
    return this.play(Math.max(Math.round(from), this.loop?.start ?? 0));
  }

  /** Go to a place while looking for it, and hear a moment of it. */
  async scrub(sample) {
    if (this.isPlaying) this.stop();
    this.#resting = Math.max(0, Math.min(Math.round(sample), this.manifest.stopSample - 1));
    this.#tell("state");
    if (this.#isScrubbing) return;
    this.#isScrubbing = true;
    await this.#grain(this.#resting);
    this.#isScrubbing = false;
  }

  #isScrubbing = false;
  async #grain(sample) {
    const mixer = this.#mixer();
    await Promise.all([this.#context.resume(), mixer.ready]);
    const index = Math.floor(sample / this.manifest.segmentFrames);
    if (!(await this.#loaded(index))) return;
    const time = this.#context.currentTime + 0.01;
    mixer.fadeIn(0, time);
    for (const lane of this.manifest.lanes) {
      const source = new AudioBufferSourceNode(this.#context, { buffer: await this.store.load(lane, index) });
      const gain = new GainNode(this.#context, { gain: 0 });
      gain.gain.setValueAtTime(0, time);
      gain.gain.linearRampToValueAtTime(1, time + GRAIN_S / 4);
      gain.gain.setValueAtTime(1, time + (GRAIN_S * 3) / 4);
      gain.gain.linearRampToValueAtTime(0, time + GRAIN_S);
      source.connect(gain).connect(mixer.lane(lane.id, this.manifest.headroom));
      source.start(time, (sample - index * this.manifest.segmentFrames) / this.manifest.sampleRate, GRAIN_S);
    }
    await new Promise((done) => setTimeout(done, GRAIN_S * 1000));
  }

  async play(from = this.#resting) {
    if (!this.manifest) return;
    const mixer = this.#mixer();
    await Promise.all([this.#context.resume(), mixer.ready]);
    const run = ++this.#run;
    this.#schedule.clear();
    this.#resting = from >= this.manifest.stopSample ? 0 : from;
    this.#cursor = this.#resting;
    this.isPlaying = true;
    this.isWaiting = true;
    this.#tell("state");
    const first = nextStretch(this.#cursor, this.manifest.segmentFrames, this.manifest.stopSample, this.loop);
    if (!first || !(await this.#loaded(first.index))) return this.stop();
    if (run !== this.#run) return;
    this.#cursorTime = this.#context.currentTime + START_DELAY_S;
    mixer.fadeIn(this.softStart ? 0.12 : 0, this.#cursorTime);
    this.isWaiting = false;
    this.#tell("state");
    while (run === this.#run && this.isPlaying) {
      await this.#fill(run);
      await new Promise((done) => setTimeout(done, TICK_MS));
    }
  }

  stop() {
    if (!this.isPlaying) return;
    this.#resting = this.sample;
    this.#run++;
    this.isPlaying = false;
    this.isWaiting = false;
    this.#mixer().fadeOut();
    this.#schedule.clear(60);
    this.#tell("state");
  }

  async seek(sample) {
    this.#resting = Math.max(0, Math.round(sample));
    if (this.isPlaying) await this.play(this.#resting);
    else this.#tell("state");
  }

  /** Loop between two samples, or go on with null; what was scheduled beyond is taken back. */
  setLoop(loop) {
    this.loop = loop;
    if (!this.isPlaying || this.isWaiting) return;
    const current = this.#schedule.cut(loop?.end ?? Infinity, this.manifest.sampleRate);
    if (!current) return;
    this.#cursor = loop && current.end === loop.end ? loop.start : current.end;
    this.#cursorTime = current.time + current.seconds;
  }

  /** Load one segment of every lane; say why if that fails. */
  async #loaded(index) {
    try {
      await Promise.all(this.#lanes.map((lane) => this.store.load(lane, index)));
      return true;
    } catch (error) {
      this.#fail(`sound could not be loaded: ${error.message}`);
      return false;
    }
  }

  async #fill(run) {
    const { segmentFrames, stopSample } = this.manifest;
    while (this.#cursorTime < this.#context.currentTime + LOOK_AHEAD_S) {
      const stretch = nextStretch(this.#cursor, segmentFrames, stopSample, this.loop);
      if (!stretch) {
        if (this.#context.currentTime > this.#cursorTime) this.#atEnd();
        return;
      }
      const manifest = this.manifest;
      if (!(await this.#loaded(stretch.index))) return this.stop();
      if (run !== this.#run || manifest !== this.manifest) return;
      const late = this.#context.currentTime + 0.02 - this.#cursorTime;
      if (late > 0) this.#cursorTime += late; // sound came too late: go on from there rather than skip
      await this.#schedule.add(stretch, this.#cursorTime, this.#lanes, manifest);
      this.#cursor = stretch.next;
      this.#cursorTime += stretch.seconds;
      this.#schedule.forget();
      this.#loadOtherSide(stretch.index);
    }
  }

  /** Have the other side's segments at hand, so that going over to it is heard at once. */
  async #loadOtherSide(index) {
    if (!this.compared) return;
    const list = await this.#lists.of(this.#query(this.side === "a" ? "b" : "a")).catch(() => null);
    for (const lane of list?.lanes ?? []) this.store.load(lane, index).catch(() => null);
  }

  #atEnd() {
    if (this.tail) return this.endTail();
    this.stop();
    this.#resting = 0;
    this.#tell("state");
  }

  /** Let every lane play the segments of the present list where they are others; a later call takes over from one at work. */
  async #swapChanged() {
    const turn = ++this.#swaps;
    const isWanted = () => turn === this.#swaps && this.isPlaying;
    try {
      await this.#schedule.swap(this.#lanes, this.manifest, isWanted);
    } catch (error) {
      this.#fail(`sound could not be loaded: ${error.message}`);
    }
  }
}
