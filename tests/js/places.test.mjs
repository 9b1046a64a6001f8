// Where things are on a drawing: by hand worked numbers, and there and back.
import assert from "node:assert/strict";
import { test } from "node:test";
import { places } from "../../src/corlume/web/static/places.js";

// what is undefined compares as null
const plain = (value) => JSON.parse(JSON.stringify(value ?? null));
const VIEWS = [
  { kind: "plan", left: 10, top: 50, scale: 100, u_size: 1.5, v_size: 0.6, above: 0 },
  { kind: "front", left: 10, top: 200, scale: 100, u_size: 1.5, v_size: 0.5, above: 0.4 },
  { kind: "side", left: 200, top: 200, scale: 100, u_size: 0.6, v_size: 0.5, above: 0.4 },
];
const SIZE = { x: 1.5, y: 0.6, depth: 0.5 };

test("a point belongs to the view that it lies in, with the air above the water", () => {
  const at = (px, py) => plain(places.viewAt(VIEWS, { px: px, py: py })?.kind);
  assert.equal(at(20, 60), "plan");
  assert.equal(at(20, 165), "front"); // 35 cm above the water line
  assert.equal(at(250, 240), "side");
  assert.equal(at(20, 120), null); // between the drawings
});

test("a fixture snaps to the grid on the axes of its view, and to nothing with Shift", () => {
  const from = { x: 0.5, y: 0.3, height: 0.25 };
  const dragged = (k, step) => plain(places.dragged(VIEWS[k], from, 0.034, -0.012, step));
  const near = (found, wanted) => Object.keys(wanted).forEach((name) => assert.ok(Math.abs(found[name] - wanted[name]) < 1e-9, name));
  near(dragged(0, 0.01), { x: 0.53, y: 0.29 });
  near(dragged(1, 0.01), { x: 0.53, height: 0.24 });
  near(dragged(2, 0.0127), { y: 0.3302, height: 0.2413 });
  near(dragged(1, 0), { x: 0.534, height: 0.238 });
});

test("what is moved is drawn off its place: to the right, and up for behind or higher", () => {
  const kept = { x: 0.5, y: 0.3, height: 0.25 };
  assert.deepEqual(plain(places.shifted(VIEWS[0], kept, { x: 0.6, y: 0.4 }).map(Math.round)), [10, -10]);
  assert.deepEqual(plain(places.shifted(VIEWS[2], kept, { y: 0.2, height: 0.3 }).map(Math.round)), [-10, -5]);
  assert.deepEqual(plain(places.shifted(VIEWS[1], kept, {}).map(Math.abs)), [0, 0]);
});

test("the probe stays in the water and keeps what a view does not show", () => {
  const probe = { x: 0.1, y: 0.2, depth: 0.3 };
  assert.deepEqual(plain(places.probed(VIEWS[0], { px: 85, py: 80 }, probe, SIZE)), { x: 0.75, y: 0.3, depth: 0.3 });
  assert.deepEqual(plain(places.probed(VIEWS[1], { px: 999, py: 999 }, probe, SIZE)), { x: 1.5, y: 0.2, depth: 0.5 });
  assert.equal(plain(places.stepped(probe, "up", 0.5, SIZE).depth), 0);
  assert.ok(Math.abs(plain(places.stepped(probe, "x", -0.05, SIZE).x) - 0.05) < 1e-9);
});

test("a box is moved by its body and sized by its corner, in plan and from the front", () => {
  const now = { x: 0.2, y: 0.1, base: 0.05, length: 0.3, width: 0.2, height: 0.25 };
  assert.deepEqual(plain(places.boxed("plan", false, now, 0.5, 0.25)), { x: 0.7, y: 0.35 });
  assert.deepEqual(plain(places.boxed("front", true, now, 0.5, 0.25)), { length: 0.8, height: 0.5 });
});

test("a coral let go outside the panes is nowhere", () => {
  const plan = { left: 10, top: 20, scale: 100, length: 1.5, width: 0.6 };
  assert.deepEqual(plain(places.onPlan(plan, { px: 85, py: 50 })), { x: 0.75, y: 0.3 });
  assert.equal(plain(places.onPlan(plan, { px: 5, py: 50 })), null);
});
