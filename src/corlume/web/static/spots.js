// Spots of a survey on its drawing: drag one to move it, arrow keys nudge it, Delete drops it; a tap on open water adds
// one, where the keeper has said what a tap adds.
import { nudger } from "./nudge.js";
import { places } from "./places.js";
import { refresh } from "./refresh.js";
import { talk } from "./talk.js";
import { holdTouch } from "./touch.js";

export const spots = () => ({
  fault: "",
  adds: "",
  depth: "",
  row: "",
  drag: null,

  init() {
    const { post, snap, depth, row, adds } = this.$el.dataset;
    this.post = post;
    this.snap = Number(snap);
    Object.assign(this, { depth, row, adds });
    const on = (name, act) => this.$el.addEventListener(name, act);
    this.nudge = nudger({
      kept: (id, field) => Number(this.drawn(id)[0].dataset[field]),
      show: (id, change) => this.shift(id, change),
      save: (id, change) => this.save(id, change),
    });
    holdTouch(this.$el, "[data-spot][tabindex]");
    on("pointerdown", (event) => this.down(event));
    on("pointermove", (event) => this.move(event));
    on("pointerup", () => this.up());
    on("pointercancel", () => this.cancel());
    on("click", (event) => this.tap(event));
    on("keydown", (event) => this.key(event));
  },

  down(event) {
    const spot = event.target.closest("[data-spot][tabindex]");
    if (event.button !== 0 || !spot) return;
    this.fault = "";
    const pixels = Number(spot.dataset.scale) * spot.ownerSVGElement.getScreenCTM().a;
    this.drag = { spot, pixels, x: event.clientX, y: event.clientY, change: null };
    spot.setPointerCapture(event.pointerId);
  },

  move(event) {
    if (!this.drag) return;
    const { spot, pixels, x, y } = this.drag;
    const right = places.snapped((event.clientX - x) / pixels, this.snap);
    const down = places.snapped((event.clientY - y) / pixels, this.snap);
    if (!right && !down && !this.drag.change) return;
    this.drag.change = this.moved(spot, right, down);
    this.shift(spot.dataset.spot, this.drag.change);
  },

  // Where a spot is after it went so far on its view [m].
  moved(spot, right, down) {
    const now = (axis) => Number(spot.dataset[axis]);
    const plan = spot.dataset.view === "plan";
    return { x: now("x") + right, ...(plan ? { y: now("y") - down } : { depth: now("depth") + down }) };
  },

  up() {
    const { spot, change } = this.drag || {};
    this.drag = null;
    if (change) this.save(spot.dataset.spot, change);
  },

  cancel() {
    if (this.drag) this.shift(this.drag.spot.dataset.spot, {});
    this.drag = null;
  },

  key(event) {
    const spot = event.target.closest("[data-spot][tabindex]");
    if (!spot) return;
    if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      this.send(`spots/${spot.dataset.spot}/place`, { dropped: true });
      return;
    }
    const step = places.steps[event.key];
    if (!step) return;
    event.preventDefault();
    this.fault = "";
    // on the front view up and down are depth; page keys are so everywhere
    const deep = step[0] === "up" || (step[0] === "y" && spot.dataset.view === "front");
    const field = deep ? "depth" : step[0];
    this.nudge.by(spot.dataset.spot, field, (deep ? -1 : 1) * step[1] * this.snap);
  },

  drawn(id) {
    return this.$el.querySelectorAll(`[data-spot="${id}"][tabindex]`);
  },

  // Move what is drawn of a spot in both views at once.
  shift(id, change) {
    for (const spot of this.drawn(id)) {
      const by = (axis) => (axis in change ? change[axis] - Number(spot.dataset[axis]) : 0) * Number(spot.dataset.scale);
      spot.setAttribute("transform", `translate(${by("x")} ${spot.dataset.view === "plan" ? -by("y") : by("depth")})`);
    }
  },

  async save(id, change) {
    if (!(await this.send(`spots/${id}/place`, change))) this.shift(id, {});
  },

  tap(event) {
    const area = event.target.closest("[data-area]");
    if (!area || !this.adds) return;
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(area.ownerSVGElement.getScreenCTM().inverse());
    const { view, scale } = area.dataset;
    const [u, v] = ["x", "y"].map((axis) => places.snapped((at[axis] - Number(area.getAttribute(axis))) / scale, this.snap));
    const third = view === "plan" ? this.depth : this.row;
    this.send("tap", { view, u, v, third, seen: this.adds === "spot" ? "" : this.adds });
  },

  async send(path, body) {
    const { ok, answer } = await talk(`${this.post}/${path}`, body);
    this.fault = ok ? "" : answer.message;
    if (ok) await refresh();
    return ok;
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("spots", spots);
});
