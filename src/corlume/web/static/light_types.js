// Kinds: the comparison begins by itself, is watched until it ends, and is put in order anew as weights move.
import { talk } from "./talk.js";

export const kinds = () => ({
  running: false,
  said: "",
  weights: [],
  asked: 0,
  shown: 0,

  init() {
    const { url, state, weights } = this.$el.dataset;
    this.url = url;
    this.weights = [...weights].map(Number);
    if (!url) this.$refs.begin.requestSubmit();
    this.running = this.under(state);
    if (this.running) this.watch();
  },
  under(state) {
    return state === "waiting" || state === "running";
  },
  async watch() {
    while (this.running) {
      await new Promise((done) => setTimeout(done, 700));
      if (!(await this.look(true))) return;
      if (!this.running) this.said = "All light types are compared.";
    }
  },
  async look(table) {
    const asked = `${this.url}${this.url.includes("?") ? "&" : "?"}w=${this.weights.join("")}&table=${table}`;
    const number = ++this.asked;
    const { ok, answer } = await talk(asked);
    if (!ok) return false;
    // an answer that is older than what stands there is dropped
    if (number < this.shown) return true;
    this.shown = number;
    this.$refs.order.innerHTML = answer.order;
    if (answer.table) this.$refs.table.innerHTML = answer.table;
    this.$refs.bar.value = answer.done;
    this.running = this.under(answer.state);
    return true;
  },
  // The table follows once the slider is let go: its columns are in the order of their scores.
  async settle() {
    if (this.url) await this.look(true);
  },
  // A slider moved: the number beside it, and the order.
  async weigh(event) {
    this.weights[Number(event.target.dataset.weight)] = Number(event.target.value);
    event.target.nextElementSibling.textContent = event.target.value;
    if (this.url) await this.look(false);
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("kinds", kinds);
});
