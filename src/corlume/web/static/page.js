// What every page has: help, undo and redo by key, small form helpers.
// A finger on something that can be dragged drags it; anywhere else it scrolls the page.
function holdTouch(svg, what) {
  const hold = (event) => event.target.closest(what) && event.preventDefault();
  svg.addEventListener("touchstart", hold, { passive: false });
}

// A selector that finds what has the focus again after what it stands in was drawn anew, or null.
function focusKey(within) {
  const active = document.activeElement;
  if (!active || active === document.body || !within.contains(active)) return null;
  if (active.closest("[popover]")) return null;
  const { focus, fixture, box, coral, field, ids } = active.dataset;
  if (focus) return `[data-focus="${focus}"]`;
  if (fixture) return `.fixture[data-fixture="${fixture}"][tabindex]`;
  if (box) return `[data-box="${box}"][tabindex]`;
  if (coral && active.matches("[tabindex]")) return `.coral[data-coral="${coral}"][tabindex]`;
  if (active.matches(".probe")) return ".probe[tabindex]";
  if (active.matches(".dimension")) return `.dimension[data-field="${field}"][data-ids="${ids}"]`;
  if (active.id) return `#${CSS.escape(active.id)}`;
  const step = active.closest("[data-step]");
  return step ? `[data-step="${step.dataset.step}"] button` : null;
}

// Drawings are made for the width of the screen: the server is told whether it is that of a phone.
const SCREEN = window.innerWidth <= 600 ? "narrow" : "wide";
if ((/(?:^|; )screen=(\w+)/.exec(document.cookie)?.[1] ?? "wide") !== SCREEN) {
  document.cookie = `screen=${SCREEN}; path=/; max-age=31536000; SameSite=Strict`;
  if (document.querySelector("svg.sheet") && document.cookie.includes("screen=")) window.location.reload();
}

// An undo or a reload leaves the focus where it was; a page that asks for another place gets it.
const PLACE = `corlume-focus-${window.location.pathname}`;
window.addEventListener("pagehide", () => {
  const key = focusKey(document.body);
  if (key) sessionStorage.setItem(PLACE, key);
});
window.addEventListener("load", () => {
  const key = sessionStorage.getItem(PLACE);
  sessionStorage.removeItem(PLACE);
  const free = document.activeElement === document.body && !window.location.hash && !document.querySelector("[autofocus]");
  if (key && free) document.querySelector(key)?.focus({ preventScroll: true });
});

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

// Draw the parts of this page that change anew, and leave the rest, with the focus, as it is.
async function refresh() {
  const fresh = await readPage(window.location.href);
  if (!fresh) {
    window.location.reload();
    return;
  }
  const focus = focusKey(document.body);
  for (const part of document.querySelectorAll("[data-live]")) {
    const now = fresh.querySelector(`[data-live="${part.dataset.live}"]`);
    if (now) part.innerHTML = now.innerHTML;
  }
  if (focus) document.querySelector(focus)?.focus({ preventScroll: true });
}

// On paper all stands open that a page folds away, and as it was again afterwards.
const PAPER = "details.verdict, details.paper, details.fault-one, details.corals-change:not(td *)";
window.addEventListener("beforeprint", () => {
  for (const fold of document.querySelectorAll(PAPER)) {
    Object.assign(fold.dataset, { group: fold.getAttribute("name") || "", was: fold.open ? "open" : "" });
    fold.removeAttribute("name");
    fold.open = true;
  }
});
window.addEventListener("afterprint", () => {
  for (const fold of document.querySelectorAll(PAPER)) {
    if (!("was" in fold.dataset)) continue;
    fold.open = fold.dataset.was === "open";
    if (fold.dataset.group) fold.setAttribute("name", fold.dataset.group);
  }
});

document.addEventListener("alpine:init", () => {
  // A part of the page that takes seconds to work out comes when it is there.
  Alpine.data("later", () => ({
    async init() {
      const { ok, answer } = await talk(this.$el.dataset.url);
      const here = this.$refs.here;
      if (!ok) {
        here.textContent = "This could not be worked out. Load the page again to try once more.";
        return;
      }
      const found = document.createElement("div");
      found.innerHTML = answer.html;
      // what is long stands open where there is room
      if (window.innerWidth < 900) for (const part of found.querySelectorAll("[data-wide]")) part.removeAttribute("open");
      here.replaceWith(found);
    },
  }));

  // Work beside the page: begun at once or by its button, watched, and shown when it is done.
  Alpine.data("work", () => ({
    // all that it sets is named here: what is not would go to the page around it
    done: 0,
    state: "none",
    url: "",
    part: null,
    begun: false,
    touched: false,

    async init() {
      const { url, begin } = this.$el.dataset;
      Object.assign(this, { url, part: this.$el });
      for (const act of ["pointerdown", "keydown"]) document.addEventListener(act, () => (this.touched = true), { once: true });
      if (begin) this.begin();
      else this.watch();
    },

    async begin() {
      this.done = 0;
      const { ok } = await talk(`${this.url}/begin`, {});
      this.begun = true;
      if (ok) this.watch();
      else this.state = "failed";
    },

    async watch() {
      const { ok, answer } = await talk(`${this.url}/state`);
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
  }));

  // A tank in the list: its picture is drawn when it is scrolled to.
  Alpine.data("card", () => ({
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
  }));

  Alpine.data("page", () => ({
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
  }));

  Alpine.data("fit", () => ({
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
      const { ok, answer } = await talk(`/shelf/fit/flux?${asked}`);
      if (ok) this.range = answer.words;
    },
  }));

  // Another choice is another page.
  Alpine.data("tape", () => ({
    send() {
      this.$root.submit();
    },
  }));

  Alpine.data("pane", () => ({
    choice: "",
    init() {
      this.choice = this.$el.dataset.choice;
    },
  }));

  Alpine.data("setup", () => ({
    open: false,
    toggle() {
      this.open = !this.open;
    },
    init() {
      // after Back the browser may have put another choice in the menu than the page shows
      window.addEventListener("pageshow", () => {
        const menu = this.$el.querySelector("select");
        const shown = menu.querySelector("option[selected]");
        if (shown) menu.value = shown.value;
      });
    },
    go(event) {
      window.location = event.target.value;
    },
  }));
});
