// Several fixtures held together: what is done to one is done to all. A frame counts as one.
export const chartTogether = {
  // Hold a unit together with the others, or let it go.
  pick(unit) {
    this.picked = this.picked.includes(unit) ? this.picked.filter((one) => one !== unit) : [...this.picked, unit];
    this.preview();
  },

  held(id) {
    return this.picked.length > 1 && this.picked.includes(this.fixtureAt(id).unit);
  },

  // Fixtures that move when one is moved: one of each unit that is held with it; the frame of each follows.
  movedWith(id) {
    return this.held(id) ? this.picked : [id];
  },

  // Fixtures that are dimmed when one is.
  dimmedWith(id) {
    return this.held(id) ? this.heldParts().filter((one) => this.home.querySelector(`[data-dim="${one}"]`)) : [id];
  },

  heldParts() {
    return this.picked.flatMap((unit) => [...this.svg.querySelectorAll(`.fixture[data-unit="${unit}"][data-view="plan"]:not(.selected)`)].map((g) => Number(g.dataset.fixture)));
  },

  // Move all as far as the one that is dragged goes.
  together(all, from, place) {
    for (const one of all) {
      const change = Object.entries(place).map(([field, value]) => [field, one.from[field] + value - from[field]]);
      this.changes[one.id] = { ...this.changes[one.id], ...Object.fromEntries(change) };
    }
  },

  // One channel of all held fixtures at what the slider says; their other channels stay.
  mixTogether(slider) {
    slider.nextElementSibling.textContent = `${slider.value} %`;
    const mixes = JSON.parse(slider.closest("[data-mixes]").dataset.mixes);
    for (const [id, mix] of Object.entries(mixes)) {
      const levels = [...(this.changes[id]?.levels ?? mix)];
      levels[slider.dataset.levelOfAll] = slider.value / 100;
      this.changes[id] = { ...this.changes[id], levels };
    }
    this.preview();
  },

  // The strongest at what the slider says, the others in their ratio to it.
  dimTogether(slider) {
    slider.nextElementSibling.textContent = `${slider.value} %`;
    const was = JSON.parse(slider.dataset.was);
    const most = Math.max(...Object.values(was));
    for (const [id, output] of Object.entries(was)) {
      this.changes[id] = { ...this.changes[id], output: Math.round((1000 * slider.value * output) / (100 * most)) / 1000 };
    }
    this.preview();
  },
};
