// What was done at the tank waits on this device until the application has answered it, and is sent in order, once.
//
// `send(act)` sends one and says what came of it: `silent` or `busy` when nothing did, and it stays first in line;
// `heard(act, ok, answer, acts)` hears every answer, with what still waits; `changed(count)` how much that is.
export function offlineQueue(key, { storage, send, heard, changed = () => {} }) {
  const acts = JSON.parse(storage.getItem(key) || "[]");
  let sending = false;

  const keep = () => {
    storage.setItem(key, JSON.stringify(acts));
    changed(acts.length);
  };
  changed(acts.length);

  return {
    acts,

    add(act) {
      acts.push(act);
      keep();
      return this.flush();
    },

    // A second call while one is under way does nothing: the first goes on to the end of the line.
    async flush() {
      if (sending) return;
      sending = true;
      while (acts.length) {
        const { ok, answer, silent, busy } = await send(acts[0]);
        if (silent || busy) break;
        const act = acts.shift();
        keep();
        heard(act, ok, answer, acts);
      }
      sending = false;
    },
  };
}
