import { talk } from "./talk.js";

// A tank in the list: its picture is drawn when it is scrolled to.
export const card = () => ({
  init() {
    const near = new IntersectionObserver((entries) => {
      if (!entries.some((entry) => entry.isIntersecting)) return;
      near.disconnect();
      this.draw();
    }, { rootMargin: "200px" });
    near.observe(this.$el);
  },
  async draw() {
    const { ok, answer } = await talk(this.$root.dataset.url);
    if (ok) this.$refs[answer.faulty ? "faults" : "picture"].innerHTML = answer.html;
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("card", card);
});
