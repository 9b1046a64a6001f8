// Keys on the sheet: arrows nudge, plus and minus dim, Enter opens a dimension.
import { places } from "../places.js";

export const chartKeys = {
  key(event) {
    const dimension = event.target.closest(".dimension");
    if (dimension && (event.key === "Enter" || event.key === " ")) {
      event.preventDefault();
      this.openDimension(dimension);
      return;
    }
    const probe = event.target.closest(".probe");
    const fixture = event.target.closest("[data-fixture]");
    if (!probe && !fixture) return;
    if (fixture && (event.key === "+" || event.key === "-")) {
      for (const one of this.dimmedWith(Number(fixture.dataset.fixture))) this.dimBy(one, event.key === "+" ? 0.05 : -0.05);
      return;
    }
    if (fixture && event.key === " ") {
      event.preventDefault();
      this.pick(Number(fixture.dataset.unit));
      return;
    }
    const step = places.steps[event.key];
    if (!step) return;
    event.preventDefault();
    const [field, way] = step;
    const by = way * this.snap * (event.shiftKey ? 5 : 1);
    if (probe) {
      this.probe = places.stepped(this.probe, field, by, this.size);
      this.preview();
      return;
    }
    this.nudge(Number(fixture.dataset.fixture), field === "up" ? "height" : field, by);
  },

  nudge(id, field, by) {
    for (const one of this.movedWith(id)) {
      const change = (this.changes[one] ||= {});
      // the drawing may still show where it was before what is being saved
      const saving = this.saving[one]?.[field];
      change[field] = (field in change ? change[field] : typeof saving === "number" ? saving : this.fixtureAt(one)[field]) + by;
    }
    this.shift();
    this.preview();
    this.settle();
  },

  dimBy(id, by) {
    const slider = document.querySelector(`[data-dim="${id}"]`);
    if (!slider) {
      this.refuse("This fixture does not dim: it is on or off.");
      return;
    }
    slider.value = Number(slider.value) + 100 * by;
    this.changes[id] = { ...this.changes[id], output: slider.value / 100 };
    slider.nextElementSibling.textContent = `${slider.value} %`;
    this.preview();
    this.settle();
  },

  focused(event) {
    const fixture = event.target.closest("[data-fixture]");
    if (!fixture || this.drag || Number(fixture.dataset.fixture) === this.selected) return;
    this.selected = Number(fixture.dataset.fixture);
    this.preview();
  },
};
