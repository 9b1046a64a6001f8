// The rock on the measures page: drag a block to move it, its corner to resize it; arrow keys nudge.
document.addEventListener("alpine:init", () => {
  Alpine.data("rocks", () => ({
    fault: "",

    init() {
      const data = this.$el.dataset;
      this.post = data.post;
      this.snap = Number(data.snap);
      this.svg = this.$el.querySelector("svg.sheet");
      this.drag = null;
      holdTouch(this.svg, "[data-rock]");
      this.svg.addEventListener("pointerdown", (event) => this.down(event));
      this.svg.addEventListener("pointermove", (event) => this.move(event));
      this.svg.addEventListener("pointerup", () => this.up());
      this.svg.addEventListener("pointercancel", () => window.location.reload());
      this.svg.addEventListener("keydown", (event) => this.key(event));
    },

    down(event) {
      const block = event.target.closest("[data-rock]");
      if (!block || event.button !== 0) return;
      const { a } = this.svg.getScreenCTM();
      const scale = Number(block.dataset.scale) * a;
      this.drag = { block, scale, x: event.clientX, y: event.clientY, corner: event.target.matches(".corner-grip"), change: null };
      this.svg.setPointerCapture(event.pointerId);
    },

    move(event) {
      if (!this.drag) return;
      const { block, scale, corner } = this.drag;
      const step = (value) => Math.round(value / this.snap) * this.snap;
      const right = step((event.clientX - this.drag.x) / scale);
      const up = step(-(event.clientY - this.drag.y) / scale);
      const now = (field) => Number(block.dataset[field]);
      const high = block.dataset.view === "plan" ? ["y", "width"] : ["base", "height"];
      this.drag.change = corner
        ? { length: now("length") + right, [high[1]]: now(high[1]) + up }
        : { x: now("x") + right, [high[0]]: now(high[0]) + up };
      const drawn = Number(block.dataset.scale);
      if (corner) {
        const outline = block.querySelector("rect");
        outline.setAttribute("width", Math.max(2, (now("length") + right) * drawn));
        outline.setAttribute("height", Math.max(2, (now(high[1]) + up) * drawn));
        outline.setAttribute("y", Number(outline.dataset.y) - up * drawn);
      } else {
        block.setAttribute("transform", `translate(${right * drawn} ${-up * drawn})`);
      }
    },

    up() {
      const drag = this.drag;
      this.drag = null;
      if (drag?.change) this.save(drag.block, drag.change);
    },

    key(event) {
      const block = event.target.closest("[data-rock]");
      const steps = { ArrowLeft: ["x", -1], ArrowRight: ["x", 1], ArrowUp: ["y", 1], ArrowDown: ["y", -1], PageUp: ["base", 1], PageDown: ["base", -1] };
      const step = steps[event.key];
      if (!block || !step) return;
      event.preventDefault();
      this.save(block, { [step[0]]: Number(block.dataset[step[0]]) + step[1] * this.snap });
    },

    async save(block, change) {
      const headers = { "Content-Type": "application/json" };
      try {
        const response = await fetch(`${this.post}/${block.dataset.rock}/shape`, { method: "POST", headers, body: JSON.stringify(change) });
        const answer = await response.json();
        if (response.ok) {
          window.location.reload();
          return;
        }
        this.fault = answer.message;
      } catch {
        this.fault = "The application does not answer. The rock was not changed.";
      }
      block.removeAttribute("transform");
      const outline = block.querySelector("rect");
      for (const name of ["y", "width", "height"]) outline.setAttribute(name, outline.dataset[name]);
    },
  }));
});
