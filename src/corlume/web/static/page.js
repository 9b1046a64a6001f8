// What every page has: help, undo and redo by key, and where it stood before it was loaded again.
import "./focus.js";
import "./later.js";
import "./menus.js";
import "./own_fixture_fit.js";
import "./paper.js";
import "./photo_size.js";
import "./tank_card.js";
import "./work.js";

// Drawings are made for the width of the screen: the server is told whether it is that of a phone.
const SCREEN = window.innerWidth <= 600 ? "narrow" : "wide";
if ((/(?:^|; )screen=(\w+)/.exec(document.cookie)?.[1] ?? "wide") !== SCREEN) {
  document.cookie = `screen=${SCREEN}; path=/; max-age=31536000; SameSite=Strict`;
  if (document.querySelector("svg.sheet") && document.cookie.includes("screen=")) window.location.reload();
}

// A form that says so leaves the page where it was scrolled to.
const SCROLLED = `corlume-scroll-${window.location.pathname}`;
document.addEventListener("submit", (event) => {
  if (event.target.matches("[data-stay]")) sessionStorage.setItem(SCROLLED, String(window.scrollY));
});
window.addEventListener("load", () => {
  const at = sessionStorage.getItem(SCROLLED);
  sessionStorage.removeItem(SCROLLED);
  if (at !== null) window.scrollTo(0, Number(at));
});

// What is wrong with what was sent is brought into sight, wherever on the page it stands.
window.addEventListener("load", () => {
  document.querySelector('[data-first], [aria-invalid="true"]')?.scrollIntoView({ block: "center" });
});

export const page = () => ({
  open: false,
  // on a phone the stations stand behind one button
  turn() {
    this.open = !this.open;
  },
  init() {
    document.addEventListener("keydown", (event) => {
      const typing = event.target.matches("input[type=text], textarea, select");
      if (event.key === "?" && !typing) this.openHelp();
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z" && !typing) {
        event.preventDefault();
        const form = this.$el.querySelector(`[data-step=${event.shiftKey ? "redo" : "undo"}]`);
        if (form && !form.querySelector("button").disabled) form.requestSubmit();
      }
    });
  },
  openHelp() {
    this.$refs.help.showModal();
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("page", page);
});
