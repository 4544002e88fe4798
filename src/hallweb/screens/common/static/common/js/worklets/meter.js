// Measures what passes in the audio thread, so that no peak is missed, and tells about twenty times a second.

import { Metering } from "../metering.js";

const TELL_EVERY = 2048;

class Meter extends AudioWorkletProcessor {
  #metering;
  #frames = 0;

  constructor({ processorOptions }) {
    super();
    this.#metering = new Metering(processorOptions.phases);
  }

  process([input]) {
    if (!input.length) return true;
    this.#metering.push(input[0], input[1] ?? input[0]);
    this.#frames += input[0].length;
    if (this.#frames >= TELL_EVERY) {
      this.#frames = 0;
      this.port.postMessage(this.#metering.read());
    }
    return true;
  }
}

registerProcessor("high-hall-meter", Meter);
