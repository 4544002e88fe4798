// What a drag of a figure says.

import assert from "node:assert/strict";
import test from "node:test";

import { dragged } from "../../src/hallweb/screens/common/static/common/js/figuredrags.js";
import { sidesOf } from "../../src/hallweb/screens/common/static/common/js/levels.js";
import "./facts.js";

const LEVEL = { step: "0.5", low: "-120", high: "24" };

test("a figure goes by its step, finely by a fifth of it, and not over its limits", () => {
  assert.equal(dragged("\u22126.0", LEVEL, 4, {}), "\u22124.0");
  assert.equal(dragged("\u22121.0", LEVEL, 3, {}), "0.5");
  assert.equal(dragged("\u22126.0", LEVEL, -2, { isFine: true }), "\u22126.2");
  assert.equal(dragged("23.0", LEVEL, 9, {}), "24.0");
  assert.equal(dragged("90", { step: "5", low: "-100", high: "100" }, 40, {}), "100");
  assert.equal(dragged("silence", LEVEL, 5, {}), "silence");
});

test("a pan gives what the plan's pan law gives", () => {
  for (const [text, left, right] of [["\u2212100", 1, 0], ["0", Math.SQRT1_2, Math.SQRT1_2], ["100", 0, 1]]) {
    const [l, r] = sidesOf(text);
    assert.ok(Math.abs(l - left) < 1e-8 && Math.abs(r - right) < 1e-8);
  }
});
