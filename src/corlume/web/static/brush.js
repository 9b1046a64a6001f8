// The brush on the drawing of a tank: a stroke over a view raises, lowers, adds or carves rock; arrow keys move it over
// the view that has the focus, and Enter dabs.
import { places } from "./places.js";
import { refresh } from "./refresh.js";
import { talk } from "./talk.js";

const SVG = "http://www.w3.org/2000/svg";
const number = (text) => Number(String(text).replace(",", "."));

export const brush = () => ({
  work: "add",
  size: "",
  soft: "60",
  by: "",
  cursor: null,

  init() {
    const { unit, size, by, at } = this.$el.dataset;
    this.unit = Number(unit);
    this.at = Number(at);
    this.size = size;
    this.by = by;
    this.svg = this.$el.closest(".tank-picture").querySelector("svg.sheet");
    this.ring = document.createElementNS(SVG, "circle");
    this.ring.setAttribute("class", "brush-ring");
    this.svg.appendChild(this.ring);
    this.trail = null;
    this.$watch("draws", () => this.ready());
    const on = (name, act) => this.svg.addEventListener(name, (event) => this.draws === "brush" && act(event));
    on("pointerdown", (event) => this.down(event));
    on("pointermove", (event) => this.move(event));
    on("pointerup", () => this.up());
    on("pointercancel", () => this.drop());
    on("keydown", (event) => this.key(event));
    on("focusin", (event) => this.take(event.target));
  },

  // In brush mode the views can be reached by keys, and the handles of rock are out of the way.
  ready() {
    const brushing = this.draws === "brush";
    this.svg.classList.toggle("brushing", brushing);
    this.ring.setAttribute("r", 0);
    for (const area of this.svg.querySelectorAll("[data-area]")) {
      if (!brushing) {
        area.removeAttribute("tabindex");
        continue;
      }
      area.setAttribute("tabindex", "0");
      area.setAttribute("role", "button");
      const name = area.dataset.view === "plan" ? "Plan" : "Front view";
      area.setAttribute("aria-label", `${name}: arrow keys move the brush, Enter dabs`);
    }
  },

  frame(area) {
    const [left, top, width, height] = ["x", "y", "width", "height"].map((name) => Number(area.getAttribute(name)));
    return { left, top, width, height, scale: Number(area.dataset.scale) };
  },

  point(area, event) {
    const { left, top, width, height } = this.frame(area);
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
    return [places.clamped(at.x - left, width), places.clamped(at.y - top, height)];
  },

  show(area, [u, v]) {
    const { left, top, scale } = this.frame(area);
    this.ring.setAttribute("cx", left + u);
    this.ring.setAttribute("cy", top + v);
    this.ring.setAttribute("r", Math.max(2, number(this.size) * this.unit * scale) || 2);
  },

  // The view that a key moves the brush over: it starts in its middle.
  take(area) {
    if (!area.matches("[data-area]")) return;
    const { width, height } = this.frame(area);
    if (this.cursor?.view !== area.dataset.view) this.cursor = { view: area.dataset.view, at: [width / 2, height / 2] };
    this.show(area, this.cursor.at);
  },

  down(event) {
    const area = event.target.closest("[data-area]");
    if (!area || event.button !== 0) return;
    this.fault = "";
    const line = document.createElementNS(SVG, "polyline");
    line.setAttribute("class", this.work === "add" ? "brush-trail" : "brush-trail away");
    line.setAttribute("stroke-width", 2 * number(this.size) * this.unit * this.frame(area).scale || 4);
    this.svg.appendChild(line);
    this.trail = { area, line, points: [] };
    this.svg.setPointerCapture(event.pointerId);
    this.move(event);
  },

  move(event) {
    const area = this.trail?.area || event.target.closest("[data-area]");
    if (!area) return;
    const at = this.point(area, event);
    this.show(area, at);
    if (!this.trail) return;
    this.trail.points.push(at);
    const { left, top } = this.frame(area);
    this.trail.line.setAttribute("points", this.trail.points.map(([u, v]) => `${left + u},${top + v}`).join(" "));
  },

  async up() {
    const { trail } = this;
    this.trail = null;
    if (!trail) return;
    await this.stroke(trail.area, trail.points);
    trail.line.remove();
  },

  drop() {
    this.trail?.line.remove();
    this.trail = null;
  },

  async key(event) {
    const area = event.target.closest("[data-area]");
    const step = places.steps[event.key];
    if (!area || !(step || event.key === "Enter" || event.key === " ")) return;
    event.preventDefault();
    event.stopPropagation();
    this.take(area);
    const { width, height, scale } = this.frame(area);
    if (!step) {
      await this.stroke(area, [this.cursor.at]);
      this.svg.querySelector(`[data-area][data-view="${this.cursor.view}"]`)?.focus({ preventScroll: true });
      return;
    }
    const [u, v] = this.cursor.at;
    const far = step[1] * 0.01 * scale;
    this.cursor.at =
      step[0] === "x" ? [places.clamped(u + far, width), v] : [u, places.clamped(v - far, height)];
    this.show(area, this.cursor.at);
  },

  async stroke(area, points) {
    const { scale } = this.frame(area);
    const { ok, answer } = await talk(`${this.$el.dataset.post}`, {
      view: area.dataset.view,
      points: points.map((point) => point.map((value) => Math.round((1000 * value) / scale) / 1000)),
      adds: this.work === "add",
      radius: number(this.size) * this.unit || 0,
      softness: number(this.soft) / 100 || 0,
      by: number(this.by) * this.unit || 0,
      at: this.at,
    });
    this.fault = ok ? "" : answer.message;
    if (!ok) return;
    await refresh();
    this.ready();
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("brush", brush);
});
