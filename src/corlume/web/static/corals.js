// The corals page: click the plan to put the chosen coral there, drag one from the list, or drag a placed one in plan or
// front view: what it would have there is asked for while it is held, and it snaps to spots. A slider lets them grow.
import { places } from "./places.js";
import { talk } from "./talk.js";
import { holdTouch } from "./touch.js";

export const corals = () => ({
  fault: "",
  offered: null,
  hovering: false,
  held: { where: "", par: "", words: [], shade: "", suits: false },
  step: "0",
  monthsSaid: "0",

  init() {
    const data = this.$el.dataset;
    this.front = JSON.parse(data.front);
    this.months = JSON.parse(data.months);
    this.asking = null;
    this.asked = null;
    this.post = data.post;
    // the setup looked at, as it stands behind an address
    this.along = data.along;
    this.selected = data.selected;
    this.plan = JSON.parse(data.plan);
    this.drag = null;
    this.nudge = null;
    this.snap = Number(data.snap);
    this.svg = this.$el.querySelector("svg.sheet");
    holdTouch(this.svg, ".coral");
    this.svg.addEventListener("pointerdown", (event) => this.down(event));
    this.svg.addEventListener("pointermove", (event) => this.move(event));
    this.svg.addEventListener("pointerup", (event) => this.up(event));
    this.svg.addEventListener("pointercancel", () => this.letGo());
    this.svg.addEventListener("pointerleave", () => this.hovering && this.leave());
    this.svg.addEventListener("keydown", (event) => this.key(event));
    this.svg.addEventListener("dragover", (event) => {
      event.preventDefault();
      if (this.carried) this.hold(this.carried, event);
    });
    this.svg.addEventListener("drop", (event) => {
      event.preventDefault();
      this.drop(event.dataTransfer.getData("text/plain"), event);
    });
    for (const item of this.$el.querySelectorAll("[draggable]")) {
      item.addEventListener("dragstart", (event) => {
        event.dataTransfer.setData("text/plain", item.dataset.coral);
        this.carried = item.dataset.coral;
      });
      item.addEventListener("dragend", () => this.leave());
    }
  },

  // The light of the plan at the time of day that the slider says; the newest is asked for when an answer has come.
  async showHour(event) {
    const slider = event.target;
    const two = (number) => String(number).padStart(2, "0");
    const said = `${two(Math.floor(slider.value / 60))}:${two(slider.value % 60)}`;
    slider.setAttribute("aria-valuetext", said);
    slider.closest("form").querySelector("output").textContent = said;
    this.hour = slider.value;
    if (this.hourAsked) return;
    this.hourAsked = true;
    for (let shown = null; shown !== this.hour; ) {
      shown = this.hour;
      const join = this.along.includes("?") ? "&" : "?";
      const { ok, answer } = await talk(`${this.post}/hour${this.along}${join}minute=${shown}`);
      if (ok) this.svg.querySelector("#plan").innerHTML = answer.plan;
      else this.fault = answer.message;
    }
    this.hourAsked = false;
  },

  goTo(minute) {
    const slider = this.$el.closest("form").querySelector("[name=minute]");
    slider.value = minute;
    this.showHour({ target: slider });
  },

  down(event) {
    if (event.button !== 0) return;
    const mark = event.target.closest("[data-coral]");
    this.drag = { mark, id: mark ? mark.dataset.coral : this.selected, x: event.clientX, y: event.clientY, moved: false };
    if (mark) this.svg.setPointerCapture(event.pointerId);
  },

  move(event) {
    // with a coral chosen, the place under the mouse is told before it is put there
    if (!this.drag && this.selected && !this.offered && event.pointerType === "mouse") {
      this.hovering = true;
      this.hold(this.selected, event);
    }
    if (!this.drag) return;
    const right = event.clientX - this.drag.x;
    const down = event.clientY - this.drag.y;
    this.drag.moved ||= Math.hypot(right, down) > 4;
    if (!this.drag.mark || !this.drag.moved) return;
    const { a } = this.svg.getScreenCTM();
    this.drag.mark.setAttribute("transform", `translate(${right / a} ${down / a})`);
    this.hold(this.drag.id, event);
  },

  up(event) {
    const drag = this.drag;
    this.drag = null;
    if (!drag) return;
    if (drag.mark && !drag.moved) this.choose(drag.id);
    else if (drag.mark) this.drop(drag.id, event, drag.mark);
    else if (drag.moved) return;
    else if (drag.id && event.pointerType !== "mouse") this.offer(drag.id, event);
    else if (drag.id) this.drop(drag.id, event);
    else this.fault = "Choose a coral from the list first.";
  },

  // Several taps in a row become one move, and one step of undo.
  key(event) {
    const mark = event.target.closest("[data-coral]");
    if (!mark) return;
    if (event.key === "Enter" || event.key === " ") {
      event.preventDefault();
      this.choose(mark.dataset.coral);
      return;
    }
    const [field, way] = places.steps[event.key] || [];
    if (field !== "x" && field !== "y") return;
    event.preventDefault();
    this.nudge ||= { mark, x: Number(mark.dataset.x), y: Number(mark.dataset.y) };
    this.nudge[field] += way * this.snap;
    const by = (axis) => (this.nudge[axis] - Number(mark.dataset[axis])) * this.plan.scale;
    mark.setAttribute("transform", `translate(${by("x")} ${-by("y")})`);
    clearTimeout(this.waiting);
    this.waiting = setTimeout(() => {
      const { x, y } = this.nudge;
      this.nudge = null;
      this.place(mark.dataset.coral, x, y, mark);
    }, 450);
  },

  choose(id) {
    window.location = `${this.post}?coral=${id}${this.along.replace("?", "&")}`;
  },

  letGo() {
    this.drag?.mark?.removeAttribute("transform");
    this.drag = null;
    this.leave();
  },

  // The view under the hand with the place on it in metres, or null.
  under(event) {
    const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
    const at = places.onPlan(this.plan, { px: point.x, py: point.y });
    if (at) return { view: "plan", u: at.x, v: at.y };
    const { left, top, scale, length, depth } = this.front;
    const [u, v] = [(point.x - left) / scale, (point.y - top) / scale];
    return u < 0 || u > length || v < 0 || v > depth ? null : { view: "front", u, v };
  },

  // Ask what a coral would have where it is held; one question at a time, the newest next.
  async hold(id, event) {
    const at = this.under(event);
    this.asked = at && { id, at };
    if (this.asking || !this.asked) return;
    while (this.asked) {
      const { id: coral, at: place } = this.asked;
      this.asked = null;
      this.asking = talk(`${this.post}/${coral}/try${this.along}`, place);
      const { ok, answer } = await this.asking;
      this.asking = null;
      if (!this.drag && !this.carried && !this.hovering && !this.offered) return;
      this.held = ok ? answer : { where: answer.message, par: "", words: [], shade: "", suits: false };
      this.darken(ok ? answer.shaded : []);
    }
  },

  // The corals that would stand in the shade of the one that is held.
  darken(ids) {
    for (const mark of this.svg.querySelectorAll(".coral")) mark.classList.toggle("in-shade", ids.includes(Number(mark.dataset.coral)));
  },

  // A finger does not hover: what it taps is told first, with a button that puts the coral there.
  offer(id, event) {
    const at = this.under(event);
    if (!at) {
      this.fault = "Tap inside the panes of a drawing.";
      return;
    }
    this.offered = { id, at };
    this.hold(id, event);
  },

  async take() {
    const { id, at } = this.offered;
    this.leave();
    await this.send(`${this.post}/${id}/drop${this.along}`, at);
  },

  leave() {
    this.darken([]);
    this.carried = null;
    this.hovering = false;
    this.offered = null;
    this.asked = null;
    this.held = { where: "", par: "", words: [], shade: "", suits: false };
  },

  async drop(id, event, mark) {
    const at = this.under(event);
    this.leave();
    if (!at) {
      this.fault = "Drop it inside the panes of a drawing.";
      mark?.removeAttribute("transform");
      return;
    }
    await this.send(`${this.post}/${id}/drop${this.along}`, at, mark);
  },

  // Draw every body at the size that it has by then; the sizes stand in the drawing.
  grow() {
    const step = Number(this.step);
    this.monthsSaid = String(this.months[step]);
    const size = (shape, name) => Number(shape.dataset[name].split(" ")[step]);
    for (const shape of this.svg.querySelectorAll("[data-r]")) shape.setAttribute("r", size(shape, "r"));
    for (const shape of this.svg.querySelectorAll("[data-rx]")) {
      shape.setAttribute("rx", size(shape, "rx"));
      shape.setAttribute("ry", size(shape, "ry"));
      shape.setAttribute("cy", Number(shape.dataset.foot) - size(shape, "ry"));
    }
  },

  async place(id, x, y, mark) {
    await this.send(`${this.post}/${id}/place${this.along}`, { x, y }, mark);
  },

  async send(url, body, mark) {
    const { ok, answer } = await talk(url, body);
    if (ok) {
      window.location = answer.next;
      return;
    }
    this.fault = answer.message;
    mark?.removeAttribute("transform");
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("corals", corals);
});
