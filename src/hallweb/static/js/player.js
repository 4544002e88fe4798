// Plays the song as pieces, lane by lane, gaplessly; takes up edits while it plays.

import { Mixer } from "./mixer.js";
import { PieceStore } from "./pieces.js";
import { nextStretch, sampleAt } from "./timeline.js";

const LOOK_AHEAD_S = 3;
const START_DELAY_S = 0.08;
const SWAP_FADE_S = 0.04;
const EDGE_FADE_S = 0.004;
const TICK_MS = 100;
const TAIL_START_S = 0.25;
const TAIL_LEAD_S = 3;

export class Player extends EventTarget {
  manifest = null;
  loop = null;
  isPlaying = false;
  isWaiting = false;
  softStart = true;
  alone = [];
  plain = "";
  tail = null;
  #url;
  #context = null;
  #stretches = [];
  #cursor = 0;
  #cursorTime = 0;
  #resting = 0;
  #run = 0;

  constructor(url) {
    super();
    this.#url = url;
  }

  get mixer() {
    return this.#mixer();
  }

  #mixerMade = null;
  #mixer() {
    if (!this.#mixerMade) {
      this.#context = new AudioContext({ sampleRate: this.manifest.sampleRate, latencyHint: "interactive" });
      this.#mixerMade = new Mixer(this.#context);
      this.store = new PieceStore(this.#context);
    }
    return this.#mixerMade;
  }

