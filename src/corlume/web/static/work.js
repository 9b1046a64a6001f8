import { refresh } from "./refresh.js";
import { talk } from "./talk.js";

// Work beside the page: begun at once or by its button, watched, and shown when it is done.
export const work = () => ({
  // all that it sets is named here: what is not would go to the page around it
  done: 0,
  state: "none",
  url: "",
  query: "",
  part: null,
  begun: false,
  touched: false,

  async init() {
    const { url, query, begin } = this.$el.dataset;
    Object.assign(this, { url, query: query ? `?${query}` : "", part: this.$el });
    for (const act of ["pointerdown", "keydown"]) document.addEventListener(act, () => (this.touched = true), { once: true });
    if (begin) this.begin();
    else this.watch();
  },

  async begin() {
    this.done = 0;
    const { ok } = await talk(`${this.url}/begin${this.query}`, {});
    this.begun = true;
    if (ok) this.watch();
    else this.state = "failed";
  },

  async watch() {
    const { ok, answer } = await talk(`${this.url}/state${this.query}`);
    if (!this.part.isConnected) return;
    this.done = ok ? answer.done : 0;
    this.state = ok ? answer.state : "failed";
    // begun for pumps that were changed elsewhere since
    if (this.begun && this.state === "none") this.state = "failed";
    if (this.state === "working") setTimeout(() => this.watch(), 500);
    else if (this.state === "done" && answer.html) this.$refs.here.innerHTML = answer.html;
    // nothing moves under a hand, and what is half typed is not lost
    else if (this.state === "done" && !this.touched) this.show();
  },

  show() {
    if (this.part.closest("[data-live]")) refresh();
    else window.location.reload();
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("work", work);
});
