// What of the song is played: all of it or tracks alone, now or a version, with or without sends; takes up edits meanwhile.

import { isToldAt, lanesAhead } from "./ahead.js";
import { heardGains } from "./livefaders.js";
import { HELD } from "./mixer.js";
import { SegmentLists } from "./segments.js";
import { Transport } from "./transport.js";

const SOON_S = 0.25;
const SAID_MS = 250;
const WATCH_MS = 50;
const LIST_LATER_MS = 400;
const LONGEST_WAIT_S = 8;
const FIRST_LAG_S = 0.1;
const LONGEST_LAG_S = 1;
const TAIL_LEAD_S = 3;
const SWAP_LEAD_S = 0.1;

export class Player extends Transport {
  alone = [];
  plain = "";
  tail = null;
  sendsEnd = null;
  /** From which sample on it is heard that sources are stopped, or that nothing is sent: then, or later where that came late. */
  ringsFrom = Infinity;
  unsentFrom = Infinity;
  compared = null;
  side = "a";
  /** What is got ready and not heard yet: "tail", "sends" or "" for nothing. */
  preparing = "";
  #lists;
  isBehind = false;
  #held = null; // what is being dragged
  #promised = []; // what is heard of edits that have not come yet
  #near = null; // what is at hand, for it may be edited next
  #lag = FIRST_LAG_S; // between an edit and its sound
  #editedAt = 0;
  #swaps = 0;
  #turns = 0;

  constructor(url) {
    super();
    this.#lists = new SegmentLists(url);
  }

  /** The lanes of the list, and those of what is held. */
  get lanes() {
    return [...this.manifest.lanes, ...[this.#held, ...this.#promised].flatMap((part) => part?.lanes ?? [])];
  }

  /** Return the peak of what a return is fed now, 1 being full scale; 0 where nothing plays. */
  fedNow(id) {
    return this.schedule?.fedNow(id, this.manifest.sampleRate) ?? 0;
  }

  /** While sources are stopped or nothing is sent, what was heard before would be something else: it may not go on. */
  get mayLag() {
    return !this.tail && this.sendsEnd === null;
  }

  catchUp() {
    this.#swapChanged();
  }

  #query(side = this.side, { tracksEnd = this.tail?.end, sendsEnd = this.sendsEnd, alone = this.alone } = {}) {
    const said = [["alone", alone.join(",")], ["plain", this.plain], ["tracks-end", tracksEnd], ["sends-end", sendsEnd], ["version", side === "b" ? this.compared : ""]];
    return new URLSearchParams(said.filter(([, value]) => value));
  }

  /**
   * Fetch the list of segments anew, since the plan has changed, and swap in what is another sound now. `ahead` are the
   * segments that are heard next, where the answer of an edit has told them: they need not wait for the list.
   */
  async refresh(ahead) {
    this.#lists.clear();
    this.#fallBehind();
    if (ahead && this.isPlaying) {
      const heard = this.#takeAhead(ahead);
      await Promise.race([heard, new Promise((done) => setTimeout(done, LIST_LATER_MS))]); // sound first, then the list
    }
    return this.#follow();
  }

  /** Play the segments that are heard next as they are told; the list that follows says the rest. */
  async #takeAhead(ahead) {
    const lanes = this.#lanesAhead(ahead);
    if (!lanes) return;
    const { first } = ahead;
    this.prepare(ahead); // asked for before the page is drawn anew
    this.manifest = { ...this.manifest, lanes };
    await this.#swapChanged(first);
    const late = (performance.now() - this.#editedAt) / 1000;
    this.#lag = Math.min((this.#lag + late) / 2, LONGEST_LAG_S);
    const [, ...later] = Object.keys(lanes[0].urls);
    for (const index of later) if (this.manifest.lanes === lanes) await this.#swapChanged(Number(index));
  }

  /**
   * How the plan is heard, as the address of its list says it: tracks alone, a return without its tone. Null while it is
   * something else that is heard: a version, a tail, or no sends.
   */
  get heardAs() {
    return this.side === "a" && this.mayLag ? this.#query().toString() : null;
  }

  /** Whether the plan is heard, so that an edit of it is. */
  get hearsPlan() {
    return this.isPlaying && this.heardAs !== null;
  }

  #lanesAhead(ahead) {
    return ahead.heard === this.heardAs ? lanesAhead(this.manifest, ahead) : null;
  }

