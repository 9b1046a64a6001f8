// A scan before it is added: choices are shown at once, and taps on it from above mark the four corners of a tank's bottom.
const SVG = "http://www.w3.org/2000/svg";

export const rockScan = () => ({
  init() {
    this.picture = this.$el.querySelector("svg.scan-above");
    this.corners = this.$refs.bottom.value.trim().split(/\s+/).filter(Boolean);
    if (this.corners.length === 4) this.corners.forEach((corner) => this.mark(corner.split(",").map(Number)));
    this.picture.addEventListener("click", (event) => this.tap(event));
  },

  again() {
    this.$refs.choice.requestSubmit();
  },

  tap(event) {
    const { scale, left, bottom, tall } = this.picture.dataset;
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.picture.getScreenCTM().inverse());
    if (this.corners.length >= 4) this.clear();
    const corner = [Number(left) + at.x / scale, Number(bottom) + (Number(tall) - at.y) / scale];
    this.corners.push(corner.map((value) => Number(value.toPrecision(6))).join(","));
    this.mark(corner);
    if (this.corners.length < 4) return;
    this.$refs.bottom.value = this.corners.join(" ");
    this.again();
  },

  mark([x, y]) {
    const { scale, left, bottom, tall } = this.picture.dataset;
    const dot = document.createElementNS(SVG, "circle");
    dot.setAttribute("class", "scan-corner");
    dot.setAttribute("cx", (x - left) * scale);
    dot.setAttribute("cy", tall - (y - bottom) * scale);
    dot.setAttribute("r", 5);
    this.picture.appendChild(dot);
  },

  clear() {
    this.corners = [];
    this.$refs.bottom.value = "";
    this.picture.querySelectorAll(".scan-corner").forEach((dot) => dot.remove());
  },

  // Without corners the scan goes to the middle of the tank again.
  forget() {
    this.clear();
    this.again();
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("rockScan", rockScan);
});
