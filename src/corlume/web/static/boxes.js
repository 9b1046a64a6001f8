// Boxes on a drawing of the tank, rock or wanted zones: drag one to move it, its corner to resize it; arrow keys
// nudge. Where the drawing has areas to draw on, a drag over open water draws a new one.
document.addEventListener("alpine:init", () => {
  Alpine.data("boxes", () => ({
    fault: "",

    init() {
      const data = this.$el.dataset;
      this.post = data.post;
      this.snap = Number(data.snap);
      this.svg = this.$el.querySelector("svg.sheet");
      this.drag = null;
      holdTouch(this.svg, "[data-box], [data-area]");
      this.svg.addEventListener("pointerdown", (event) => this.down(event));
      this.svg.addEventListener("pointermove", (event) => this.move(event));
      this.svg.addEventListener("pointerup", () => this.up());
      this.svg.addEventListener("pointercancel", () => window.location.reload());
      this.svg.addEventListener("keydown", (event) => this.key(event));
    },

    step(value) {
      return Math.round(value / this.snap) * this.snap;
    },

    down(event) {
      if (event.button !== 0) return;
      const block = event.target.closest("[data-box]");
      const area = event.target.closest("[data-area]");
      if (!block && !area) return;
      const { a } = this.svg.getScreenCTM();
      const scale = Number((block || area).dataset.scale) * a;
      this.drag = block
        ? { block, scale, x: event.clientX, y: event.clientY, corner: event.target.matches(".corner-grip"), change: null }
        : this.begin(area, event);
      this.svg.setPointerCapture(event.pointerId);
    },

    move(event) {
      if (!this.drag) return;
      if (this.drag.area) {
        this.stretch(event);
        return;
      }
      const { block, scale, corner } = this.drag;
      const right = this.step((event.clientX - this.drag.x) / scale);
      const up = this.step(-(event.clientY - this.drag.y) / scale);
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

    // A place on a view in metres from its upper left corner.
    place(area, event) {
      const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
      const scale = Number(area.dataset.scale);
      return [(at.x - Number(area.getAttribute("x"))) / scale, (at.y - Number(area.getAttribute("y"))) / scale].map((v) => this.step(v));
    },

    begin(area, event) {
      const outline = document.createElementNS("http://www.w3.org/2000/svg", "rect");
      outline.setAttribute("class", "zone-new");
      area.parentNode.appendChild(outline);
      const start = this.place(area, event);
      return { area, outline, start, end: start };
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
      if (drag?.area) {
        const sizes = [0, 1].map((i) => Math.abs(drag.end[i] - drag.start[i]));
        drag.outline.remove();
        if (Math.min(...sizes) >= 0.02) this.draw(drag);
      } else if (drag?.change) {
        this.save(drag.block, drag.change);
      }
    },

    key(event) {
      const block = event.target.closest("[data-box]");
      const steps = { ArrowLeft: ["x", -1], ArrowRight: ["x", 1], ArrowUp: ["y", 1], ArrowDown: ["y", -1], PageUp: ["base", 1], PageDown: ["base", -1] };
      const step = steps[event.key];
      if (!block || !step) return;
      event.preventDefault();
      this.save(block, { [step[0]]: Number(block.dataset[step[0]]) + step[1] * this.snap });
    },

    async draw({ area, start, end }) {
      const purpose = document.querySelector("[name=purpose]:checked").value;
      const view = area.dataset.view;
      await this.send(`${this.post}/draw`, { view, purpose, start, end });
    },

    async save(block, change) {
      if (await this.send(`${this.post}/${block.dataset.box}/shape`, change)) return;
      block.removeAttribute("transform");
      const outline = block.querySelector("rect");
      for (const name of ["y", "width", "height"]) outline.setAttribute(name, outline.dataset[name]);
    },

    async send(url, body) {
      const headers = { "Content-Type": "application/json" };
      try {
        const response = await fetch(url, { method: "POST", headers, body: JSON.stringify(body) });
        const answer = await response.json();
        if (response.ok) {
          window.location.reload();
          return true;
        }
        this.fault = answer.message;
      } catch {
        this.fault = "The application does not answer. Nothing was changed.";
      }
      return false;
    },
  }));
});
