// A stand-in for a browser's audio: nodes that note what they are told and whom they feed.

import { soundOf } from "./segmentfiles.js";

class Param {
  told = [];

  constructor(value) {
    this.value = value;
  }

  setValueAtTime(value, time) {
    this.told.push({ value, time });
  }

  linearRampToValueAtTime(value, time) {
    this.told.push({ value, time, isRamp: true });
  }

  setTargetAtTime(value) {
    this.value = value;
  }

  cancelScheduledValues() {
    this.told = [];
  }
}

class Node {
  feeds = [];

  connect(node) {
    this.feeds.push(node);
    return node;
  }
}

class Gain extends Node {
  constructor(context, { gain = 1 } = {}) {
    super();
    this.gain = new Param(gain);
  }
}

class Source extends Node {
  starts = [];
  stops = [];

  constructor(context, { buffer }) {
    super();
    this.buffer = buffer;
    context.sources.push(this);
  }

  start(time, offset, seconds) {
    this.starts.push({ time, offset, seconds });
  }

  stop(time) {
    this.stops.push(time);
  }
}

class Worklet extends Node {
  port = {};
}

export class AudioContextStandIn {
  currentTime = 0;
  destination = new Node();
  sources = [];
  audioWorklet = { addModule: async () => {} };

  constructor() {
    Object.assign(globalThis, { AudioBufferSourceNode: Source, GainNode: Gain, AudioWorkletNode: Worklet });
  }

  state = "running";

  async resume() {
    this.state = "running";
  }

  async suspend() {
    this.state = "suspended";
  }

  async decodeAudioData(bytes) {
    return { key: soundOf(bytes) };
  }

  createGain() {
    return new Gain(this);
  }

  createAnalyser() {
    return new Node();
  }

  createChannelSplitter() {
    return new Node();
  }

  createChannelMerger() {
    return new Node();
  }
}
