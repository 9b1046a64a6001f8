// Placing corals: one question at a time while a coral is held, and plans that come better and better.
import assert from "node:assert/strict";
import { test } from "node:test";
import { load } from "./shared.mjs";

const svg = { querySelectorAll: () => [] };
const at = (u) => ({ view: "plan", u, v: 0.2 });

async function held(answers) {
  const asked = [];
  const fetch = async (url, { body }) => {
    asked.push({ url, ...JSON.parse(body) });
    const { after, ok = true, ...json } = answers.shift() ?? {};
    await after;
    return { ok, json: async () => ({ shaded: [], ...json }) };
  };
  const { corals } = await load("corals.js", { fetch });
  const it = Object.assign(corals(), { post: "/c", along: "", svg, drag: {}, asking: null, asked: null, under: (event) => event.at });
  return { it, asked };
}

test("while one place is asked for the newest waits, and goes next", async () => {
  let free;
  const { it, asked } = await held([{ after: new Promise((done) => (free = done)), par: "100" }, { par: "300" }]);
  const first = it.hold(3, { at: at(0.1) });
  it.hold(3, { at: at(0.2) });
  it.hold(3, { at: at(0.3) });
  free();
  await first;
  assert.deepEqual(asked.map((one) => one.u), [0.1, 0.3]);
  assert.equal(asked[0].url, "/c/3/try");
  assert.equal(it.held.par, "300");
});

test("an answer that comes after the coral was let go is not shown", async () => {
  let free;
  const { it } = await held([{ after: new Promise((done) => (free = done)), par: "100" }]);
  const asking = it.hold(3, { at: at(0.1) });
  it.drag = null;
  it.leave();
  free();
  await asking;
  assert.equal(it.held.par, "");
});

test("a place that is refused says why where its light would stand", async () => {
  const { it } = await held([{ ok: false, message: "In rock." }]);
  await it.hold(3, { at: at(0.1) });
  assert.equal(it.held.where, "In rock.");
  assert.equal(it.held.suits, false);
});

test("beside the panes nothing is asked, and a coral let go there goes back", async () => {
  const { it, asked } = await held([]);
  let back = false;
  await it.drop(3, { at: null }, { removeAttribute: () => (back = true) });
  assert.equal(asked.length, 0);
  assert.ok(back);
  assert.match(it.fault, /inside the panes/);
});

test("a plan is watched until it ends, and only a better one is drawn anew", async () => {
  const plans = [
    { state: "looking", done: 0.3, plans: 1, gap: 0.2, html: "first" },
    { state: "looking", done: 0.6, plans: 1, gap: 0.1 },
    { state: "done", done: 1, plans: 2, gap: 0, html: "second" },
  ];
  const urls = [];
  const fetch = async (url) => {
    urls.push(url);
    return { ok: true, json: async () => plans.shift() };
  };
  const waits = [];
  const { planning } = await load("place_all.js", { fetch, setTimeout: (act) => waits.push(act) });
  const here = { innerHTML: "at once" };
  const it = Object.assign(planning(), { post: "/p", along: "?setup=2", job: 5, $refs: { here } });
  await it.watch();
  assert.equal(here.innerHTML, "first");
  assert.match(it.told, /at most 20.0 % from the best/);
  await waits.shift()();
  await new Promise((done) => setImmediate(done));
  assert.equal(here.innerHTML, "first");
  await waits.shift()();
  await new Promise((done) => setImmediate(done));
  assert.equal(here.innerHTML, "second");
  assert.match(it.told, /The search has ended, none is better/);
  assert.equal(it.looking, false);
  assert.deepEqual(urls.map((url) => url.at(-1)), ["0", "1", "1"]);
  assert.ok(urls[0].startsWith("/p/5?setup=2&known="));
});
