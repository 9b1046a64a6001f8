// Hang: another fixture or setup shows what belongs to it; a search is watched until it ends.
import { talk } from "./talk.js";

export const wish = () => ({
  band: null,
  init() {
    const purpose = this.$el.querySelector("#purpose");
    if (purpose) this.band = purpose.selectedOptions[0].dataset;
    if (this.$el.dataset.begin) this.begin(this.$el);
  },
  // What was not searched yet is searched by itself; the answers take their place when it has begun.
  async begin(form) {
    const response = await fetch(form.action, { method: "POST", body: new URLSearchParams(new FormData(form)) });
    if (!response.ok) return;
    const fresh = new DOMParser().parseFromString(await response.text(), "text/html").querySelector(".hang-answers");
    if (fresh) document.querySelector(".hang-answers").replaceWith(fresh);
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
});

// Along the trade-off of height; what is held is the only height of the next search.
export const trade = () => ({
  points: [],
  words: "",
  at: 0,
  init() {
    this.points = JSON.parse(this.$el.dataset.points);
    this.go(0);
  },
  along(event) {
    this.go(Number(event.target.value));
  },
  go(at) {
    this.at = at;
    this.words = this.points[at].words;
    this.$root.querySelectorAll(".trade-dot").forEach((dot, k) => dot.classList.toggle("here", k === at));
  },
  hold() {
    for (const end of ["height_low", "height_high"]) document.getElementById(end).value = this.points[this.at].height;
    document.getElementById("height_low").focus();
  },
});

export const search = () => ({
  running: false,
  said: "",
  by: null,
  mapOf: null,
  init() {
    this.home = this.$el;
    this.url = this.$el.dataset.url;
    this.running = this.under(this.$el.dataset.state);
    if (this.running) this.watch();
  },
  // The map of a row, large, while the button over the small one has the focus; a click brings the focus everywhere.
  async enlarge(event) {
    const button = event.target.closest("[data-map]");
    if (!button || (this.$refs.map.matches(":popover-open") && this.mapOf === button)) return;
    this.mapOf = button;
    const response = await fetch(button.dataset.map);
    if (!response.ok || this.mapOf !== button) return;
    this.$refs.map.innerHTML = await response.text();
    this.$refs.map.showPopover();
  },
  closeMap() {
    this.mapOf = null;
    this.$refs.map.hidePopover();
  },
  under(state) {
    return state === "waiting" || state === "running";
  },
  // Rows by a figure, the best of it first; once more, the other way round.
  sort(event) {
    const { column, best } = event.currentTarget.dataset;
    const again = this.by?.column === column;
    this.by = { column, way: again ? -this.by.way : -Number(best), button: event.currentTarget };
    this.ordered();
  },
  ordered() {
    const { column, way, button } = this.by;
    const value = (row) => Number(row.children[column].dataset.v);
    for (const body of this.$refs.table.querySelectorAll("tbody.rows")) {
      body.append(...[...body.children].sort((a, b) => way * (value(a) - value(b)) || 0));
    }
    for (const other of this.$refs.table.querySelectorAll("th")) other.removeAttribute("aria-sort");
    button.closest("th").setAttribute("aria-sort", way < 0 ? "descending" : "ascending");
  },
  async watch() {
    while (this.running) {
      await new Promise((done) => setTimeout(done, 600));
      const { ok, answer } = await talk(this.url);
      // another search may have taken the place of this one on the page
      if (!ok || !this.home.isConnected) return;
      this.$refs.bar.value = answer.done;
      this.running = this.under(answer.state);
      // rows under the pointer, or with the focus in them, stay where they are until it has left
      if (this.running && this.$refs.rows.matches(":hover, :focus-within")) continue;
      while (!this.running && this.$refs.rows.matches(":hover, :focus-within")) {
        this.said = "The search has ended; new results come when the pointer leaves the table.";
        await new Promise((done) => setTimeout(done, 300));
      }
      this.$refs.rows.innerHTML = answer.rows;
      this.$refs.curve.innerHTML = answer.curve;
      this.$refs.answers.innerHTML = answer.answers;
      if (this.by) this.ordered();
      if (!this.running) this.said = "The search has ended; its results are below.";
    }
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("wish", wish);
  Alpine.data("trade", trade);
  Alpine.data("search", search);
});
