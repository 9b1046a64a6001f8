import { talk } from "./talk.js";

// A part of the page that takes seconds to work out comes when it is there.
export const later = () => ({
  async init() {
    const { ok, answer } = await talk(this.$el.dataset.url);
    const here = this.$refs.here;
    if (!ok) {
      here.textContent = "Calculation failed. Reload to retry.";
      return;
    }
    const found = document.createElement("div");
    found.innerHTML = answer.html;
    // what is long stands open where there is room
    if (window.innerWidth < 900) for (const part of found.querySelectorAll("[data-wide]")) part.removeAttribute("open");
    here.replaceWith(found);
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("later", later);
});