  /** Have at hand the segments that an edit would let be heard first; what is heard stays as it is. */
  prepare(ahead) {
    for (const lane of this.#lanesAhead(ahead) ?? []) this.store.load(lane, ahead.first).catch(() => null);
  }

  /** Whether what was told to be heard next lasts for a while yet. */
  isPrepared(ahead) {
    return isToldAt(ahead, this.sample + SOON_S * this.manifest.sampleRate);
  }

  /** Hear an edit that was rehearsed as it is made. Its answer says the same, or it is taken back. */
  async hearRehearsed(ahead) {
    if (!this.hearsPlan || this.#held || this.hasPromised) return;
    const lanes = this.#lanesAhead(ahead);
    if (!lanes) return;
    this.manifest = { ...this.manifest, lanes };
    await this.#swap().catch(() => null); // what does not come is said when the answer tells of it
  }

  /** Return the sample that is heard when an edit that is made now comes, by how late the last ones came. */
  whenEdited() {
    this.#editedAt = performance.now();
    return Math.max(Math.round(this.schedule.sampleIn(this.#lag, this.manifest.sampleRate) ?? this.sample), 0);
  }

  /** Say, if it lasts, that what is heard is not what was chosen; return the turn that ends it. */
  #fallBehind() {
    const turn = ++this.#turns;
    this.isBehind = this.isPlaying;
    setTimeout(() => this.isBehind && turn === this.#turns && this.tell("state"), SAID_MS);
    return turn;
  }

  /** Hear the faders of some lanes as they were just set, before the plan has it: `change` gives what is other of a lane. */
  setFaders(isMeant, change) {
    if (this.side === "b") return; // what changes is A
    for (const lane of this.manifest?.lanes.filter(isMeant) ?? []) {
      Object.assign(lane, change(lane));
      lane.gains = heardGains(lane);
      this.schedule?.setGains(lane.id, lane.gains);
    }
  }

  /** Take up what is to be heard now, whatever of it has changed; until it is heard, `isBehind` says so. */
  async #follow() {
    const query = this.#query();
    const turn = this.#fallBehind();
    await this.#takeUp(query);
    if (turn !== this.#turns) return;
    this.isBehind = false;
    this.tell("state");
  }

  async #takeUp(query) {
    try {
      const list = await this.#lists.of(query);
      if (query.toString() !== this.#query().toString()) return;
      this.manifest = list;
    } catch (error) {
      this.side = "a"; // which is heard still
      return this.fail(error.message);
    }
    this.tell("manifest");
    if (this.isPlaying) await this.#swapChanged();
    this.#fetchNear();
  }

  #swap(index = null) {
    const turn = ++this.#swaps;
    return this.schedule.swap(this.lanes, this.manifest, () => turn === this.#swaps && this.isPlaying, index);
  }

  /** Let every lane play the segments of the present list where they are others; a later call takes over from one at work. */
  async #swapChanged(index = null) {
    try {
      await this.#swap(index);
    } catch (error) {
      this.fail(`sound could not be loaded: ${error.message}`);
    }
  }

  /** Hear only these tracks, with what they feed; none is the whole song again. */
  hearAlone(tracks) {
    this.alone = tracks;
    return this.#follow();
  }

  /** Hear one return without its tone; none is all as it is. */
  hearPlain(id) {
    this.plain = id;
    return this.#follow();
  }

  /** Compare with a version, by its id, and hear what is there now; with null compare no more. */
  compare(version) {
    this.compared = version;
    return this.hear("a");
  }

  /** Hear side "a", what is there now, or "b", the version that it is compared with. */
  hear(side) {
    this.side = this.compared ? side : "a";
    this.tell("state");
    return this.#follow();
  }

  /** Have the other side's segments at hand, so that going over to it is heard at once; and what may be edited next. */
  async loadBeside(index) {
    this.#fetchNear(index);
    if (!this.compared) return;
    const list = await this.#lists.of(this.#query(this.side === "a" ? "b" : "a")).catch(() => null);
    for (const lane of list?.lanes ?? []) this.store.load(lane, index).catch(() => null);
  }

  /** Have at hand what `near` says may be heard next: see `partsOf`; or, as `alone`, these tracks alone. */
  anticipate(near) {
    this.#near = near;
    this.#fetchNear();
  }

  async #fetchNear(index = null) {
    const near = this.#near;
    if (!near || !this.isPlaying || this.side === "b") return;
    const queries = near.alone ? [this.#query("a", { alone: near.alone })] : this.#partQueries(near);
    const lists = await Promise.all(queries.map((query) => this.#lists.of(query))).catch(() => []);
    if (near !== this.#near || !this.isPlaying) return;
    const from = index ?? Math.floor(this.sample / this.manifest.segmentFrames);
    for (const { lanes: [dry] } of lists) for (const each of index === null ? [from, from + 1] : [from]) if (dry?.keys[each]) this.store.load(dry, each).catch(() => null);
  }

  /**
   * Choose a moment from which on something is heard that has to be rendered first, and return it once all of it is there.
   * Until then what was heard goes on. A machine that is late gets a later moment; null if one has stopped meanwhile.
   */
  async #soon(what, queryAt) {
    this.preparing = what;
    this.tell("state");
    let margin = SOON_S;
    try {
      while (this.isPlaying && this.preparing === what) {
        const { sampleRate, segmentFrames } = this.manifest;
        const began = performance.now();
        const moment = this.sample + Math.round(margin * sampleRate);
        const list = await this.#lists.of(queryAt(moment));
        const segments = [this.sample, moment].map((sample) => Math.floor(sample / segmentFrames));
        await Promise.all(list.lanes.flatMap((lane) => segments.map((index) => this.store.load(lane, index))));
        if (this.sample + SWAP_LEAD_S * sampleRate < moment) return moment;
        margin = Math.min((1.25 * (performance.now() - began)) / 1000 + 1.5 * SWAP_LEAD_S, LONGEST_WAIT_S);
      }
    } catch (error) {
      this.fail(`sound could not be loaded: ${error.message}`);
    } finally {
      if (this.preparing === what) this.preparing = "";
    }
    this.tell("state");
    return null;
  }

  /** Whether sources are stopped now, and only what rings on is heard. */
  get isRinging() {
    return Boolean(this.tail) && this.sample >= this.ringsFrom;
  }

  /** Whether nothing is sent any more. */
  get isUnsent() {
    return this.sendsEnd !== null && this.sample >= this.unsentFrom;
  }

  /** Say what is heard anew when a moment has come, by the clock of what is heard. */
  #tellAt(moment) {
    if (this.isPlaying && this.sample < moment) setTimeout(() => this.#tellAt(moment), WATCH_MS);
    else this.tell("state");
  }

  /** Mute all sends from a moment on, or unmute them; the tracks are heard either way. */
  async cutSends() {
    if (this.preparing === "sends") return this.#giveUp();
    this.unsentFrom = Infinity;
    if (this.sendsEnd !== null) {
      this.sendsEnd = null;
      this.tell("state");
      return this.#follow();
    }
    const moment = this.isPlaying ? await this.#soon("sends", (at) => this.#query(this.side, { sendsEnd: at })) : this.sample;
    if (moment === null) return;
    this.sendsEnd = moment;
    this.tell("state");
    const unsentFrom = await this.#heardFrom(moment);
    if (this.sendsEnd !== moment) return;
    this.unsentFrom = unsentFrom;
    this.#tellAt(unsentFrom);
  }

  /** Take up what is to be heard from a moment on, and return the sample from which it is: later, where it came late. */
  async #heardFrom(moment) {
    await this.#follow();
    while (this.isBehind && this.isPlaying) await new Promise((done) => setTimeout(done, WATCH_MS));
    return this.isPlaying ? Math.max(moment, Math.ceil(this.schedule.swappedSample(this.manifest.sampleRate) ?? 0)) : moment;
  }

  /** Do not wait any more for what is got ready. */
  #giveUp() {
    this.preparing = "";
    this.tell("state");
  }

  /** Stop the sources and hear the returns ring on; when they are over, all is as it was before. Again, it is repeated. */
  async checkTail() {
    if (this.preparing === "tail") return this.#giveUp();
    if (this.tail) return this.endTail();
    if (!this.isPlaying) {
      await this.play(Math.max(this.resting - TAIL_LEAD_S * this.manifest.sampleRate, 0));
      return;
    }
    const from = this.sample;
    const end = await this.#soon("tail", (at) => this.#query(this.side, { tracksEnd: at }));
    if (end === null) return;
    const tail = { from, end, loop: this.loop };
    Object.assign(this, { tail, loop: null, ringsFrom: Infinity });
    this.tell("state");
    const ringsFrom = await this.#heardFrom(end);
    if (this.tail !== tail) return;
    this.ringsFrom = ringsFrom;
    this.#tellAt(ringsFrom);
  }

  /** End the tail check: stop where it began, with what was heard before. */
  async endTail() {
    const { from, loop } = this.tail;
    this.stop();
    this.tail = null;
    this.loop = loop;
    this.resting = from;
    this.tell("state");
    await this.#follow();
  }

  /** End the tail check if there is one, for the tail is over; else the song. */
  atEnd() {
    if (this.tail) return this.endTail();
    return super.atEnd();
  }

  /** Return the lists' queries for the parts of a level or pan, or of several: `what` names it as the list takes it. */
  #partQueries({ what, section = "", sides = [""] }) {
    return [what].flat().flatMap((each) => sides.map((side) => [each, side])).map(([each, side]) => new URLSearchParams([...this.#query(), ["held", each], ["section", section], ["side", side]].filter(([, value]) => value)));
  }

  /**
   * Return the parts of a level or pan that is about to change, each silent at first. Their lanes come with their lists; each
   * plays the sound that the value lets through, at a live gain: see `highhall.plan.isolation`.
   */
  #partsOf(about) {
    const queries = this.#partQueries(about);
    const held = { numbers: queries.map(() => this.mixer.newPart()), lanes: [] };
    held.isListed = Promise.all(queries.map((query) => this.#lists.of(query))).then((lists) => {
      held.lanes = lists.flatMap((list, part) => list.lanes.map((lane) => ({ ...lane, id: `${HELD}${held.numbers[part]} ${lane.id}` })));
    }).catch(() => null); // it is heard when the edit is made
    return held;
  }

  #setParts({ numbers }, gains) {
    numbers.forEach((number, part) => this.mixer.setPart(number, gains[part]));
  }

  /** Play a level or pan as the user drags it: a level needs one part, a pan two: `sides` left and right; several levels one each. */
  async hold(what, { section = "", sides = [""] } = {}) {
    if (this.side === "b" || !this.manifest) return; // what changes is A
    const held = this.#partsOf({ what, section, sides });
    this.#held = held;
    await held.isListed;
    if (this.#held === held && this.isPlaying) await this.#swapChanged();
  }

  /** Set the gain of each part of the dragged value; a negative gain takes sound away. */
  setHeld(gains) {
    if (this.#held) this.#setParts(this.#held, gains);
  }

  /** Stop dragging: what is held plays on until the edit sounds, or stops at once if nothing was changed. */
  release(isChanged, editsBefore = 0) {
    if (!this.#held) return;
    if (isChanged) this.#promised.push(Object.assign(this.#held, { editsBefore }));
    this.#held = null;
    if (!isChanged) this.#follow();
  }

  /** Hear an edit of what `partsOf` takes before it is made: each part so many times more. */
  async promise(about, gains, editsBefore) {
    if (this.side === "b" || !this.isPlaying) return;
    const part = Object.assign(this.#partsOf(about), { editsBefore });
    this.#setParts(part, gains);
    this.#promised.push(part);
    await part.isListed;
    if (this.#promised.includes(part) && this.isPlaying) await this.#swapChanged();
  }

  /** Whether something is heard of edits that have not come yet. */
  get hasPromised() {
    return this.#promised.length > 0;
  }

  /** Let go what was heard of edits that are made by now: of the oldest, or of all where none is on its way any more. */
  keepPromises(isIdle) {
    this.#promised = isIdle ? [] : this.#promised.filter((part) => part.editsBefore-- > 0);
  }
}