  get sample() {
    if (!this.isPlaying || !this.#stretches.length) return this.#resting;
    return sampleAt(this.#stretches, this.#context.currentTime, this.manifest.sampleRate);
  }

  #tell(name) {
    this.dispatchEvent(new Event(name));
  }

  /** Fetch the list of pieces anew and swap in what has changed. */
  async refresh() {
    const query = new URLSearchParams([["alone", this.alone.join(",")], ["plain", this.plain], ["tracks-end", this.tail?.end ?? ""]].filter(([, value]) => value));
    const response = await fetch(query.size ? `${this.#url}?${query}` : this.#url);
    if (!response.ok) return this.#fail(`the list of pieces did not come (${response.status})`);
    this.manifest = await response.json();
    this.#tell("manifest");
    if (this.isPlaying) await this.#swapChanged();
  }

  /** Hear only these tracks, with what they feed; none is the whole song again. */
  hearAlone(tracks) {
    this.alone = tracks;
    return this.refresh();
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
    await this.refresh();
  }

  /** End the tail check: stop where it began, with what was heard before. */
  async endTail() {
    const { from, loop } = this.tail;
    this.stop();
    this.tail = null;
    this.loop = loop;
    this.#resting = from;
    this.#tell("state");
    await this.refresh();
  }

  /** Hear one return without its tone; none is all as it is. */
  hearPlain(id) {
    this.plain = id;
    return this.refresh();
  }

  #fail(text) {
    this.problem = text;
    this.#tell("problem");
  }

  toggle() {
    return this.isPlaying ? this.stop() : this.play();
  }

  async play(from = this.#resting) {
    if (!this.manifest) return;
    const mixer = this.#mixer();
    await this.#context.resume();
    const run = ++this.#run;
    this.#silence();
    this.#resting = from >= this.manifest.stopSample ? 0 : from;
    this.#cursor = this.#resting;
    this.isPlaying = true;
    this.isWaiting = true;
    this.#tell("state");
    const first = nextStretch(this.#cursor, this.manifest.pieceFrames, this.manifest.stopSample, this.loop);
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
    const old = this.#stretches;
    this.#stretches = [];
    setTimeout(() => old.forEach((stretch) => this.#end(stretch)), 60);
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
    const now = this.#context.currentTime + 0.02;
    const later = this.#stretches.filter((s) => s.time > now);
    later.forEach((stretch) => this.#end(stretch));
    this.#stretches = this.#stretches.filter((s) => s.time <= now);
    const current = this.#stretches.at(-1);
    if (!current) return;
    if (loop && current.start < loop.end && current.end > loop.end) this.#shorten(current, loop.end);
    this.#cursor = loop && current.end === loop.end ? loop.start : current.end;
    this.#cursorTime = current.time + (current.end - current.start) / this.manifest.sampleRate;
  }

  #shorten(stretch, end) {
    stretch.end = end;
    const time = stretch.time + (end - stretch.start) / this.manifest.sampleRate;
    for (const { source, gain } of stretch.voices.values()) {
      gain.gain.setValueAtTime(1, Math.max(time - EDGE_FADE_S, 0));
      gain.gain.linearRampToValueAtTime(0, time);
      source.stop(time);
    }
  }

  #silence() {
    for (const stretch of this.#stretches) this.#end(stretch);
    this.#stretches = [];
  }

  #end(stretch) {
    for (const voice of stretch.voices.values()) voice.source.stop();
  }

  /** Load one piece of every lane; say why if that fails. */
  async #loaded(index) {
    try {
      await Promise.all(this.manifest.lanes.map((lane) => this.store.load(this.manifest, lane, index)));
      return true;
    } catch (error) {
      this.#fail(`sound could not be loaded: ${error.message}`);
      return false;
    }
  }

  async #fill(run) {
    const { pieceFrames, stopSample, sampleRate } = this.manifest;
    while (this.#cursorTime < this.#context.currentTime + LOOK_AHEAD_S) {
      const stretch = nextStretch(this.#cursor, pieceFrames, stopSample, this.loop);
      if (!stretch) {
        if (this.#context.currentTime > this.#cursorTime) this.#atEnd();
        return;
      }
      const manifest = this.manifest;
      if (!(await this.#loaded(stretch.index))) return this.stop();
      if (run !== this.#run || manifest !== this.manifest) return;
      const late = this.#context.currentTime + 0.02 - this.#cursorTime;
      if (late > 0) this.#cursorTime += late; // sound came too late: go on from there rather than skip
      await this.#schedule(stretch);
      this.#cursor = stretch.next;
      this.#cursorTime += (stretch.end - stretch.start) / sampleRate;
      this.#forget();
    }
  }

  #atEnd() {
    if (this.tail) return this.endTail();
    this.stop();
    this.#resting = 0;
    this.#tell("state");
  }

  #forget() {
    const now = this.#context.currentTime;
    const rate = this.manifest.sampleRate;
    this.#stretches = this.#stretches.filter((s) => s.time + (s.end - s.start) / rate > now - 1);
  }

  async #schedule(stretch) {
    const last = this.#stretches.at(-1);
    Object.assign(stretch, { time: this.#cursorTime, voices: new Map(), isJump: !last || last.end !== stretch.start });
    this.#stretches.push(stretch);
    for (const lane of this.manifest.lanes) await this.#voice(stretch, lane, stretch.time);
  }

  /** Start one lane of a stretch at a context time, inside it or at its start. */
  async #voice(stretch, lane, time) {
    const { sampleRate, headroom } = this.manifest;
    const buffer = await this.store.load(this.manifest, lane, stretch.index);
    const source = new AudioBufferSourceNode(this.#context, { buffer });
    const gain = this.#context.createGain();
    source.connect(gain).connect(this.#mixer().lane(lane.id, headroom));
    const passed = time - stretch.time;
    const length = (stretch.end - stretch.start) / sampleRate;
    const end = stretch.time + length;
    if (stretch.isJump && passed === 0) {
      gain.gain.setValueAtTime(0, time);
      gain.gain.linearRampToValueAtTime(1, time + EDGE_FADE_S);
    }
    if (stretch.wraps) {
      gain.gain.setValueAtTime(1, Math.max(end - EDGE_FADE_S, time + EDGE_FADE_S));
      gain.gain.linearRampToValueAtTime(0, end);
    }
    source.start(time, stretch.offset / sampleRate + passed, length - passed);
    stretch.voices.set(lane.id, { source, gain, key: lane.keys[stretch.index] });
  }

  /** Cross-fade every scheduled voice whose piece has changed to the new one. */
  async #swapChanged() {
    const manifest = this.manifest;
    const rate = manifest.sampleRate;
    const isAhead = (s) => s.time + (s.end - s.start) / rate > this.#context.currentTime + 0.05;
    for (const stretch of this.#stretches.filter(isAhead)) {
      for (const [id, voice] of stretch.voices) {
        const lane = manifest.lanes.find((l) => l.id === id);
        if (!lane) this.#fadeTo(voice, this.#context.currentTime + 0.01, 0);
        else if (lane.keys[stretch.index] === voice.key) continue;
        await this.#replace(stretch, lane, voice, manifest);
      }
      for (const lane of manifest.lanes) if (!stretch.voices.has(lane.id)) await this.#replace(stretch, lane, null, manifest);
      if (manifest !== this.manifest) return;
    }
    this.#tell("swapped");
  }

  async #replace(stretch, lane, old, manifest) {
    if (!lane) return;
    try {
      await this.store.load(manifest, lane, stretch.index);
    } catch (error) {
      return this.#fail(`sound could not be loaded: ${error.message}`);
    }
    if (manifest !== this.manifest || !this.isPlaying) return;
    const time = Math.max(stretch.time, this.#context.currentTime + 0.02);
    const length = (stretch.end - stretch.start) / manifest.sampleRate;
    if (time + SWAP_FADE_S >= stretch.time + length) return;
    if (old) this.#fadeTo(old, time, 0);
    await this.#voice(stretch, lane, time);
    const { gain } = stretch.voices.get(lane.id).gain;
    if (time > stretch.time) {
      gain.setValueAtTime(0, time);
      gain.linearRampToValueAtTime(1, time + SWAP_FADE_S);
    }
  }

  #fadeTo(voice, time, level) {
    voice.gain.gain.cancelScheduledValues(time);
    voice.gain.gain.setValueAtTime(1, time);
    voice.gain.gain.linearRampToValueAtTime(level, time + SWAP_FADE_S);
    voice.source.stop(time + SWAP_FADE_S + 0.01);
  }
}
