// The tank in months to come: bodies at their size and state, and a line in every chart.
export const ahead = () => ({
  step: 0,
  worn: "kept",
  said: "",
  days: [],
  part: null,

  init() {
    this.part = this.$el;
    this.days = JSON.parse(this.$el.dataset.days);
    this.show();
  },

  show() {
    const step = Number(this.step);
    this.said = this.days[step];
    const read = (shape, name) => shape.dataset[name].split(" ")[step];
    const each = (which, act) => this.part.querySelectorAll(which).forEach(act);
    each("[data-r]", (shape) => shape.setAttribute("r", read(shape, "r")));
    each("[data-rx]", (shape) => {
      shape.setAttribute("rx", read(shape, "rx"));
      shape.setAttribute("ry", read(shape, "ry"));
      shape.setAttribute("cy", Number(shape.dataset.foot) - Number(read(shape, "ry")));
    });
    each(".ahead", (mark) => mark.setAttribute("class", `ahead ${read(mark, this.worn)}`));
    const part = step / (this.days.length - 1);
    each(".forecast-month", (line) => line.setAttribute("transform", `translate(${part * line.dataset.run} 0)`));
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("ahead", ahead);
});
