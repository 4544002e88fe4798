import assert from "node:assert/strict";
import { test } from "node:test";

import { marksFor, ofMove } from "../../src/hallweb/screens/findings/static/findings/js/marks.js";

const MARKS = [
  { number: "1", source: "voice", target: "" },
  { number: "2", source: "voice", target: "hall" },
  { number: "3", source: "", target: "hall" },
  { number: "4", source: "", target: "" },
];
const numbers = (what) => marksFor(MARKS, what).map(({ number }) => number);

test("a source has the marks of its own, a return all that are about it, a send its own", () => {
  assert.deepEqual(numbers({ source: "voice" }), ["1"]);
  assert.deepEqual(numbers({ target: "hall" }), ["2", "3"]);
  assert.deepEqual(numbers({ source: "voice", target: "hall" }), ["2"]);
  assert.deepEqual(numbers({}), []);
});

test("a row of moves is about its send, or its return", () => {
  assert.deepEqual(ofMove("send:voice:hall:level_db"), { source: "voice", target: "hall" });
  assert.deepEqual(ofMove("effect:hall:space:decay_s"), { target: "hall" });
});
