// Boxes on a drawing of the tank, rock or wanted zones: drag one to move it, its corner to resize it; arrow keys
// nudge. Where the drawing has areas to draw on, a drag over open water draws a new one.
import { nudger } from "./nudge.js";
import { places } from "./places.js";
import { refresh } from "./refresh.js";
import { talk } from "./talk.js";
import { holdTouch } from "./touch.js";

// What [ and ] turn a piece of natural rock by: five degrees.
const TURN = (5 * Math.PI) / 180;
const TURNS = { "[": ["turn", 1], "]": ["turn", -1] };

export const boxes = () => ({
  fault: "",
  // what a drag over open water draws: a box, or an outline that becomes rock of its shape
  draws: "box",

  init() {
    const data = this.$el.dataset;
    this.post = data.post;
    this.snap = Number(data.snap);
    this.svg = this.$el.querySelector("svg.sheet");
    this.drag = null;
    this.nudge = nudger({
      kept: (id, field) => Number(this.drawn(id).dataset[field]),
      show: (id, change) => this.shift(id, change),
      save: (id, change) => this.save(this.drawn(id), change),
    });
    holdTouch(this.svg, "[data-box], [data-area]");
    this.svg.addEventListener("pointerdown", (event) => this.down(event));
    this.svg.addEventListener("pointermove", (event) => this.move(event));
    this.svg.addEventListener("pointerup", () => this.up());
    this.svg.addEventListener("pointercancel", () => this.cancel());
    this.svg.addEventListener("keydown", (event) => this.key(event));
  },

  step(value) {
    return places.snapped(value, this.snap);
  },

  down(event) {
    if (event.button !== 0) return;
    this.fault = "";
    if (this.draws === "brush") return; // see brush.js
    const block = event.target.closest("[data-box]");
    const area = event.target.closest("[data-area]");
    if (!block && !area) return;
    const { a } = this.svg.getScreenCTM();
    const scale = Number((block || area).dataset.scale) * a;
    this.drag = block
      ? {
          block,
          scale,
          x: event.clientX,
          y: event.clientY,
          corner: event.target.matches(".corner-grip"),
          turns: event.target.matches(".turn-grip"),
          change: null,
        }
      : this.begin(area, event);
    this.svg.setPointerCapture(event.pointerId);
  },

  move(event) {
    if (!this.drag) return;
    if (this.drag.points) {
      this.trace(event);
      return;
    }
    if (this.drag.area) {
      this.stretch(event);
      return;
    }
    if (this.drag.turns) {
      this.turn(event);
      return;
    }
    const { block, scale, corner } = this.drag;
    const right = this.step((event.clientX - this.drag.x) / scale);
    const up = this.step(-(event.clientY - this.drag.y) / scale);
    const { view } = block.dataset;
    const now = Object.fromEntries(["x", "y", "base", "length", "width", "height"].map((name) => [name, Number(block.dataset[name])]));
    this.drag.change = places.boxed(view, corner, now, right, up);
    const drawn = Number(block.dataset.scale);
    if (corner) {
      const outline = block.querySelector("rect");
      const tall = this.drag.change[view === "plan" ? "width" : "height"];
      const far = this.drag.change[view === "side" ? "width" : "length"];
      outline.setAttribute("width", Math.max(2, far * drawn));
      outline.setAttribute("height", Math.max(2, tall * drawn));
      outline.setAttribute("y", Number(outline.dataset.y) - up * drawn);
    } else {
      block.setAttribute("transform", `translate(${right * drawn} ${-up * drawn})`);
    }
  },

  // A piece turned by its handle, in steps of a degree; it turns about its middle.
  turn(event) {
    const { block } = this.drag;
    const to = (x, y) => new DOMPoint(x, y).matrixTransform(this.svg.getScreenCTM().inverse());
    const [cx, cy] = [Number(block.dataset.cx), Number(block.dataset.cy)];
    const angle = (p) => Math.atan2(cy - p.y, p.x - cx);
    const by = angle(to(event.clientX, event.clientY)) - angle(to(this.drag.x, this.drag.y));
    const degrees = Math.round((by * 180) / Math.PI);
    this.drag.change = { turn: places.turned(Number(block.dataset.turn), (degrees * Math.PI) / 180) };
    block.setAttribute("transform", `rotate(${-degrees} ${cx} ${cy})`);
  },

  // A place on a view in metres from its upper left corner.
  place(area, event) {
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
    const scale = Number(area.dataset.scale);
    return [(at.x - Number(area.getAttribute("x"))) / scale, (at.y - Number(area.getAttribute("y"))) / scale].map((v) => this.step(v));
  },

  begin(area, event) {
    if (this.draws === "outline") return this.beginOutline(area, event);
    const outline = document.createElementNS("http://www.w3.org/2000/svg", "rect");
    outline.setAttribute("class", "zone-new");
    area.parentNode.appendChild(outline);
    const start = this.place(area, event);
    return { area, outline, start, end: start };
  },

  beginOutline(area, event) {
    const outline = document.createElementNS("http://www.w3.org/2000/svg", "polyline");
    outline.setAttribute("class", "zone-new");
    area.parentNode.appendChild(outline);
    this.drag = { area, outline, points: [] };
    this.trace(event);
    return this.drag;
  },

  // A hand that leaves the view goes along its edge.
  trace(event) {
    const { area, outline, points } = this.drag;
    const scale = Number(area.dataset.scale);
    const [left, top, width, height] = ["x", "y", "width", "height"].map((name) => Number(area.getAttribute(name)));
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
    const point = [places.clamped(at.x - left, width) / scale, places.clamped(at.y - top, height) / scale];
    points.push(point.map((v) => Math.round(v * 1000) / 1000));
    outline.setAttribute("points", points.map(([u, v]) => `${left + u * scale},${top + v * scale}`).join(" "));
  },

  stretch(event) {
    const { area, outline, start } = this.drag;
    this.drag.end = this.place(area, event);
    const scale = Number(area.dataset.scale);
    ["x", "y"].forEach((name, i) => {
      const low = Math.min(start[i], this.drag.end[i]);
      outline.setAttribute(name, Number(area.getAttribute(name)) + low * scale);
      outline.setAttribute(i ? "height" : "width", Math.abs(this.drag.end[i] - start[i]) * scale);
    });
  },

  up() {
    const drag = this.drag;
    this.drag = null;
    if (drag?.points) {
      drag.outline.remove();
      if (drag.points.length > 3) this.keep(`${this.post}/outline`, { view: drag.area.dataset.view, points: drag.points });
    } else if (drag?.area) {
      const sizes = [0, 1].map((i) => Math.abs(drag.end[i] - drag.start[i]));
      drag.outline.remove();
      if (Math.min(...sizes) >= 0.02) this.draw(drag);
    } else if (drag?.change) {
      this.save(drag.block, drag.change);
    }
  },

  key(event) {
    const block = event.target.closest("[data-box]");
    const step = places.steps[event.key] || TURNS[event.key];
    if (!block || !step) return;
    const field = step[0] === "up" ? "base" : step[0];
    event.preventDefault();
    this.fault = "";
    if (field === "turn" && !("turn" in block.dataset)) return;
    this.nudge.by(block.dataset.box, field, field === "turn" ? step[1] * TURN : step[1] * this.snap);
  },

  drawn(id) {
    return this.svg.querySelector(`[data-box="${id}"]`);
  },

  // Move what is drawn of a box in every view at once; the rest follows when the server has answered.
  shift(id, change) {
    for (const block of this.svg.querySelectorAll(`[data-box="${id}"]`)) {
      const by = (name) => (name in change ? change[name] - Number(block.dataset[name]) : 0) * Number(block.dataset.scale);
      const { cx, cy, turn, view } = block.dataset;
      const degrees = "turn" in change && view === "plan" ? ((change.turn - Number(turn)) * 180) / Math.PI : 0;
      const turned = degrees ? ` rotate(${-degrees} ${cx} ${cy})` : "";
      block.setAttribute("transform", `translate(${by(view === "side" ? "y" : "x")} ${-by(view === "plan" ? "y" : "base")})${turned}`);
    }
  },

  cancel() {
    if (this.drag?.area) this.drag.outline.remove();
    else if (this.drag) this.putBack(this.drag.block);
    this.drag = null;
  },

  async draw({ area, start, end }) {
    const chosen = document.querySelector("[name=purpose]:checked");
    const view = area.dataset.view;
    await this.keep(`${this.post}/draw`, { view, start, end, ...(chosen ? { purpose: chosen.value } : {}) });
  },

  async save(block, change) {
    if ("turn" in change) change.turn = places.turned(0, change.turn);
    const { url: own, box } = block.dataset; // natural rock has its own, beside that of blocks
    const url = own ? `${this.post}/../${own}` : `${this.post}/${box}/shape`;
    if (!(await this.keep(url, change))) this.putBack(block);
  },

  putBack(block) {
    for (const one of this.svg.querySelectorAll(`[data-box="${block.dataset.box}"]`)) {
      one.removeAttribute("transform");
      const outline = one.querySelector("rect");
      if (!outline) continue;
      for (const name of ["y", "width", "height"]) outline.setAttribute(name, outline.dataset[name]);
    }
  },

  async keep(url, body) {
    const { ok, answer } = await talk(url, body);
    this.fault = ok ? "" : answer.message;
    if (ok) await refresh();
    return ok;
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("boxes", boxes);
});
