// The chart and the server: what is tried is shown as it would be, what is done is kept.
import { talk, tellOthers } from "../talk.js";

export const chartAsks = {
  // Answers come back numbered; one that is older than what is shown is dropped.
  async ask(path, changes, silence, more = {}) {
    const number = ++this.asked;
    const dragging = path === "/light" && Object.keys(changes).length > 0;
    const { probe, selected, layer, picked, minute, age, steady, parWanted } = this;
    const body = { probe, selected, layer, dragging, changes, picked, minute, age, steady, par_wanted: parWanted, ...more };
    const { ok, answer } = await talk(this.post + path, body, silence);
    const late = number < this.shown;
    if (!late) this.shown = number;
    return { ok, answer, late };
  },

  // Say what is wrong with what is being tried; never over the reason for a refusal.
  say(fault) {
    if (!this.refused) this.fault = fault;
  },

  refuse(fault) {
    this.fault = fault;
    this.refused = Boolean(fault);
  },

  // Show the chart as it would be. One request at a time; the newest state goes next.
  async preview() {
    if (this.busy || this.keeping) {
      this.again = true;
      return;
    }
    this.busy = true;
    this.again = false;
    const { ok, answer, late } = await this.ask("/light", this.changes, "The application does not answer. What you see is not saved.");
    if (!late) this.say(ok ? "" : answer.message);
    if (ok && !late) this.show(answer);
    this.busy = false;
    sessionStorage.setItem(this.memory, JSON.stringify(this.probe));
    if (this.again) this.preview();
  },

  // Keep changes, with those that wait for the end of a row of taps. Returns the faults by field, or null when all
  // went well.
  async commit(changes) {
    const sent = { ...this.changes };
    for (const [id, change] of Object.entries(changes)) sent[id] = { ...sent[id], ...change };
    return this.keep("/fixtures", sent);
  },

  async keep(path, sent, more) {
    clearTimeout(this.nudging);
    this.changes = {};
    this.saving = { ...this.saving, ...sent };
    // what is shown after it has these changes in it; what is tried from now on has not
    this.again = false;
    this.keeping += 1;
    const { ok, answer, late } = await this.ask(path, sent, "The application does not answer. The change was not saved.", more);
    this.keeping -= 1;
    if (ok) tellOthers();
    if (!this.keeping) this.saving = {};
    this.refuse(ok ? "" : answer.message);
    if (ok && !late) this.show(answer);
    if (this.again && !this.keeping) this.preview();
    return ok ? null : answer.errors || {};
  },

  // Several taps in a row become one step of undo.
  settle() {
    clearTimeout(this.nudging);
    this.nudging = setTimeout(async () => {
      if (await this.commit({})) this.revert();
    }, 450);
  },

  // Put the drawing back to what is kept, and leave the message that says why.
  revert() {
    this.changes = {};
    this.preview();
  },
};
