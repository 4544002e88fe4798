// node --test: what tells one rehearsed edit from another, with stand-ins for the page, htmx and the server.

import assert from "node:assert/strict";
import { afterEach, beforeEach, mock, test } from "node:test";

import { bindRehearsals, giveUp, rehearse, signature } from "../../src/hallweb/screens/common/static/common/js/rehearsals.js";

const field = { getAttribute: (name) => (name === "hx-vals" ? '{"path": "decay"}' : null) };
const told = { first: 3, keys: { hall: ["a", "b"] } };
let listeners;
let posted;
let heard;
let prepared;
let refreshed;
let value;
let player;
let answered;
let now = 0;

function press(parameters) {
  for (const listen of listeners["htmx:configRequest"]) listen({ detail: { verb: "post", path: "/set/", parameters } });
}

const edit = (text) => ({ path: "decay", value: text, at: "9|1", revision: "7" });
const passed = async (ms) => {
  now += ms;
  mock.timers.tick(ms);
  await new Promise((done) => setImmediate(done)); // what follows from it is done
};

beforeEach(() => {
  listeners = {};
  [posted, heard, prepared, refreshed, value] = [[], [], [], 0, "1"];
  globalThis.document = {
    activeElement: null,
    addEventListener: (name, listen) => (listeners[name] ??= []).push(listen),
    querySelector: (selector) => (selector.includes("revision") ? { value: "7" } : { getAttribute: () => '{"X-CSRFToken": "t"}' }),
  };
  globalThis.window = { htmx: { values: () => ({ value, at: "2|1" }) } };
  answered = Promise.resolve();
  globalThis.fetch = async (url, { body, headers }) => {
    posted.push([url, body.toString(), headers.Rehearse, headers["Play-Sample"]]);
    await answered;
    return { status: 200, json: async () => told };
  };
  player = {
    hearsPlan: true, sample: 1234.5, isPrepared: () => true, prepare: (ahead) => prepared.push(ahead),
    hearRehearsed: (ahead) => heard.push(ahead), refresh: () => refreshed++,
  };
  mock.method(performance, "now", () => now);
  mock.timers.enable({ apis: ["setTimeout", "setInterval"] });
  giveUp(player);
  refreshed = 0;
  bindRehearsals(player);
});

afterEach(() => mock.reset());

test("an edit is told from another by all that is sent but where the song is played", () => {
  assert.equal(signature("/set/", { path: "a", value: "1", at: "1|1" }), signature("/set/", { at: "2|1", value: 1, path: ["a"] }));
  assert.notEqual(signature("/set/", { path: "a", value: "1" }), signature("/set/", { path: "a", value: "2" }));
  assert.notEqual(signature("/set/", { path: "a" }), signature("/else/", { path: "a" }));
});

test("what was rehearsed is heard as it is made; something else is not", async () => {
  rehearse(player, field, "/set/");
  await passed(60);
  assert.deepEqual(posted, [["/set/", "value=1&at=2%7C1&path=decay&revision=7", "yes", "1235"]]);
  press(edit("1"));
  assert.deepEqual(heard, [told]);
  rehearse(player, field, "/set/");
  await passed(60);
  press(edit("2"));
  assert.equal(heard.length, 1);
});

test("of what is typed while a rehearsal is under way only the newest follows, and its sound is fetched when the hand rests", async () => {
  let answer;
  answered = new Promise((done) => (answer = done));
  rehearse(player, field, "/set/");
  await passed(50);
  for (value of ["12", "123"]) {
    rehearse(player, field, "/set/");
    await passed(50);
  }
  assert.equal(posted.length, 1);
  answer();
  await passed(0);
  await passed(0);
  assert.deepEqual(posted.map(([, body]) => new URLSearchParams(body).get("value")), ["1", "123"]);
  assert.deepEqual(prepared, []);
  await passed(180);
  assert.deepEqual(prepared, [told]);
});

test("an answer that comes after the edit was made is of no use any more", async () => {
  let answer;
  answered = new Promise((done) => (answer = done));
  rehearse(player, field, "/set/");
  await passed(50);
  press(edit("1"));
  answer();
  await passed(200);
  assert.deepEqual([heard, prepared], [[], []]);
});

test("what is held is heard where the hand pauses, and taken back when it is given up", async () => {
  rehearse(player, field, "/set/", { value: "5" }, true);
  await passed(60);
  assert.deepEqual(posted, []);
  await passed(150);
  assert.equal(new URLSearchParams(posted[0][1]).get("value"), "5");
  assert.deepEqual(heard, [told]);
  giveUp(player);
  assert.equal(refreshed, 1);
  giveUp(player);
  assert.equal(refreshed, 1);
});
