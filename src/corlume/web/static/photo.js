import { talk } from "./talk.js";

// Tap four corners to fix a photo; then a tap is a place.
export const photo = () => ({
  taps: [],
  name: "",
  row: "middle",
  depth: "",
  fault: "",
  fixed: false,

  init() {
    const { post, survey, fixed, corners } = this.$el.dataset;
    this.post = post;
    this.survey = survey;
    this.fixed = Boolean(fixed);
    this.corners = JSON.parse(corners);
    this.depth = this.$el.querySelector("[data-depth]")?.dataset.depth || "";
  },
  get asks() {
    if (!this.fixed) return `Tap the corner: ${this.corners[this.taps.length] || "done"} (${this.taps.length + 1} of 4).`;
    return this.survey ? "Tap a place to add it to the survey." : "";
  },
  choose(event) {
    window.location.search = event.target.value;
  },
  async tap(event) {
    const svg = event.currentTarget;
    const { width, height } = svg.viewBox.baseVal;
    const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
    const at = [point.x / width, point.y / height];
    // beside the picture, where it does not fill its frame
    if (at.some((share) => share < 0 || share > 1)) return;
    this.fault = "";
    if (!this.fixed) {
      this.taps.push(at);
      this.show(svg, at);
      if (this.taps.length === 4) await this.send("corners", { corners: this.taps });
    } else if (this.survey) {
      await this.send("tap", {
        survey: Number(this.survey), u: at[0], v: at[1], row: this.row, depth: this.depth, name: this.name,
      });
    }
  },
  show(svg, [u, v]) {
    const { width, height } = svg.viewBox.baseVal;
    const dot = document.createElementNS("http://www.w3.org/2000/svg", "circle");
    for (const [key, value] of [["cx", u * width], ["cy", v * height], ["r", width / 80]]) dot.setAttribute(key, value);
    dot.setAttribute("class", "photo-tap");
    this.$refs.taps.append(dot);
  },
  async send(what, body) {
    const { ok, answer } = await talk(`${this.post}/${what}`, body);
    if (ok) {
      window.location.reload();
      return;
    }
    this.fault = answer.message;
    this.taps = [];
    this.$refs.taps.replaceChildren();
  },
  again() {
    this.send("corners", { corners: [] });
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("photo", photo);
});
