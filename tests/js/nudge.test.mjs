// Keys on a drawn thing: several taps are one change, and one in mid-flight is not taken back by the next.
import assert from "node:assert/strict";
import { test } from "node:test";
import { nudger } from "../../src/corlume/web/static/nudge.js";

function bench(t) {
  const drawn = { a: { x: 0.5 }, b: { x: 0.1 } };
  const told = [];
  t.mock.timers.enable({ apis: ["setTimeout"] });
  const answers = [];
  const nudge = nudger({
    kept: (id, field) => drawn[id][field],
    show: () => {},
    save: (id, change) => {
      told.push([id, { ...change }]);
      return new Promise((done) => answers.push(done));
    },
  });
  const rest = () => t.mock.timers.tick(1000);
  return { nudge, told, rest, answers };
}
const near = (value, wanted) => assert.ok(Math.abs(value - wanted) < 1e-9, `${value} is not ${wanted}`);

test("taps in a row are one change, kept when the keys rest", (t) => {
  const { nudge, told, rest } = bench(t);
  for (let k = 0; k < 3; k += 1) nudge.by("a", "x", 0.01);
  assert.equal(told.length, 0);
  rest();
  assert.equal(told.length, 1);
  near(told[0][1].x, 0.53);
});

test("a tap while the last change is on its way goes on from there", async (t) => {
  const { nudge, told, rest, answers } = bench(t);
  nudge.by("a", "x", 0.01);
  rest();
  nudge.by("a", "x", 0.01); // the drawing still has it at 0.5
  rest();
  near(told[1][1].x, 0.52);
  answers.forEach((done) => done());
  await new Promise((done) => setImmediate(done));
  nudge.by("a", "x", 0.01); // both were answered: what the drawing says counts again
  rest();
  near(told[2][1].x, 0.51);
});

test("another thing's key keeps the first at once", (t) => {
  const { nudge, told } = bench(t);
  nudge.by("a", "x", 0.01);
  nudge.by("b", "x", -0.01);
  assert.deepEqual(told.map(([id]) => id), ["a"]);
});
