// Fetches and decodes pieces; keeps the last ones by key, so that equal keys are fetched once.

const KEPT = 240;

export class PieceStore {
  #context;
  #buffers = new Map();

  constructor(context) {
    this.#context = context;
  }

  /** Return a promise of the piece's AudioBuffer; its `fedPeaks` are what the lane's return is fed, ten a second. */
  load(lane, index) {
    const key = lane.keys[index];
    let promise = this.#buffers.get(key);
    if (!promise) {
      promise = this.#fetch(lane.url.replace("INDEX", index).replace("KEY", key));
      promise.catch(() => this.#buffers.delete(key));
    } else this.#buffers.delete(key);
    this.#buffers.set(key, promise);
    while (this.#buffers.size > KEPT) this.#buffers.delete(this.#buffers.keys().next().value);
    return promise;
  }

  async #fetch(url) {
    const response = await fetch(url);
    if (!response.ok) throw new Error(response.status === 422 ? await response.text() : `piece ${response.status}`);
    const buffer = await this.#context.decodeAudioData(await response.arrayBuffer());
    buffer.fedPeaks = (response.headers.get("Fed-Peaks") || "").split(",").filter(Boolean).map(Number);
    return buffer;
  }
}
