// The light chart: pointer, keys and fields become requests; the server answers with drawn pieces.
// No light is worked out here. Places are metres; texts that the keeper typed go as they are.
import { holdTouch } from "../touch.js";
import { chartAsks } from "./ask.js";
import { chartFields } from "./fields.js";
import { chartKeys } from "./keys.js";
import { chartPointer } from "./pointer.js";
import { chartShows } from "./show.js";
import { chartTogether } from "./together.js";

export const chart = () => ({
  fault: "",
  dim: { open: false, text: "", error: "", field: "", ids: [] },

  init() {
    // inside a form of ours $el is that form
    this.home = this.$el;
    const data = this.home.dataset;
    this.post = data.post;
    this.snap = Number(data.snap);
    this.size = JSON.parse(data.size);
    this.views = JSON.parse(data.views);
    this.selected = data.selected ? Number(data.selected) : null;
    this.memory = `corlume-probe-${data.tank}`;
    // ids of units, of which several are held together
    this.picked = [];
    this.probe = this.recallProbe() || JSON.parse(data.probe);
    this.layer = "par";
    // minute of the day that is shown, or none for the light as it is set
    this.minute = null;
    // how old the lamps are that are shown
    this.age = "today";
    // whether the PAR at the probe is kept while channels change, and a PAR typed for the probe
    this.steady = false;
    this.parWanted = "";
    this.changes = {};
    // changes that were sent, and whose answer has not come
    this.saving = {};
    this.drag = null;
    this.refused = false;
    this.busy = false;
    this.again = false;
    this.nudging = null;
    this.keeping = 0;
    this.asked = 0;
    this.shown = 0;
    this.svg = this.home.querySelector("svg.sheet");
    holdTouch(this.svg, ".fixture, .probe");
    // a reason for a refusal stays until the next act
    for (const act of ["pointerdown", "keydown", "input", "change"]) this.home.addEventListener(act, () => (this.refused = false), true);
    this.svg.addEventListener("pointerdown", (event) => this.down(event));
    this.svg.addEventListener("pointermove", (event) => this.move(event));
    this.svg.addEventListener("pointerup", (event) => this.up(event));
    this.svg.addEventListener("pointercancel", () => this.cancel());
    this.svg.addEventListener("keydown", (event) => this.key(event));
    this.svg.addEventListener("focusin", (event) => this.focused(event));
    this.home.addEventListener("input", (event) => this.input(event));
    this.home.addEventListener("change", (event) => this.change(event));
    this.home.addEventListener("click", (event) => this.click(event));
    // a page that was quick to come has a coarse drawing: the whole one is asked for, and can be left
    if (data.coarse || sessionStorage.getItem(this.memory)) this.preview();
  },

  recallProbe() {
    const kept = JSON.parse(sessionStorage.getItem(this.memory) || "null");
    const inside = (name) => kept[name] >= 0 && kept[name] <= this.size[name];
    return kept && inside("x") && inside("y") && inside("depth") ? kept : null;
  },

  ...chartAsks,
  ...chartShows,
  ...chartPointer,
  ...chartKeys,
  ...chartFields,
  ...chartTogether,
});

document.addEventListener("alpine:init", () => {
  Alpine.data("chart", chart);
});
