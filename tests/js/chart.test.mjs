// What the chart asks of the server, and what it makes of answers that come late, refused or not at all.
import assert from "node:assert/strict";
import { test } from "node:test";
import { load } from "./shared.mjs";

async function chart(answers) {
  const asked = [];
  const fetch = async (url, { body }) => {
    asked.push({ url, ...JSON.parse(body) });
    const answer = answers.shift();
    if (answer === "gone") throw new TypeError("no network");
    await answer.after;
    return { ok: answer.ok ?? true, json: async () => answer.json };
  };
  const { chartAsks } = await load("chart/ask.js", { fetch, sessionStorage: { setItem() {} } });
  const shown = [];
  const state = { post: "/x", probe: {}, layer: "par", selected: null, changes: {}, asked: 0, shown: 0, keeping: 0, busy: false, again: false, refused: false, fault: "" };
  return { it: Object.assign(state, chartAsks, { show: (answer) => shown.push(answer.n) }), asked, shown };
}

test("while one preview is on its way the newest state waits, and goes next", async () => {
  let free;
  const { it, asked, shown } = await chart([{ after: new Promise((done) => (free = done)), json: { n: 1 } }, { json: { n: 2 } }]);
  it.changes = { 1: { x: 0.1 } };
  const first = it.preview();
  it.changes = { 1: { x: 0.2 } };
  it.preview();
  it.changes = { 1: { x: 0.3 } };
  it.preview();
  free();
  await first;
  await new Promise((done) => setTimeout(done, 5));
  assert.deepEqual(asked.map((one) => one.changes[1].x), [0.1, 0.3]);
  assert.deepEqual(shown, [1, 2]);
});

test("what waits for the end of a row of taps is kept with the next change", async () => {
  const { it, asked } = await chart([{ json: { n: 1 } }]);
  it.changes = { 3: { x: 0.5 } };
  assert.equal(await it.commit({ 3: { output: 0.4 } }), null);
  assert.deepEqual(asked[0].changes, { 3: { x: 0.5, output: 0.4 } });
  assert.equal(asked[0].dragging, false);
  assert.deepEqual({ ...it.changes }, {});
});

test("a refusal says why, and a preview does not talk over it", async () => {
  const { it } = await chart([{ ok: false, json: { message: "Too high.", errors: { height: "too high" } } }, { json: { n: 2 } }]);
  assert.deepEqual({ ...(await it.commit({ 1: { height: 9 } })) }, { height: "too high" });
  await it.preview();
  assert.equal(it.fault, "Too high.");
});

test("no answer is told in words, and nothing counts as kept", async () => {
  const { it, shown } = await chart(["gone"]);
  assert.deepEqual({ ...(await it.commit({ 1: { x: 1 } })) }, {});
  assert.match(it.fault, /does not answer. The change was not saved/);
  assert.deepEqual(shown, []);
});
