// The live side of listening: a gain for every lane, dry and wet sums, and analysers on them.

import { facts } from "./facts.js";

const RAMP_S = 0.012;
const LANE_FFT = 8192;

/** What the id of a lane begins with that is part of what is held; the part's number and the lane that it adds to follow. */
export const HELD = "held ";
const PARTS = 64; // as many as can be held at once; a number comes again when it has long been let go

/** Return the id of the lane that a lane adds to, if it is part of what is held; else its own. */
export function laneOf(id) {
  return id.startsWith(HELD) ? id.slice(HELD.length).split(" ")[1] : id;
}

export class Mixer {
  #ways; // of each side to each side of what is heard
  constructor(context) {
    this.context = context;
    this.master = context.createGain();
    this.out = context.createChannelMerger(2);
    this.#ways = this.#crossing(this.master, this.out);
    this.out.connect(context.destination);
    this.match = context.createGain();
    this.match.connect(this.master);
    this.buses = { dry: this.#bus(), wet: this.#bus() };
    this.lanes = new Map();
    this.listen = "full";
    this.solos = [];
    this.ready = this.#measure();
  }

  /** The latest readings of dry, wet and sum, and the highest true peak of the sum since it was reset, in dB. */
  readings = {};
  highest = -Infinity;

  /** Measure dry, wet and what is heard, without a gap. */
  async #measure() {
    await this.context.audioWorklet.addModule(new URL("worklets/meter.js", import.meta.url));
    for (const [name, node] of [["dry", this.buses.dry], ["wet", this.buses.wet], ["sum", this.out]]) {
      const meter = new AudioWorkletNode(this.context, "high-hall-meter", { numberOfOutputs: 0, channelCount: 2, channelCountMode: "explicit", processorOptions: { phases: facts.truePeak } });
      meter.port.onmessage = ({ data }) => {
        this.readings[name] = data;
        if (name === "sum") this.highest = Math.max(this.highest, data.peak);
      };
      node.connect(meter);
    }
  }

  #analyser() {
    const analyser = this.context.createAnalyser();
    analyser.fftSize = LANE_FFT;
    analyser.smoothingTimeConstant = 0.7;
    return analyser;
  }

  /** Return an analyser a side: one for both would hear their mean and miss what one of them does. */
  #sides(node) {
    const splitter = this.context.createChannelSplitter(2);
    node.connect(splitter);
    return [0, 1].map((side) => {
      const analyser = this.#analyser();
      splitter.connect(analyser, side);
      return analyser;
    });
  }

  #bus() {
    const bus = this.context.createGain();
    bus.connect(this.match);
    return bus;
  }

  /**
   * Return the way of one voice of a lane: `input` takes its sound, which was divided by `headroom`, `set` changes the
   * factors of its sides. A voice has factors of its own, since the sound that it takes the place of may have others.
   */
  voice(id, gains, headroom = 1) {
    const input = this.context.createChannelSplitter(2);
    const merger = this.context.createChannelMerger(2);
    const sides = gains.map((gain, side) => {
      const node = this.context.createGain();
      node.gain.value = gain * headroom;
      input.connect(node, side);
      node.connect(merger, 0, side);
      return node.gain;
    });
    merger.connect(this.#lane(id));
    return { input, set: (others) => sides.forEach((side, index) => side.setTargetAtTime(others[index] * headroom, this.context.currentTime, RAMP_S)) };
  }

  /** Return the node that a lane's voices play into. */
  #lane(id) {
    if (!this.lanes.has(id)) {
      const sum = this.context.createGain();
      const gate = this.context.createGain();
      gate.gain.value = this.#wanted(id);
      sum.connect(gate).connect(laneOf(id) === "dry" ? this.buses.dry : this.buses.wet);
      this.lanes.set(id, { sum, gate, sides: id.startsWith(HELD) ? [] : this.#sides(sum) });
    }
    return this.lanes.get(id).sum;
  }

  #partGains = new Map();
  #newest = 0;

  /** Return the number of a new part of what is held; it is silent at first. */
  newPart() {
    this.#newest = (this.#newest + 1) % PARTS;
    this.setPart(this.#newest, 0);
    return this.#newest;
  }

  /** Hear a part of what is held so many times, wherever the lanes are heard that it adds to. */
  setPart(part, gain) {
    this.#partGains.set(part, gain);
    this.#setGates();
  }

  #setGates() {
    for (const [id, { gate }] of this.lanes) gate.gain.setTargetAtTime(this.#wanted(id), this.context.currentTime, RAMP_S);
  }

  /** Let all that is heard be so many dB louder or quieter, for fair comparing. */
  setMatch(db) {
    this.match.gain.setTargetAtTime(10 ** (db / 20), this.context.currentTime, RAMP_S);
  }

  /** Lead each side of a node to both sides of another; return the gains of these ways, from left first, to left first. */
  #crossing(node, to) {
    const splitter = this.context.createChannelSplitter(2);
    node.connect(splitter);
    return [[0, 0], [0, 1], [1, 0], [1, 1]].map(([from, side]) => {
      const way = this.context.createGain();
      way.gain.value = from === side ? 1 : 0;
      splitter.connect(way, from);
      way.connect(to, 0, side);
      return way.gain;
    });
  }

  /** Hear both sides as one, half of each, or as they are. */
  setMono(isMono) {
    const gains = isMono ? [0.5, 0.5, 0.5, 0.5] : [1, 0, 0, 1];
    this.#ways.forEach((way, index) => way.setTargetAtTime(gains[index], this.context.currentTime, RAMP_S));
  }

  #wanted(id) {
    if (id.startsWith(HELD)) {
      const part = Number.parseInt(id.slice(HELD.length), 10);
      return (this.#partGains.get(part) ?? 0) * this.#wanted(laneOf(id));
    }
    if (this.solos.length) return this.solos.includes(id) ? 1 : 0;
    if (this.listen === "dry") return id === "dry" ? 1 : 0;
    if (this.listen === "returns") return id === "dry" ? 0 : 1;
    return 1;
  }

  /** Choose what is heard: full, dry or returns; or some lanes alone. */
  choose(listen, solos) {
    this.listen = listen;
    this.solos = solos;
    this.#setGates();
  }

  /** Open the output over `seconds`. */
  fadeIn(seconds, at) {
    const { gain } = this.master;
    gain.cancelScheduledValues(0);
    gain.setValueAtTime(seconds > 0 ? 0 : 1, this.context.currentTime);
    if (seconds > 0) {
      gain.setValueAtTime(0, at);
      gain.linearRampToValueAtTime(1, at + seconds);
    }
  }

  /** Close the output at once, without a click. */
  fadeOut() {
    const { gain } = this.master;
    const now = this.context.currentTime;
    gain.cancelScheduledValues(now);
    gain.setValueAtTime(gain.value, now);
    gain.linearRampToValueAtTime(0, now + 0.03);
  }
}
