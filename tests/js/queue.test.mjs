// The queue of a phone at the tank: nothing is lost while the application is away, and nothing is sent twice.
import assert from "node:assert/strict";
import { test } from "node:test";
import { offlineQueue } from "../../src/corlume/web/static/queue.js";

function bench(answers, kept = []) {
  const storage = new Map([["q", JSON.stringify(kept)]]);
  const sent = [];
  const heard = [];
  const counts = [];
  const queue = offlineQueue("q", {
    storage: { getItem: (key) => storage.get(key) ?? null, setItem: (key, value) => storage.set(key, value) },
    send: async (act) => {
      sent.push(act.n);
      const answer = answers.shift() ?? { ok: true, answer: {} };
      await answer.after;
      return answer;
    },
    heard: (act, ok, answer, left) => heard.push([act.n, ok, left.length]),
    changed: (count) => counts.push(count),
  });
  return { queue, sent, heard, counts, stored: () => JSON.parse(storage.get("q")).map((act) => act.n) };
}

test("what is done while nothing answers is kept in order and sent once it does", async () => {
  const { queue, sent, heard, counts, stored } = bench([{ silent: true }, { busy: true }]);
  await queue.add({ n: 1 });
  await queue.add({ n: 2 });
  assert.deepEqual(stored(), [1, 2]);
  assert.equal(counts.at(-1), 2);
  await queue.flush();
  assert.deepEqual(sent, [1, 1, 1, 2]);
  assert.deepEqual(heard, [[1, true, 1], [2, true, 0]]);
  assert.deepEqual(stored(), []);
  assert.equal(counts.at(-1), 0);
});

test("what a page left behind is sent by the next one, and told at once", async () => {
  const { queue, sent, counts } = bench([], [{ n: 7 }, { n: 8 }]);
  assert.equal(counts[0], 2);
  assert.deepEqual(queue.acts.map((act) => act.n), [7, 8]);
  await queue.flush();
  assert.deepEqual(sent, [7, 8]);
});

test("two calls at once send nothing twice, and what comes meanwhile goes last", async () => {
  let free;
  const { queue, sent } = bench([{ after: new Promise((done) => (free = done)), ok: true, answer: {} }]);
  const first = queue.add({ n: 1 });
  const second = queue.add({ n: 2 });
  free();
  await Promise.all([first, second]);
  assert.deepEqual(sent, [1, 2]);
});

test("a refusal is heard, is not sent again, and does not hold up the rest", async () => {
  const { queue, sent, heard } = bench([{ ok: false, answer: { message: "no" } }]);
  await queue.add({ n: 1 });
  await queue.add({ n: 2 });
  assert.deepEqual(sent, [1, 2]);
  assert.deepEqual(heard.map(([n, ok]) => [n, ok]), [[1, false], [2, true]]);
});
