// Equal loudness: of two versions the louder is lowered to the other; the dry sound alone is raised to the mix.
// Loudness (ITU-R BS.1770) is measured by the server over the passage that is listened to.

import { written } from "./figures.js";
import { passageAt } from "./songstrip.js";

const PATIENCE_MS = 200;

function signed(db) {
  return `${db > 0 ? "+" : ""}${written(db.toFixed(1))} dB`;
}

export class Matching extends EventTarget {
  isDry = false;
  words = "";
  note = "";
  #player;
  #url;
  #isDryWanted = false;
  #figures = new Map();
  #asked = 0;

  constructor(player, url) {
    super();
    this.#player = player;
    this.#url = url;
    for (const name of ["section-changed", "plan-changed"]) document.addEventListener(name, () => this.apply(name === "plan-changed"));
    player.addEventListener("state", () => this.apply());
  }

  /** Raise the dry sound to the mix, or leave it as it is. */
  wantsDry(isWanted) {
    this.#isDryWanted = isWanted;
    this.apply();
  }

  /** Measure what is not known of this passage yet, then set the gain and say it. */
  async apply(isNew = false) {
    if (isNew) this.#figures.clear();
    const player = this.#player;
    const isDryMatched = this.#isDryWanted && this.isDry;
    const passage = passageAt(player.sample, player.loop);
    if (!player.manifest || !passage || (!player.compared && !isDryMatched)) return this.#set(0, "", "");
    const { compared, side } = player;
    const asked = ++this.#asked;
    setTimeout(() => asked === this.#asked && this.#say(this.words, compared ? `measuring ${passage.name}` : ""), PATIENCE_MS);
    const [own, other] = await Promise.all([this.#loudness(passage, side === "b" ? compared : ""), compared ? this.#loudness(passage, side === "b" ? "" : compared) : null]);
    if (asked !== this.#asked) return;
    this.#asked++;
    const isBetween = compared && own?.full != null && other?.full != null;
    const lowered = isBetween ? Math.min(other.full - own.full, 0) : 0;
    const raised = isDryMatched && own?.full != null && own.dry != null ? own.full - own.dry : 0;
    const note = isBetween ? `matched over ${passage.name}: ${signed(lowered)}` : compared ? "not matched" : "";
    this.#set(lowered + raised, raised ? `${signed(raised)}, as loud as the mix` : "", note);
  }

  #set(db, words, note) {
    if (this.#player.hasSound) this.#player.mixer.setMatch(db);
    this.#say(words, note);
  }

  #say(words, note) {
    if (words === this.words && note === this.note) return;
    Object.assign(this, { words, note });
    this.dispatchEvent(new Event("change"));
  }

  #loudness({ start, end }, version) {
    const query = new URLSearchParams({ from: Math.round(start), to: Math.round(end), ...(version && { version }) }).toString();
    if (!this.#figures.has(query)) {
      const figures = fetch(`${this.#url}?${query}`).then((response) => (response.ok ? response.json() : null)).catch(() => null);
      this.#figures.set(query, figures);
    }
    return this.#figures.get(query);
  }
}
