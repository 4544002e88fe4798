// node --test: playing, stopping, edits and what is asked for, with stand-ins for the browser's audio and for the server.

import assert from "node:assert/strict";
import { afterEach, beforeEach, test } from "node:test";

import "./facts.js";
import { Player } from "../../src/hallweb/screens/common/static/common/js/player.js";
import { AudioContextStandIn } from "./audiocontext.js";
import { segmentFile } from "./segmentfiles.js";

const RATE = 1000;
let asked;
let keys;
let context;
let player;

/** The server: a list of two lanes with the segments' present keys, and segments that hold their own key. */
function answer(url) {
  asked.push(url);
  const body = url.startsWith("/segment/") ? segmentFile(url.split("/").at(-1)) : null;
  const list = { sampleRate: RATE, segmentFrames: 2000, stopSample: 6000, beats: [[0, 1, 1]] };
  const lanes = Object.entries(keys).map(([id, own]) => ({ id, keys: own, gains: [1, 1], open: [1, 1], isLevelStill: id !== "dry", url: `/segment/${id}/INDEX/KEY` }));
  return Promise.resolve({ ok: true, json: async () => ({ ...list, lanes }), arrayBuffer: async () => body });
}

const settled = () => new Promise((done) => setTimeout(done, 20));
const playing = () => context.sources.filter(({ stops }) => !stops.length).map(({ buffer }) => buffer.key);

beforeEach(async () => {
  asked = [];
  keys = { dry: ["d0", "d1", "d2"], hall: ["h0", "h1", "h2"] };
  globalThis.fetch = answer;
  globalThis.AudioContext = class {
    constructor() {
      context = new AudioContextStandIn();
      return context;
    }
  };
  player = new Player("/list/");
  await player.refresh();
});

afterEach(() => player.stop());

test("there is no way out for sound before something is pressed", () => {
  assert.equal(player.hasSound, false);
  assert.equal(player.sample, 0);
});

test("play schedules every lane from where it rests, three seconds ahead", async () => {
  await player.seek(1500);
  player.play();
  await settled();
  assert.deepEqual(playing(), ["d0", "h0", "d1", "h1", "d2", "h2"]);
  assert.deepEqual(context.sources[0].starts[0], { time: 0.08, offset: 1.5, seconds: 0.5 });
  assert.equal(context.sources[2].starts[0].time, 0.58);
});

test("an edit swaps the segments that are others now, and no more", async () => {
  player.play();
  await settled();
  const before = context.sources.length;
  keys = { ...keys, hall: ["h0", "x1", "h2"] };
  await player.refresh();
  assert.deepEqual(context.sources.slice(before).map(({ buffer }) => buffer.key), ["x1"]);
  assert.deepEqual(playing().sort(), ["d0", "d1", "h0", "x1"]);
});

test("stop rests where it was heard last, and a list is asked for once as long as the plan is the same", async () => {
  player.play();
  await settled();
  context.currentTime = 1.08;
  player.stop();
  assert.equal(player.sample, 1000);
  await player.hearPlain("hall");
  await player.hearPlain("");
  await player.hearPlain("hall");
  assert.deepEqual(asked.filter((url) => url.startsWith("/list/")), ["/list/", "/list/?plain=hall"]);
});

test("what is asked for: tracks alone, no sends, a version and the tail, each by its name", async () => {
  await player.hearAlone(["voice", "bass"]);
  player.resting = 400;
  await player.cutSends();
  assert.equal(asked.at(-1), "/list/?alone=voice%2Cbass&sends-end=400");
  await player.cutSends();
  await player.compare("7");
  await player.hear("b");
  assert.equal(asked.at(-1), "/list/?alone=voice%2Cbass&version=7");
});

test("a version that does not come is not said to be heard, and why is told in the server's words", async () => {
  await player.compare("proposal:gone");
  globalThis.fetch = async () => ({ ok: false, status: 422, text: async () => "the proposal is no longer kept" });
  await player.hear("b");
  assert.deepEqual([player.side, player.problem], ["a", "the proposal is no longer kept"]);
});

test("a tail check stops the sources a moment later, and after it all is as it was", async () => {
  player.setLoop({ start: 0, end: 3000 });
  player.play(500);
  await settled();
  context.currentTime = 0.58;
  await player.checkTail();
  assert.equal(asked.findLast((url) => url.startsWith("/list/")), "/list/?tracks-end=1250");
  assert.deepEqual([player.loop, player.isRinging], [null, false]); // the sources sound up to that moment
  context.currentTime = 0.84;
  assert.equal(player.isRinging, true);
  await player.endTail();
  assert.deepEqual([player.isPlaying, player.tail, player.sample, player.loop?.end], [false, null, 1000, 3000]);
});

test("a tail check that is not ready says so, lets the song go on, and begins when it is", async () => {
  player.play();
  await settled();
  const { fetch } = globalThis;
  globalThis.fetch = (url) => new Promise((done) => setTimeout(done, url.includes("tracks-end") ? 60 : 0)).then(() => fetch(url));
  context.currentTime = 0.58;
  const checked = player.checkTail();
  await settled();
  assert.deepEqual([player.preparing, player.tail, player.isPlaying], ["tail", null, true]);
  context.currentTime = 1.58; // the first moment, at 0.75 s, has passed before its sound was there
  await checked;
  assert.equal(player.preparing, "");
  assert.ok(player.tail.end > player.sample, String(player.tail.end));
});

