import { talk } from "./talk.js";

export const fit = () => ({
  mode: "watts",
  range: "",
  init() {
    this.mode = this.$el.dataset.mode;
    this.told();
  },
  // What a kind has for a lens and for colours, and what flux is seen of so many watts of it.
  async told() {
    const value = (name) => document.getElementById(name).value;
    const kind = value("technology");
    for (const one of this.$root.querySelectorAll("[data-kinds]")) {
      one.hidden = !one.dataset.kinds.split(" ").includes(kind);
      const radio = one.querySelector("input");
      if (one.hidden && radio.checked) one.parentNode.querySelector("input").checked = true;
    }
    const asked = new URLSearchParams({ technology: kind, watts: value("watts"), age: value("age") });
    const { ok, answer } = await talk(`/fixtures/fit/flux?${asked}`);
    if (ok) this.range = answer.words;
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("fit", fit);
});
