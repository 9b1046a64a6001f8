import { talk } from "./talk.js";

// Better plans for all that wait: begun, shown as they come, and stopped.
export const planning = () => ({
  done: 0,
  looking: false,
  told: "First plan; looking for better ones.",
  known: 0,

  async init() {
    const { post, along, months, daily } = this.$el.dataset;
    this.post = post;
    this.along = along;
    const { ok, answer } = await talk(post + along, { months: Number(months), daily: daily === "yes" });
    if (!ok) {
      this.told = answer.message;
      return;
    }
    this.job = answer.job;
    this.looking = true;
    this.watch();
  },

  async watch() {
    const address = `${this.post}/${this.job}${this.along}`;
    const { ok, answer } = await talk(`${address}${address.includes("?") ? "&" : "?"}known=${this.known}`);
    if (!ok) {
      this.looking = false;
      this.told = answer.message;
      return;
    }
    this.done = answer.done;
    if (answer.html) {
      this.known = answer.plans;
      this.$refs.here.innerHTML = answer.html;
    }
    const far = 100 * answer.gap;
    const gap = answer.gap === null ? "" : far < 0.05 ? ", none is better" : `, at most ${far.toFixed(1)} % from the best`;
    const ends = {
      looking: `Plan ${answer.plans}${gap}; looking on.`,
      done: `The search has ended${gap}.`,
      stopped: `Stopped${gap}.`,
      failed: "The search failed; the plan below stands.",
    };
    this.told = ends[answer.state];
    this.looking = answer.state === "looking";
    if (this.looking) setTimeout(() => this.watch(), 600);
  },

  async stop() {
    await talk(`${this.post}/${this.job}/stop${this.along}`, {});
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("planning", planning);
});