test("segments that an edit tells are played before its list comes, all others from where they were", async () => {
  player.play();
  await settled();
  const { fetch } = globalThis;
  globalThis.fetch = (url) => (url.startsWith("/list/") ? new Promise(() => null) : fetch(url));
  const ahead = { heard: "", first: 0, segmentFrames: 2000, endSample: undefined, url: "/segment/LANE/INDEX/new-KEY", keys: { dry: ["d0", "d1"], hall: ["y0", "y1"] }, faders: {} };
  player.refresh(ahead);
  await settled();
  assert.deepEqual(playing().filter((key) => key.startsWith("new")), ["new-y0", "new-y1"]);
  assert.deepEqual(asked.slice(-2), ["/segment/hall/0/new-y0", "/segment/hall/1/new-y1"]); // what is heard first, first
  assert.deepEqual(player.lanes.map(({ keys: own }) => own), [["d0", "d1", "d2"], ["y0", "y1", "h2"]]);
  await player.store.load(player.lanes[1], 2);
  assert.equal(asked.at(-1), "/segment/hall/2/h2"); // at its own address, which knows this key
});

const rehearsed = { heard: "", first: 0, segmentFrames: 2000, endSample: undefined, url: "/rehearsed/LANE/INDEX/KEY", keys: { dry: ["d0", "d1"], hall: ["y0", "y1"] }, faders: {} };

test("what is rehearsed is fetched, not heard; when the edit is made it is heard, whatever the server does", async () => {
  const { fetch } = globalThis;
  globalThis.fetch = (url) => fetch(url.replace("/rehearsed/", "/segment/"));
  player.play();
  await settled();
  const before = playing();
  player.prepare(rehearsed);
  await settled();
  assert.deepEqual(playing(), before);
  assert.equal(asked.at(-1), "/segment/hall/0/y0"); // what is heard first, of the lanes that change
  globalThis.fetch = () => new Promise(() => null);
  player.hearRehearsed(rehearsed);
  await settled();
  assert.deepEqual(playing().filter((key) => key.startsWith("y")), ["y0"]);
  globalThis.fetch = fetch;
  await player.refresh(); // the edit was refused: the list is as it was
  assert.deepEqual(playing().toSorted(), before.toSorted());
});

test("what is rehearsed is heard only as it was rehearsed, and lasts for a while", async () => {
  assert.equal(player.hearsPlan, false); // nothing plays
  player.play();
  await settled();
  assert.equal(player.hearsPlan, true);
  assert.equal(player.isPrepared(rehearsed), true);
  context.currentTime = 3.9;
  assert.equal(player.isPrepared(rehearsed), false);
  await player.hearAlone(["voice"]);
  assert.deepEqual([player.hearsPlan, player.heardAs], [true, "alone=voice"]);
  const { length } = asked;
  player.hearRehearsed(rehearsed);
  await settled();
  assert.equal(asked.length, length);
  player.hearRehearsed({ ...rehearsed, heard: "alone=voice" });
  await settled();
  assert.ok(asked.length > length);
  await player.hearAlone([]);
  await player.compare("7");
  await player.hear("b");
  assert.deepEqual([player.hearsPlan, player.heardAs], [false, null]); // a version: no edit changes it
});

test("an edit asks for what will be heard when its sound comes, by how late the ones before it came", async () => {
  player.play();
  await settled();
  context.currentTime = 1.08;
  assert.equal(player.whenEdited(), 1100); // a tenth of a second, until it is known better
  const ahead = { heard: "", first: 0, segmentFrames: 2000, endSample: undefined, url: "/segment/LANE/INDEX/new-KEY", keys: { dry: ["d0"], hall: ["y0"] }, faders: {} };
  await player.refresh(ahead);
  assert.ok(player.whenEdited() < 1095);
});

test("what is late does not interrupt what is heard: it goes on, and is swapped when the new is there", async () => {
  player.play();
  await settled();
  const before = context.sources.length;
  const { fetch } = globalThis;
  let arrive;
  const late = new Promise((done) => (arrive = done));
  globalThis.fetch = (url) => (url.includes("/x") ? late.then(() => fetch(url)) : fetch(url));
  keys = { ...keys, hall: ["h0", "h1", "x2"] };
  player.refresh();
  await settled();
  context.currentTime = 1.9; // the third segment is due, and can wait for nothing
  await new Promise((done) => setTimeout(done, 300));
  assert.equal(player.isPlaying, true);
  arrive();
  await new Promise((done) => setTimeout(done, 200));
  assert.ok(context.sources.slice(before).some(({ buffer }) => buffer.key === "x2"));
});

test("at the end of the song it stops and rests at the start", async () => {
  player.play(5900);
  await settled();
  context.currentTime = 1;
  await new Promise((done) => setTimeout(done, 150));
  assert.deepEqual([player.isPlaying, player.sample], [false, 0]);
});

test("where nothing sounds for a second the processor rests, and playing wakes it", async (t) => {
  t.mock.timers.enable({ apis: ["setTimeout"] });
  const turns = async () => {
    for (let turn = 0; turn < 20; turn++) await new Promise(setImmediate);
  };
  player.play();
  await turns();
  t.mock.timers.tick(1500);
  assert.equal(context.state, "running");
  player.stop();
  t.mock.timers.tick(900);
  assert.equal(context.state, "running");
  t.mock.timers.tick(200);
  assert.equal(context.state, "suspended");
  player.play();
  await turns();
  assert.equal(context.state, "running");
  t.mock.timers.tick(1500);
  assert.equal(context.state, "running");
});

test("a segment that does not come stops it and is said", async () => {
  globalThis.fetch = async () => ({ ok: false, status: 500 });
  const problems = [];
  player.addEventListener("problem", () => problems.push(player.problem));
  await player.play();
  assert.equal(player.isPlaying, false);
  assert.deepEqual(problems, ["sound could not be loaded: a segment did not come (500)"]);
});
