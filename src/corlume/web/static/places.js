// Where things are on a drawing: metres from pixels and back. Nothing here touches the page.
export const places = {
  // What an arrow or page key moves, and which way.
  steps: {
    ArrowLeft: ["x", -1],
    ArrowRight: ["x", 1],
    ArrowUp: ["y", 1],
    ArrowDown: ["y", -1],
    PageUp: ["up", 1],
    PageDown: ["up", -1],
  },

  clamped(value, high) {
    return Math.min(high, Math.max(0, value));
  },

  snapped(value, step) {
    return step ? Math.round(value / step) * step : value;
  },

  // The view under a point of the sheet; what hangs above the water belongs to its view.
  viewAt(views, { px, py }) {
    return views.find(
      (v) => px >= v.left && px <= v.left + v.u_size * v.scale && py >= v.top - v.above * v.scale && py <= v.top + v.v_size * v.scale,
    );
  },

  // Where a fixture goes that was taken hold of at `from` and dragged so far on a view [m].
  dragged(view, from, right, up, step) {
    const across = view.kind === "side" ? "y" : "x";
    const along = view.kind === "plan" ? "y" : "height";
    return { [across]: this.snapped(from[across] + right, step), [along]: this.snapped(from[along] + up, step) };
  },

  // How far a changed thing is drawn from where it is kept, in pixels of the view: to the right, and down.
  shifted(view, kept, change) {
    const delta = (field) => (field in change ? change[field] - kept[field] : 0) * view.scale;
    return [view.kind === "side" ? delta("y") : delta("x"), -(view.kind === "plan" ? delta("y") : delta("height"))];
  },

  // The probe at a point of a view; what the view does not show of its place stays.
  probed(view, { px, py }, probe, size) {
    const u = (px - view.left) / view.scale;
    const v = (py - view.top) / view.scale;
    if (view.kind === "plan") return { ...probe, x: this.clamped(u, size.x), y: this.clamped(view.v_size - v, size.y) };
    const across = view.kind === "front" ? "x" : "y";
    return { ...probe, [across]: this.clamped(u, size[across]), depth: this.clamped(v, size.depth) };
  },

  // The probe after a key; depth goes down.
  stepped(probe, field, by, size) {
    const axis = field === "up" ? "depth" : field;
    return { ...probe, [axis]: this.clamped(probe[axis] + (axis === "depth" ? -by : by), size[axis]) };
  },

  // What a drag changes of a box: its corner its size, the rest of it its place.
  boxed(view, corner, now, right, up) {
    const [lift, size] = view === "plan" ? ["y", "width"] : ["base", "height"];
    const [along, far] = view === "side" ? ["y", "width"] : ["x", "length"];
    return corner
      ? { [far]: now[far] + right, [size]: now[size] + up }
      : { [along]: now[along] + right, [lift]: now[lift] + up };
  },

  // A turn after another one, within half a circle either way [rad].
  turned(turn, by) {
    return turn + by - 2 * Math.PI * Math.round((turn + by) / (2 * Math.PI));
  },

  // A point of the plan in metres from the left and the front pane, or null outside the panes.
  onPlan(plan, { px, py }) {
    const x = (px - plan.left) / plan.scale;
    const y = plan.width - (py - plan.top) / plan.scale;
    return x < 0 || x > plan.length || y < 0 || y > plan.width ? null : { x, y };
  },
};
