// A hand on the sheet: fixtures and the probe are dragged, dimensions opened.
import { places } from "../places.js";

export const chartPointer = {
  fixtureAt(id) {
    const { x, y, height, unit } = document.querySelector(`.fixture[data-fixture="${id}"]`).dataset;
    return { x: Number(x), y: Number(y), height: Number(height), unit: Number(unit) };
  },

  pointOf(event) {
    const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
    return { px: point.x, py: point.y };
  },

  down(event) {
    if (event.button !== 0) return;
    const dimension = event.target.closest(".dimension");
    if (dimension) {
      event.preventDefault();
      this.openDimension(dimension);
      return;
    }
    if (event.target.closest("foreignObject")) return;
    const start = this.pointOf(event);
    const fixture = event.target.closest("[data-fixture]");
    if (fixture) {
      const id = Number(fixture.dataset.fixture);
      const view = this.views.find((v) => v.kind === fixture.dataset.view);
      const all = this.movedWith(id).map((one) => ({ id: one, from: this.fixtureAt(one) }));
      this.drag = { id, view, start, all, from: this.fixtureAt(id), moved: false, add: event.shiftKey };
      if (!event.shiftKey) this.selected = id;
    } else {
      const view = places.viewAt(this.views, start);
      if (!view) return;
      this.drag = { probe: true, view };
      this.moveProbe(start, view);
    }
    this.svg.setPointerCapture(event.pointerId);
  },

  move(event) {
    if (!this.drag) return;
    const point = this.pointOf(event);
    const { view } = this.drag;
    if (this.drag.probe) {
      this.moveProbe(point, view);
      return;
    }
    const right = (point.px - this.drag.start.px) / view.scale;
    const up = -(point.py - this.drag.start.py) / view.scale;
    if (!this.drag.moved && Math.hypot(right, up) * view.scale < 3) return;
    this.drag.moved = true;
    const place = places.dragged(view, this.drag.from, right, up, event.shiftKey ? 0 : this.snap);
    this.together(this.drag.all, this.drag.from, place);
    this.shift();
    this.preview();
  },

  async up() {
    const drag = this.drag;
    this.drag = null;
    if (!drag) return;
    if (drag.add && !drag.moved) {
      this.pick(this.fixtureAt(drag.id).unit);
      return;
    }
    // the release is drawn in full
    if (drag.probe || !drag.moved) {
      this.preview();
      return;
    }
    const faults = await this.commit({});
    if (faults) this.revert();
  },

  cancel() {
    if (this.drag && !this.drag.probe) this.revert();
    this.drag = null;
  },

  moveProbe(point, view) {
    this.probe = places.probed(view, point, this.probe, this.size);
    this.preview();
  },
};
