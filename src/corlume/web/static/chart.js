// The light chart: pointer, keys and fields become requests; the server answers with drawn pieces.
// No light is worked out here. Places are metres; texts that the keeper typed go as they are.
document.addEventListener("alpine:init", () => {
  Alpine.data("chart", () => ({
    fault: "",
    dim: { open: false, text: "", error: "", field: "", ids: [] },

    init() {
      const data = this.$el.dataset;
      this.post = data.post;
      this.snap = Number(data.snap);
      this.size = JSON.parse(data.size);
      this.views = JSON.parse(data.views);
      this.selected = data.selected ? Number(data.selected) : null;
      this.memory = `corlume-probe-${data.tank}`;
      this.probe = this.recallProbe() || JSON.parse(data.probe);
      this.layer = "par";
      this.changes = {};
      this.drag = null;
      this.refused = false;
      this.busy = false;
      this.again = false;
      this.nudging = null;
      this.keeping = 0;
      this.asked = 0;
      this.shown = 0;
      this.svg = this.$el.querySelector("svg.sheet");
      holdTouch(this.svg, ".fixture, .probe");
      // a reason for a refusal stays until the next act
      for (const act of ["pointerdown", "keydown", "input", "change"]) this.$el.addEventListener(act, () => (this.refused = false), true);
      this.svg.addEventListener("pointerdown", (event) => this.down(event));
      this.svg.addEventListener("pointermove", (event) => this.move(event));
      this.svg.addEventListener("pointerup", (event) => this.up(event));
      this.svg.addEventListener("pointercancel", () => this.cancel());
      this.svg.addEventListener("keydown", (event) => this.key(event));
      this.svg.addEventListener("focusin", (event) => this.focused(event));
      this.$el.addEventListener("input", (event) => this.input(event));
      this.$el.addEventListener("change", (event) => this.change(event));
      this.$el.addEventListener("click", (event) => this.click(event));
      // a page that was quick to come has a coarse drawing: the whole one is asked for, and can be left
      if (data.coarse || sessionStorage.getItem(this.memory)) this.preview();
    },

    // ---- asking the server ----
    recallProbe() {
      const kept = JSON.parse(sessionStorage.getItem(this.memory) || "null");
      const inside = (name) => kept[name] >= 0 && kept[name] <= this.size[name];
      return kept && inside("x") && inside("y") && inside("depth") ? kept : null;
    },

    // Answers come back numbered; one that is older than what is shown is dropped.
    async ask(path, changes) {
      const number = ++this.asked;
      const dragging = path === "/light" && Object.keys(changes).length > 0;
      const body = JSON.stringify({ probe: this.probe, selected: this.selected, layer: this.layer, dragging, changes });
      const headers = { "Content-Type": "application/json" };
      const response = await fetch(this.post + path, { method: "POST", headers, body });
      const answer = await response.json();
      const late = number < this.shown;
      if (!late) this.shown = number;
      return { ok: response.ok, answer, late };
    },

    // Say what is wrong with what is being tried; never over the reason for a refusal.
    say(fault) {
      if (!this.refused) this.fault = fault;
    },

    refuse(fault) {
      this.fault = fault;
      this.refused = Boolean(fault);
    },

    // Show the chart as it would be. One request at a time; the newest state goes next.
    async preview() {
      if (this.busy || this.keeping) {
        this.again = true;
        return;
      }
      this.busy = true;
      this.again = false;
      try {
        const { ok, answer, late } = await this.ask("/light", this.changes);
        if (!late) this.say(ok ? "" : answer.message);
        if (ok && !late) this.show(answer);
      } catch {
        this.say("The application does not answer. What you see is not kept.");
      }
      this.busy = false;
      sessionStorage.setItem(this.memory, JSON.stringify(this.probe));
      if (this.again) this.preview();
    },

    // Keep changes, with those that wait for the end of a row of taps. Returns the faults by field, or null when
    // all went well.
    async commit(changes) {
      clearTimeout(this.nudging);
      const sent = { ...this.changes };
      for (const [id, change] of Object.entries(changes)) sent[id] = { ...sent[id], ...change };
      this.changes = {};
      this.keeping += 1;
      try {
        const { ok, answer, late } = await this.ask("/fixtures", sent);
        if (!ok) {
          this.refuse(answer.message);
          return answer.errors;
        }
        this.refuse("");
        if (!late) this.show(answer);
        return null;
      } catch {
        this.refuse("The application does not answer. The change was not kept.");
        return {};
      } finally {
        this.keeping -= 1;
        // what was tried meanwhile, and not what has just been kept
        this.again &&= Object.keys(this.changes).length > 0;
        if (this.again && !this.keeping) this.preview();
      }
    },

    show(answer) {
      const focus = focusKey(this.$el);
      const open = this.$el.querySelector("details.verdict[open]")?.dataset.key;
      for (const id of ["light-plan", "light-front", "light-side", "rock-plan", "rock-front", "rock-side", "frame", "dimensions", "marks", "notes", "readout", "verdicts", "panel", "depth-out", "legend", "rings"]) {
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
      if (open) this.$el.querySelector(`details.verdict[data-key=${open}]`)?.setAttribute("open", "");
      this.shift();
      if (focus) document.querySelector(focus)?.focus();
      const depth = this.$el.querySelector("[data-depth]");
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

    // ---- where things are ----
    fixtureAt(id) {
      const value = (field) => Number(document.querySelector(`.fixture[data-fixture="${id}"]`).getAttribute(`data-${field}`));
      return { x: value("x"), y: value("y"), height: value("height") };
    },

    pointOf(event) {
      const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
      return { px: point.x, py: point.y };
    },

    viewAt({ px, py }) {
      return this.views.find(
        (v) => px >= v.left && px <= v.left + v.u_size * v.scale && py >= v.top - v.above * v.scale && py <= v.top + v.v_size * v.scale,
      );
    },

    snapped(value, event) {
      return event.shiftKey ? value : Math.round(value / this.snap) * this.snap;
    },

    // Move what is drawn at once; the light follows when the server has answered.
    shift() {
      for (const [id, change] of Object.entries(this.changes)) {
        for (const g of this.svg.querySelectorAll(`.fixture[data-fixture="${id}"]`)) {
          const view = this.views.find((v) => v.kind === g.dataset.view);
          const delta = (field) => (field in change ? change[field] - Number(g.dataset[field]) : 0) * view.scale;
          const right = view.kind === "side" ? delta("y") : delta("x");
          const down = view.kind === "plan" ? -delta("y") : -delta("height");
          g.setAttribute("transform", `translate(${right} ${down})`);
        }
      }
    },

    // ---- pointer ----
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
        this.drag = { id, view, start, from: this.fixtureAt(id), moved: false };
        this.selected = id;
      } else {
        const view = this.viewAt(start);
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
      const { from, id } = this.drag;
      const across = view.kind === "side" ? "y" : "x";
      const along = view.kind === "plan" ? "y" : "height";
      const place = { [across]: this.snapped(from[across] + right, event), [along]: this.snapped(from[along] + up, event) };
      this.changes[id] = { ...this.changes[id], ...place };
      this.shift();
      this.preview();
    },

    async up() {
      const drag = this.drag;
      this.drag = null;
      if (!drag) return;
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

    // Put the drawing back to what is kept, and leave the message that says why.
    revert() {
      this.changes = {};
      this.preview();
    },

    moveProbe({ px, py }, view) {
      const clamp = (value, high) => Math.min(high, Math.max(0, value));
      const u = (px - view.left) / view.scale;
      const v = (py - view.top) / view.scale;
      if (view.kind === "plan") {
        this.probe = { ...this.probe, x: clamp(u, this.size.x), y: clamp(view.v_size - v, this.size.y) };
      } else {
        const across = view.kind === "front" ? "x" : "y";
        this.probe = { ...this.probe, [across]: clamp(u, this.size[across]), depth: clamp(v, this.size.depth) };
      }
      this.preview();
    },

    // ---- keys ----
    key(event) {
      const dimension = event.target.closest(".dimension");
      if (dimension && (event.key === "Enter" || event.key === " ")) {
        event.preventDefault();
        this.openDimension(dimension);
        return;
      }
      const steps = { ArrowLeft: ["x", -1], ArrowRight: ["x", 1], ArrowUp: ["y", 1], ArrowDown: ["y", -1], PageUp: ["up", 1], PageDown: ["up", -1] };
      const probe = event.target.closest(".probe");
      const fixture = event.target.closest("[data-fixture]");
      if (!probe && !fixture) return;
      if (fixture && (event.key === "+" || event.key === "-")) {
        this.dimBy(Number(fixture.dataset.fixture), event.key === "+" ? 0.05 : -0.05);
        return;
      }
      const step = steps[event.key];
      if (!step) return;
      event.preventDefault();
      const by = step[1] * this.snap * (event.shiftKey ? 5 : 1);
      if (probe) {
        const field = step[0] === "up" ? "depth" : step[0];
        const value = this.probe[field] + (field === "depth" ? -by : by);
        this.probe = { ...this.probe, [field]: Math.min(this.size[field], Math.max(0, value)) };
        this.preview();
        return;
      }
      this.nudge(Number(fixture.dataset.fixture), step[0] === "up" ? "height" : step[0], by);
    },

    // Several taps in a row become one step of undo.
    nudge(id, field, by) {
      const change = (this.changes[id] ||= {});
      change[field] = (field in change ? change[field] : this.fixtureAt(id)[field]) + by;
      this.shift();
      this.preview();
      this.settle();
    },

    dimBy(id, by) {
      const slider = document.querySelector(`[data-dim="${id}"]`);
      if (!slider) {
        this.refuse("This fixture does not dim: it is on or off.");
        return;
      }
      slider.value = Number(slider.value) + 100 * by;
      this.changes[id] = { ...this.changes[id], output: slider.value / 100 };
      slider.nextElementSibling.textContent = `${slider.value} %`;
      this.preview();
      this.settle();
    },

    settle() {
      clearTimeout(this.nudging);
      this.nudging = setTimeout(async () => {
        if (await this.commit({})) this.revert();
      }, 450);
    },

    focused(event) {
      const fixture = event.target.closest("[data-fixture]");
      if (!fixture || this.drag || Number(fixture.dataset.fixture) === this.selected) return;
      this.selected = Number(fixture.dataset.fixture);
      this.preview();
    },

    // ---- fields ----
    input(event) {
      const { dim, level, depth } = event.target.dataset;
      if (dim) {
        this.changes[dim] = { ...this.changes[dim], output: event.target.value / 100 };
        event.target.nextElementSibling.textContent = `${event.target.value} %`;
        this.preview();
      }
      if (level) {
        this.changes[level] = { ...this.changes[level], levels: this.levels(level) };
        event.target.nextElementSibling.textContent = `${event.target.value} %`;
        this.preview();
      }
      if (depth !== undefined) {
        this.probe = { ...this.probe, depth: Number(event.target.value) };
        this.preview();
      }
    },

    // levels of all channels of a fixture, as its sliders stand
    levels(id) {
      return [...document.querySelectorAll(`[data-level="${id}"]`)].map((slider) => slider.value / 100);
    },

    async change(event) {
      const { dim, level, onoff, lens, field, id, layer } = event.target.dataset;
      if (level) await this.commit({ [level]: { levels: this.levels(level) } });
      if (lens && event.target.value) await this.commit({ [lens]: { lens: event.target.value } });
      if (layer !== undefined) {
        this.layer = event.target.value;
        this.preview();
      }
      if (dim) await this.commit({ [dim]: { output: event.target.value / 100 } });
      if (onoff) await this.commit({ [onoff]: { output: event.target.checked ? 1 : 0 } });
      if (field) {
        const input = event.target;
        const faults = await this.commit({ [id]: { [field]: input.value } });
        const note = input.nextElementSibling;
        input.toggleAttribute("aria-invalid", Boolean(faults));
        if (faults) input.setAttribute("aria-invalid", "true");
        note.hidden = !faults;
        if (faults) {
          const label = input.previousElementSibling.firstChild.textContent.trim();
          note.textContent = faults[field] ? `${label} ${faults[field]}.` : this.fault;
          this.refuse("");
        }
      }
    },

    click(event) {
      const worn = event.target.closest("[data-wear]");
      if (worn) {
        const answers = [...worn.closest("details").querySelectorAll("select")].map((select) => [select.name, select.value]);
        this.commit({ [worn.dataset.wear]: { wear: Object.fromEntries(answers) } });
        return;
      }
      const button = event.target.closest("[data-select]");
      if (!button) return;
      const id = Number(button.dataset.select);
      this.selected = this.selected === id ? null : id;
      this.preview();
    },

    // ---- dimensions typed over ----
    openDimension(group) {
      const box = group.getBoundingClientRect();
      const home = this.$el.querySelector(".sheet-box").getBoundingClientRect();
      const form = this.$el.querySelector(".dim-editor");
      form.style.left = `${Math.max(0, Math.min(box.left - home.left - 20, home.width - 100))}px`;
      form.style.top = `${box.top - home.top - 4}px`;
      this.dim = { open: true, text: group.dataset.text, shown: group.dataset.text, error: "", field: group.dataset.field, ids: group.dataset.ids.split(",") };
      this.$nextTick(() => {
        this.$refs.dim.focus();
        this.$refs.dim.select();
      });
    },

    async saveDimension() {
      const { field, ids, text, shown } = this.dim;
      if (text === shown) {
        this.closeDimension();
        return;
      }
      const faults = await this.commit(Object.fromEntries(ids.map((id) => [id, { [field]: text }])));
      this.dim.open = Boolean(faults);
      this.dim.error = this.fault;
      this.refuse("");
    },

    closeDimension() {
      this.dim.open = false;
      this.refuse("");
    },
  }));
});
