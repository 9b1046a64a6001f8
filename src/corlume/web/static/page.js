// What every page has: help, undo and redo by key, small form helpers.
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
