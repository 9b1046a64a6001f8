// The card for the shop: which spots suit a frag, and what was bought; both without a connection.
import { offlineQueue } from "./queue.js";
import { talk } from "./talk.js";

const STEPS = { low: 0, medium: 1, high: 2 };

// Numbers of the spots with a PAR in their range, and with a flow or a step off it.
export function suiting(spots, par, flow) {
  const flows = (spot) => {
    const known = spot.flow.filter((word) => word in STEPS).map((word) => STEPS[word]);
    if (!flow || !known.length) return true;
    return STEPS[flow] >= Math.min(...known) - 1 && STEPS[flow] <= Math.max(...known) + 1;
  };
  return spots.filter((spot) => spot.low <= par && par <= spot.high && flows(spot)).map((spot) => spot.number);
}

const today = () => new Date().toLocaleDateString("sv");

export const shop = () => ({
  needs: "",
  flow: "",
  answer: "",
  name: "",
  par: "",
  origin: "",
  said: "",
  fault: "",

  init() {
    const { post, spots } = this.$el.dataset;
    this.spots = JSON.parse(spots);
    this.name = this.$el.querySelector("#name option")?.value || "";
    this.queue = offlineQueue(`corlume-bought-${post}`, {
      storage: localStorage,
      send: (act) => talk(post, act, ""),
      heard: (act, ok, answer) => this.heard(act, ok, answer),
      changed: (count) => (this.said = count ? `${count} kept on this device until Corlume answers.` : ""),
    });
    window.addEventListener("online", () => this.queue.flush());
    window.setInterval(() => this.queue.flush(), 4000);
    this.queue.flush();
  },

  ask() {
    const par = Number(this.needs.replace(",", "."));
    const rows = this.$root.querySelectorAll("[data-number]");
    const asked = this.needs.trim() !== "";
    const found = asked && Number.isFinite(par) ? suiting(this.spots, par, this.flow) : [];
    rows.forEach((row) => row.classList.toggle("left-out-row", asked && !found.includes(Number(row.dataset.number))));
    if (!asked) this.answer = "";
    else if (!Number.isFinite(par)) this.answer = "PAR is not a number.";
    else this.answer = found.length ? `Spots ${found.join(", ")}` : "No free spot suits it.";
  },

  buy() {
    this.fault = "";
    this.queue.add({ name: this.name, par: this.par, origin: this.origin, day: today() });
  },

  heard(act, ok, answer) {
    if (ok) {
      this.said = `${act.name} saved: unplaced, with the light it had.`;
      [this.par, this.origin] = ["", ""];
    } else {
      this.fault = `${act.name} was not saved. ${answer.message}`;
      [this.name, this.par, this.origin] = [act.name, act.par, act.origin];
    }
  },
});

document.addEventListener("alpine:init", () => Alpine.data("shop", shop));
