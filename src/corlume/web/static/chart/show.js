// Pieces that the server has drawn are put in their places; the focus stays where it was.
import { focusKey } from "../focus.js";
import { places } from "../places.js";

const CHART_PIECES = [
  "light-plan", "light-front", "light-side", "rock-plan", "rock-front", "rock-side", "frame", "dimensions", "marks", "notes",
  "readout", "hung", "verdicts", "panel", "depth-out", "legend", "rings",
];

export const chartShows = {
  show(answer) {
    const focus = focusKey(this.home);
    const open = this.home.querySelector("details.verdict[open]")?.dataset.key;
    const folds = [...this.home.querySelectorAll("details.fold[open]")].map((fold) => fold.dataset.fold);
    for (const id of CHART_PIECES) {
      if (id in answer) document.getElementById(id).innerHTML = answer[id];
    }
    clearTimeout(this.speaking);
    this.speaking = setTimeout(() => (document.getElementById("spoken").textContent = answer.spoken), 700);
    if (answer.views) {
      this.views = JSON.parse(answer.views);
      this.svg.setAttribute("viewBox", answer.viewbox);
      this.placeCorner();
    }
    if ("undo" in answer) {
      this.step("undo", answer.undo);
      this.step("redo", answer.redo);
    }
    if (open) this.home.querySelector(`details.verdict[data-key=${open}]`)?.setAttribute("open", "");
    this.picked = this.picked.filter((id) => this.svg.querySelector(`[data-unit="${id}"]`));
    for (const fold of folds) this.home.querySelector(`details.fold[data-fold=${fold}]`)?.setAttribute("open", "");
    this.shift();
    if (focus) document.querySelector(focus)?.focus();
    const depth = this.home.querySelector("[data-depth]");
    if (document.activeElement !== depth) depth.value = this.probe.depth;
  },

  placeCorner() {
    const [plan, , side] = this.views;
    const corner = document.getElementById("corner");
    const width = Number(this.svg.getAttribute("viewBox").split(" ")[2]);
    corner.setAttribute("x", side.left - 4);
    corner.setAttribute("width", width - side.left);
    corner.setAttribute("height", plan.top + plan.v_size * plan.scale + 20);
  },

  step(name, label) {
    const button = document.querySelector(`[data-step=${name}] button`);
    button.disabled = !label;
    const word = name === "undo" ? "Undo" : "Redo";
    button.title = label ? `${word}: ${label}` : word;
  },

  // Move what is drawn at once; the light follows when the server has answered.
  shift() {
    for (const [id, change] of Object.entries(this.changes)) {
      // a frame goes as one
      const { unit, ...from } = this.fixtureAt(id);
      for (const g of this.svg.querySelectorAll(`.fixture[data-unit="${unit}"], .hull[data-hull="${unit}"]`)) {
        const view = this.views.find((v) => v.kind === g.dataset.view);
        const [right, down] = places.shifted(view, from, change);
        g.setAttribute("transform", `translate(${right} ${down})`);
      }
    }
  },
};
