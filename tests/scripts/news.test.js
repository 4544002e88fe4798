import assert from "node:assert/strict";
import { test } from "node:test";

class Source extends EventTarget {
  static OPEN = 1;
  static CLOSED = 2;
  static all = [];
  readyState = 0;
  constructor(url) {
    super();
    this.url = url;
    Source.all.push(this);
  }
  close() {
    this.readyState = Source.CLOSED;
  }
  opens() {
    this.readyState = Source.OPEN;
    this.dispatchEvent(new Event("open"));
  }
}

const waiting = Object.assign(new EventTarget(), { word: "print-7", dataset: { news: "print-7" }, querySelectorAll: () => [] });
let ticks, now = 0;
globalThis.EventSource = Source;
globalThis.CSS = { escape: (text) => text };
globalThis.document = Object.assign(new EventTarget(), {
  hidden: false,
  getElementById: () => ({ dataset: { newestUrl: "/songs/1/newest/" } }),
  querySelectorAll: (wanted) => (wanted === "[data-news]" || wanted === `[data-news~="${waiting.word}"]` ? [waiting] : []),
});
globalThis.window = new EventTarget();
globalThis.setInterval = (work) => (ticks = work);
globalThis.performance = { now: () => now };

const { bindNews, concerns } = await import("../../src/hallweb/screens/common/static/common/js/news.js");
const heard = [];
let asked = 0;
document.addEventListener("song-news", ({ detail }) => heard.push(detail));
waiting.addEventListener("news", () => (asked += 1));
let isAwaited = false;
let later = [];
globalThis.setTimeout = (work) => later.push(work);
bindNews(() => isAwaited);

test("everything is asked for when a stream opens, then what each word concerns", () => {
  const [stream] = Source.all;
  assert.equal(stream.url, "/songs/1/newest/stream/");
  stream.opens();
  assert.deepEqual([heard.splice(0), asked], [["everything"], 1]);
  stream.dispatchEvent(new MessageEvent("message", { data: "plan" }));
  assert.deepEqual([heard.splice(0), asked], [["plan"], 1]);
  stream.dispatchEvent(new MessageEvent("message", { data: "print-7" }));
  assert.deepEqual([heard.splice(0), asked], [["print-7"], 2]);
  ticks();
  assert.deepEqual(heard, []); // there is a stream: the clock has nothing to say
  assert.ok(concerns("everything", "plan") && concerns("plan", "plan") && !concerns("stems", "plan"));
});

test("without a stream the clock says that there may be news, and a stream is tried again after a while", () => {
  Source.all.at(-1).close();
  now = 1000;
  ticks();
  assert.deepEqual([heard.splice(0), Source.all.length], [["everything"], 1]);
  now = 6000;
  ticks();
  assert.equal(Source.all.length, 2);
  heard.splice(0);
});

test("a page that nobody sees listens to nothing, and asks for everything when it is seen again", () => {
  Source.all.at(-1).opens();
  heard.splice(0);
  document.hidden = true;
  document.dispatchEvent(new Event("visibilitychange"));
  assert.equal(Source.all.at(-1).readyState, Source.CLOSED);
  now = 20_000;
  ticks();
  assert.deepEqual(heard, []);
  document.hidden = false;
  document.dispatchEvent(new Event("visibilitychange"));
  assert.equal(Source.all.length, 3);
  assert.deepEqual(heard, ["everything"]);
});

test("who begins to wait for a word that came meanwhile is told of it", () => {
  const told = (name, detail) => document.dispatchEvent(new CustomEvent(name, { detail }));
  const before = asked;
  Source.all.at(-1).opens();
  assert.equal(asked, before + 1);
  const config = {};
  now = 21_000;
  told("htmx:beforeRequest", { requestConfig: config });
  told("htmx:afterSettle", { elt: waiting, requestConfig: config });
  assert.equal(asked, before + 1); // nothing came in between
  now = 22_000;
  told("htmx:beforeRequest", { requestConfig: config });
  now = 23_000;
  Source.all.at(-1).dispatchEvent(new MessageEvent("message", { data: "print-7" }));
  assert.equal(asked, before + 2); // the one before it hears it
  told("htmx:afterSettle", { elt: waiting, requestConfig: config });
  assert.equal(asked, before + 3);
});

test("news wait for the sound of an edit, but not for ever", () => {
  const stream = Source.all.at(-1);
  stream.opens();
  heard.length = 0;
  isAwaited = true;
  stream.dispatchEvent(new MessageEvent("message", { data: "plan" }));
  later.splice(0).forEach((work) => work());
  assert.deepEqual(heard, []);
  isAwaited = false;
  later.splice(0).forEach((work) => work());
  assert.deepEqual(heard.splice(0), ["plan"]);
  isAwaited = true;
  stream.dispatchEvent(new MessageEvent("message", { data: "stems" }));
  for (let times = 0; times < 30; times += 1) later.splice(0).forEach((work) => work());
  assert.deepEqual(heard, ["stems"]);
});
