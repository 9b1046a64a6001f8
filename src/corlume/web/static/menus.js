// Small menus of forms and of the head of the page.
// Another choice is another page.
export const tape = () => ({
  send() {
    this.$root.submit();
  },
});

export const pane = () => ({
  choice: "",
  init() {
    this.choice = this.$el.dataset.choice;
  },
});

export const setup = () => ({
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
});

document.addEventListener("alpine:init", () => {
  Alpine.data("tape", tape);
  Alpine.data("pane", pane);
  Alpine.data("setup", setup);
});
