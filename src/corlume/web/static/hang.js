// Hang: another fixture or setup shows what belongs to it; a search is watched until it ends.
document.addEventListener("alpine:init", () => {
  Alpine.data("wish", () => ({
    band: null,
    init() {
      const purpose = this.$el.querySelector("#purpose");
      if (purpose) this.band = purpose.selectedOptions[0].dataset;
    },
    // another purpose brings its own light, where the keeper has not typed another
    aim(event) {
      const fields = ["low", "high"].map((end) => document.getElementById(`band_${end}`));
      const next = event.target.selectedOptions[0].dataset;
      if (fields[0].value === this.band.low && fields[1].value === this.band.high) {
        [fields[0].value, fields[1].value] = [next.low, next.high];
      }
      this.band = next;
    },
    again(event) {
      const [purpose, means] = ["purpose", "means"].map((id) => document.getElementById(id).value);
      window.location = `${event.target.dataset.base}${encodeURIComponent(event.target.value)}&purpose=${purpose}&means=${means}`;
    },
  }));

  Alpine.data("search", () => ({
    running: false,
    said: "",
    init() {
      this.running = this.under(this.$el.dataset.state);
      if (this.running) this.watch();
    },
    under(state) {
      return state === "waiting" || state === "running";
    },
    async watch() {
      while (this.running) {
        await new Promise((done) => setTimeout(done, 600));
        const { ok, answer } = await talk(this.$el.dataset.url);
        if (!ok) return;
        this.$refs.bar.value = answer.done;
        this.$refs.answers.innerHTML = answer.answers;
        this.running = this.under(answer.state);
        if (!this.running) this.said = "The search has ended; its answers stand below.";
      }
    },
  }));
});
