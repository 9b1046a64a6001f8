// What every page has: help, undo and redo by key, small form helpers.
// A finger on something that can be dragged drags it; anywhere else it scrolls the page.
function holdTouch(svg, what) {
  const hold = (event) => event.target.closest(what) && event.preventDefault();
  svg.addEventListener("touchstart", hold, { passive: false });
}

document.addEventListener("alpine:init", () => {
  Alpine.data("page", () => ({
    init() {
      document.addEventListener("keydown", (event) => {
        const typing = event.target.matches("input[type=text], textarea, select");
        if (event.key === "?" && !typing) this.openHelp();
        if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z" && !typing) {
          event.preventDefault();
          const form = this.$el.querySelector(`[data-step=${event.shiftKey ? "redo" : "undo"}]`);
          if (!form.querySelector("button").disabled) form.requestSubmit();
        }
      });
    },
    openHelp() {
      this.$refs.help.showModal();
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
    go(event) {
      window.location = event.target.value;
    },
  }));
});
