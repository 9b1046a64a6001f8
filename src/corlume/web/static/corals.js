// The corals page: click the plan to put the chosen coral there, or drag one from the list.
document.addEventListener("alpine:init", () => {
  Alpine.data("corals", () => ({
    fault: "",

    init() {
      const data = this.$el.dataset;
      this.base = data.base;
      this.selected = data.selected;
      this.plan = JSON.parse(data.plan);
      this.svg = this.$el.querySelector("svg.sheet");
      this.svg.addEventListener("click", (event) => this.click(event));
      this.svg.addEventListener("dragover", (event) => event.preventDefault());
      this.svg.addEventListener("drop", (event) => {
        event.preventDefault();
        this.put(event.dataTransfer.getData("text/plain"), event);
      });
      for (const item of this.$el.querySelectorAll("[draggable]")) {
        item.addEventListener("dragstart", (event) => event.dataTransfer.setData("text/plain", item.dataset.coral));
      }
    },

    click(event) {
      const coral = event.target.closest("[data-coral]");
      if (coral) window.location = `${this.base}?coral=${coral.dataset.coral}`;
      else if (this.selected) this.put(this.selected, event);
      else this.fault = "Choose a coral from the list first.";
    },

    async put(id, event) {
      const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
      const x = (point.x - this.plan.left) / this.plan.scale;
      const y = this.plan.width - (point.y - this.plan.top) / this.plan.scale;
      if (x < 0 || x > this.plan.length || y < 0 || y > this.plan.width) {
        this.fault = "Let it go inside the panes of the upper drawing, the plan.";
        return;
      }
      const headers = { "Content-Type": "application/json" };
      const response = await fetch(`${this.base}/${id}/place`, { method: "POST", headers, body: JSON.stringify({ x, y }) });
      const answer = await response.json();
      if (response.ok) window.location = answer.next;
      else this.fault = answer.message;
    },
  }));
});
