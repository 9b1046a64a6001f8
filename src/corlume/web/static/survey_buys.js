import { talk } from "./talk.js";

// How well so many readings would tell the map: worked out once the page is shown.
export const buys = () => ({
  async init() {
    const { ok, answer } = await talk(this.$el.dataset.url);
    for (const one of this.$root.querySelectorAll("[data-buys]")) {
      const told = ok && answer[one.dataset.buys];
      if (told) one.textContent = told;
      else if (one.closest(".buy")) one.parentElement.textContent = ok ? "more points than there is light for" : "";
    }
  },
});

export const survey = () => ({
  print() {
    window.print();
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("buys", buys);
  Alpine.data("survey", survey);
});
