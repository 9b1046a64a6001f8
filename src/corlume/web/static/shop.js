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
  across: "",
  origin: "",
  said: "",
  fault: "",
  refused: [],
  coral: "",

  init() {
    const { post, spots } = this.$el.dataset;
    [this.corals, this.refusedKey] = [post.replace("/shop/bought", ""), `corlume-refused-${post}`];
    this.refused = JSON.parse(localStorage.getItem(this.refusedKey) || "[]");
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
    [this.fault, this.coral] = ["", ""];
    const { name, par, across, origin } = this;
    [this.par, this.across, this.origin] = ["", "", ""];
    this.queue.add({ name, par, across, origin, day: today() });
  },

  heard(act, ok, answer) {
    if (ok) {
      this.said = `${act.name} saved: unplaced, with the light it had.`;
      this.coral = `${this.corals}/${answer.saved}/log`;
      return;
    }
    this.fault = `${act.name} was not saved. ${answer.message}`;
    // what is being typed stays; the refused one waits below until it is changed
    if (this.par || this.across || this.origin) this.keep([...this.refused, { ...act, why: answer.message }]);
    else this.edit(act);
  },

  edit(act) {
    [this.name, this.par, this.across, this.origin] = [act.name, act.par, act.across || "", act.origin];
    this.keep(this.refused.filter((one) => one !== act));
  },

  keep(refused) {
    this.refused = refused;
    localStorage.setItem(this.refusedKey, JSON.stringify(refused));
  },
});

document.addEventListener("alpine:init", () => Alpine.data("shop", shop));
