// Lists of segments; and segments, fetched and decoded. Keeps the last ones by key, so that equal keys are fetched once.

import { readSegment } from "./segmentfile.js";

const KEPT = 240;

/** Lists of segments by what is to be heard, each asked for once until the plan changes. */
export class SegmentLists {
  #url;
  #lists = new Map();

  constructor(url) {
    this.#url = url;
  }

  /** Forget all lists, since the plan has changed. */
  clear() {
    this.#lists.clear();
  }

  /** Return a promise of the list for a query; it fails if none comes. */
  of(query) {
    const key = query.toString();
    if (!this.#lists.has(key)) {
      const list = answered(key ? `${this.#url}?${key}` : this.#url, "the list of segments").then((response) => response.json());
      list.catch(() => this.#lists.delete(key));
      this.#lists.set(key, list);
    }
    return this.#lists.get(key);
  }
}

export class SegmentStore {
  #context;
  #buffers = new Map();
  #loaded = new Set();

  constructor(context) {
    this.#context = context;
  }

  /** Whether a segment is loaded. */
  has(lane, index) {
    return this.#loaded.has(lane?.keys[index]);
  }

  /**
   * Return a promise of the segment's AudioBuffer; its `fedPeaks` are what the lane's return is fed, ten a second. A lane
   * may have addresses of its own for some segments, `urls` by index.
   */
  load(lane, index) {
    const key = lane.keys[index];
    let promise = this.#buffers.get(key);
    if (!promise) {
      promise = this.#fetch((lane.urls?.[index] ?? lane.url).replace("INDEX", index).replace("KEY", key));
      promise.then(() => this.#loaded.add(key)).catch(() => this.#buffers.delete(key));
    } else this.#buffers.delete(key);
    this.#buffers.set(key, promise);
    while (this.#buffers.size > KEPT) {
      const [oldest] = this.#buffers.keys();
      this.#buffers.delete(oldest);
      this.#loaded.delete(oldest);
    }
    return promise;
  }

  async #fetch(url) {
    const content = await fetched(url);
    try {
      return await this.#read(content);
    } catch {
      return this.#read(await fetched(`${url}${url.includes("?") ? "&" : "?"}again=1`)); // damaged where it is kept: it is made anew
    }
  }

  async #read(content) {
    const said = readSegment(content);
    return Object.assign(await this.#context.decodeAudioData(content), said);
  }
}

async function answered(url, what) {
  const response = await fetch(url);
  if (response.ok) return response;
  throw new Error(response.status === 422 ? await response.text() : `${what} did not come (${response.status})`);
}

const fetched = async (url) => (await answered(url, "a segment")).arrayBuffer();
