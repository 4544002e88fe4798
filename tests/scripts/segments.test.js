// node --test: the store of decoded segments, with a stand-in for the network and the decoder.

import assert from "node:assert/strict";
import { beforeEach, test } from "node:test";

import { SegmentStore } from "../../src/hallweb/screens/common/static/common/js/segments.js";
import { segmentFile, soundOf } from "./segmentfiles.js";

const lane = { id: "hall", keys: ["k0", "k1", "k0"], url: "/p/hall/INDEX-KEY.flac" };
let asked;
let status;
let sent;

beforeEach(() => {
  asked = [];
  status = 200;
  sent = (url) => segmentFile(url);
  globalThis.fetch = async (url) => {
    asked.push(url);
    return { ok: status === 200, status, text: async () => "a stem is missing", arrayBuffer: async () => sent(url) };
  };
});

const context = { decodeAudioData: async (data) => ({ decoded: soundOf(data) }) };

test("a segment is fetched by lane, index and key", async () => {
  const buffer = await new SegmentStore(context).load(lane, 1);
  assert.deepEqual(asked, ["/p/hall/1-k1.flac"]);
  assert.equal(buffer.decoded, "/p/hall/1-k1.flac");
  assert.deepEqual([buffer.headroom, buffer.fedPeaks], [4, [0.5, 1.25]]);
});

test("dry segments are fed nothing", async () => {
  sent = (url) => segmentFile(url, { FED: "" });
  assert.deepEqual((await new SegmentStore(context).load(lane, 0)).fedPeaks, []);
});

for (const [what, damaged] of [
  ["has another sound than it was written with", segmentFile("k1", { CRC32: "00000000" })],
  ["breaks off", segmentFile("k1").slice(0, 20)],
  ["is something else", new ArrayBuffer(64)],
]) {
  test(`a segment that ${what} is asked for again, to be made anew, and is never played`, async () => {
    sent = (url) => (url.endsWith("again=1") ? segmentFile("good") : damaged);
    const buffer = await new SegmentStore(context).load(lane, 1);
    assert.equal(buffer.decoded, "good");
    assert.deepEqual(asked, ["/p/hall/1-k1.flac", "/p/hall/1-k1.flac?again=1"]);
    sent = () => damaged;
    await assert.rejects(new SegmentStore(context).load(lane, 0));
  });
}

test("equal keys are fetched once, even at the same time", async () => {
  const store = new SegmentStore(context);
  const [first, second] = await Promise.all([store.load(lane, 0), store.load(lane, 2)]);
  assert.equal(first, second);
  assert.equal(asked.length, 1);
});

test("a failure is told in the server's words and tried again", async () => {
  const store = new SegmentStore(context);
  status = 422;
  await assert.rejects(store.load(lane, 0), /a stem is missing/);
  status = 200;
  await store.load(lane, 0);
  assert.equal(asked.length, 2);
});
