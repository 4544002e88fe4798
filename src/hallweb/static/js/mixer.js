// The live side of listening: a gain for every lane, dry and wet sums, and analysers on them.

const RAMP_S = 0.012;
const LANE_FFT = 8192;

export class Mixer {
  constructor(context) {
    this.context = context;
    this.master = context.createGain();
    this.master.connect(context.destination);
    this.buses = { dry: this.#bus(), wet: this.#bus() };
    this.sum = this.#heardBy(this.master);
    this.lanes = new Map();
    this.listen = "full";
    this.solos = [];
  }

  #analyser(size = 2048) {
    const analyser = this.context.createAnalyser();
    analyser.fftSize = size;
    analyser.smoothingTimeConstant = 0.7;
    return analyser;
  }

  #heardBy(node) {
    const analyser = this.#analyser();
    node.connect(analyser);
    return analyser;
  }

  /** Return an analyser a side: one for both would hear their mean and miss what one of them does. */
  #sides(node) {
    const splitter = this.context.createChannelSplitter(2);
    node.connect(splitter);
    return [0, 1].map((side) => {
      const analyser = this.#analyser(LANE_FFT);
      splitter.connect(analyser, side);
      return analyser;
    });
  }

  #bus() {
    const gain = this.context.createGain();
    gain.connect(this.master);
    return { gain, analyser: this.#heardBy(gain) };
  }

  /** Return the node that a lane's pieces play into. */
  lane(id, headroom) {
    if (!this.lanes.has(id)) {
      const makeup = this.context.createGain();
      makeup.gain.value = headroom;
      const gate = this.context.createGain();
      gate.gain.value = this.#wanted(id);
      makeup.connect(gate).connect((id === "dry" ? this.buses.dry : this.buses.wet).gain);
      this.lanes.set(id, { makeup, gate, sides: this.#sides(makeup) });
    }
    return this.lanes.get(id).makeup;
  }

  #wanted(id) {
    if (this.solos.length) return this.solos.includes(id) ? 1 : 0;
    if (this.listen === "dry") return id === "dry" ? 1 : 0;
    if (this.listen === "returns") return id === "dry" ? 0 : 1;
    return 1;
  }

  /** Choose what is heard: full, dry or returns; or some lanes alone. */
  choose(listen, solos) {
    this.listen = listen;
    this.solos = solos;
    for (const [id, { gate }] of this.lanes) gate.gain.setTargetAtTime(this.#wanted(id), this.context.currentTime, RAMP_S);
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
