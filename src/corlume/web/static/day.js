// The points of a day on their lanes: dragged, nudged by arrow keys, or deleted. Times snap to five minutes and levels
// to five per cent; with Shift to a minute and one per cent.
import { nudger } from "./nudge.js";
import { places } from "./places.js";
import { refresh } from "./refresh.js";
import { talk } from "./talk.js";
import { holdTouch } from "./touch.js";

const KEYS = { ArrowLeft: ["minute", -5], ArrowRight: ["minute", 5], ArrowDown: ["level", -0.05], ArrowUp: ["level", 0.05] };
const LAST = 1439;

const inDay = (minute) => Math.min(LAST, Math.max(0, Math.round(minute)));
const asLevel = (level, switches) => {
  const within = Math.min(1, Math.max(0, level));
  return switches ? Math.round(within) : Math.round(within * 100) / 100;
};
const said = (minute, level) => {
  const two = (number) => String(number).padStart(2, "0");
  return `${two(Math.floor(minute / 60))}:${two(minute % 60)}, ${Math.round(100 * level)} %`;
};

const day = () => ({
  fault: "",
  told: "",
  drag: null,

  init() {
    this.post = this.$el.dataset.post;
    const on = (name, act) => this.$el.addEventListener(name, act);
    this.nudge = nudger({
      kept: (id, field) => Number(this.point(id).dataset[field]),
      show: (id, change) => this.show(this.point(id), change),
      save: (id, change) => this.save(id, change),
    });
    holdTouch(this.$el, ".day-point");
    on("pointerdown", (event) => this.down(event));
    on("pointermove", (event) => this.move(event));
    on("pointerup", () => this.up());
    on("pointercancel", () => this.cancel());
    on("keydown", (event) => this.key(event));
  },

  point(id) {
    const [group, number] = id.split("/");
    return this.$el.querySelector(`[data-group="${group}"][data-point="${number}"]`);
  },

  id(point) {
    return `${point.dataset.group}/${point.dataset.point}`;
  },

  down(event) {
    const point = event.target.closest(".day-point");
    if (event.button !== 0 || !point) return;
    this.fault = "";
    const pixels = point.ownerSVGElement.getScreenCTM().a;
    this.drag = { point, pixels, x: event.clientX, y: event.clientY, change: null };
    point.setPointerCapture(event.pointerId);
  },

  move(event) {
    if (!this.drag) return;
    const { point, pixels, x, y } = this.drag;
    const { minute, level, across, up } = point.dataset;
    const later = (event.clientX - x) / pixels / Number(across);
    const higher = (y - event.clientY) / pixels / Number(up);
    const [time, part] = event.shiftKey ? [1, 0.01] : [5, 0.05];
    const change = { minute: places.snapped(Number(minute) + later, time), level: places.snapped(Number(level) + higher, part) };
    if (!this.drag.change && Math.abs(later) < 3 && Math.abs(higher) < 0.03) return;
    this.drag.change = change;
    this.show(point, change);
  },

  up() {
    const { point, change } = this.drag || {};
    this.drag = null;
    if (change) this.save(this.id(point), change);
  },

  cancel() {
    if (this.drag) this.show(this.drag.point, {});
    this.drag = null;
  },

  key(event) {
    const point = event.target.closest(".day-point");
    if (!point) return;
    if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      this.send(this.id(point), { dropped: true });
      return;
    }
    const step = KEYS[event.key];
    if (!step) return;
    event.preventDefault();
    const [field, by] = step;
    const whole = field === "level" && "switch" in point.dataset;
    this.nudge.by(this.id(point), field, whole ? Math.sign(by) : event.shiftKey ? by / 5 : by);
  },

  within(point, change) {
    const { minute = Number(point.dataset.minute), level = Number(point.dataset.level) } = change;
    return { minute: inDay(minute), level: asLevel(level, "switch" in point.dataset) };
  },

  show(point, change) {
    const { minute, level } = this.within(point, change);
    const across = (minute - Number(point.dataset.minute)) * Number(point.dataset.across);
    const up = (level - Number(point.dataset.level)) * Number(point.dataset.up);
    point.setAttribute("transform", `translate(${across} ${-up})`);
    point.setAttribute("aria-valuetext", said(minute, level));
    this.told = Object.keys(change).length ? said(minute, level) : "";
  },

  async save(id, change) {
    if (!(await this.send(id, this.within(this.point(id), change)))) this.show(this.point(id), {});
  },

  async send(id, body) {
    const [group, number] = id.split("/");
    const { ok, answer } = await talk(`${this.post}/groups/${group}/points/${number}${window.location.search}`, body);
    this.fault = ok ? "" : answer.message;
    if (ok) {
      this.told = "";
      await refresh();
    }
    return ok;
  },
});

const dayCard = () => ({
  print() {
    window.print();
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("day", day);
  Alpine.data("dayCard", dayCard);
});
