// The card for the shop: which spots suit a frag.
import assert from "node:assert/strict";
import { test } from "node:test";

globalThis.document ??= { addEventListener() {} };
const { suiting } = await import("../../src/corlume/web/static/shop.js");

const SPOTS = [
  { number: 1, low: 300, high: 350, flow: ["high"] },
  { number: 2, low: 50, high: 160, flow: ["low", "medium"] },
  { number: 3, low: 200, high: 260, flow: [] },
  { number: 4, low: 200, high: 260, flow: ["low"] },
];

test("a frag goes where its light is, in its flow or a step off it, and where flow is not known", () => {
  assert.deepEqual(suiting(SPOTS, 220, "high"), [3]);
  assert.deepEqual(suiting(SPOTS, 220, "medium"), [3, 4]);
  assert.deepEqual(suiting(SPOTS, 220, ""), [3, 4]);
  assert.deepEqual(suiting(SPOTS, 100, "high"), [2]);
  assert.deepEqual(suiting(SPOTS, 400, ""), []);
});
