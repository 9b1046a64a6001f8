// At the tank: point by point with a pad of numbers or by meter. What is done goes into a queue of this device first.
import { offlineQueue } from "./queue.js";
import { talk } from "./talk.js";

const BY_SCHEDULE = "schedule";

export const take = () => ({
  spots: [],
  here: 0,
  typed: "",
  word: "",
  lux: 0,
  noted: "",
  upright: true,
  level: "100",
  pumps: "",
  picture: "",
  wrong: "",
  waiting: 0,
  needle: "",
  listening: false,
  source: null,

  init() {
    this.post = this.$el.dataset.post;
    this.scheduled = "scheduled" in this.$el.dataset;
    if (this.scheduled) this.level = "";
    this.spots = JSON.parse(this.$el.dataset.spots);
    this.queue = offlineQueue(`corlume-queue-${this.post}`, {
      storage: localStorage,
      send: (act) => talk(`${this.post}/act`, act, ""),
      heard: (act, ok, answer, acts) => this.heard(act, ok, answer, acts),
      changed: (count) => (this.waiting = count),
    });
    for (const act of this.queue.acts) this.done(act);
    const first = this.spots.findIndex((spot) => !spot.readings.length && !spot.skipped);
    this.go(Math.max(0, first));
    document.addEventListener("keydown", (event) => this.keyed(event));
    window.addEventListener("online", () => this.queue.flush());
    window.setInterval(() => this.queue.flush(), 4000);
    this.queue.flush();
  },

  get spot() {
    return this.spots[this.here] || { name: "", where: "", readings: [] };
  },
  get number() {
    return `${this.here + 1} of ${this.spots.length}`;
  },
  get shownTyped() {
    return this.typed || "-";
  },
  get state() {
    const spot = this.spot;
    const read = spot.readings.length ? `read ${spot.readings.map((value) => Math.round(value * 10) / 10).join(", ")}` : "not read yet";
    const waits = this.waiting ? `; ${this.waiting} kept on this device until the application answers` : "";
    if (this.needle) return this.needle;
    return `${spot.skipped ? "skipped" : read}; predicted ${spot.predicted} PAR${waits}`;
  },

  go(index) {
    this.quiet();
    this.here = index;
    this.typed = "";
    // a spot that is to be read at a level of its own says so; otherwise the level stays as it was set last
    if (this.scheduled && this.spot.readings.length) this.level = "";
    else if (this.spot.level && this.spot.level !== 1) this.level = String(Math.round(100 * this.spot.level));
    else if (this.spot.reason === "sliders") this.level = "100";
    for (const mark of this.$el.closest(".take").querySelectorAll("[data-spot]")) {
      mark.classList.toggle("here", Number(mark.dataset.spot) === this.spot.id);
    }
    this.mark();
  },
  onward() {
    const count = this.spots.length;
    for (let step = 1; step <= count; step += 1) {
      const index = (this.here + step) % count;
      if (!this.spots[index].readings.length && !this.spots[index].skipped) {
        this.go(index);
        return;
      }
    }
    this.typed = "";
    this.say("Every point is read or skipped. The results are behind the link below.");
  },
  before() {
    this.go((this.here + this.spots.length - 1) % this.spots.length);
  },
  say(word, lux = 0) {
    this.word = word;
    this.lux = lux;
  },
  hush() {
    this.say("");
  },

  press(event) {
    const { key } = event.target.closest("[data-key]")?.dataset || {};
    if (key) this.put(key);
  },
  put(key) {
    if (key === "back") this.typed = this.typed.slice(0, -1);
    else if (this.typed.length < 7 && !(key === "." && this.typed.includes("."))) this.typed += key;
  },
  keyed(event) {
    if (event.target.matches("textarea, input[type=text]") || event.ctrlKey || event.metaKey || event.altKey) return;
    if (/^[0-9]$/.test(event.key)) this.put(event.key);
    else if (event.key === "." || event.key === ",") this.put(".");
    else if (event.key === "Backspace") this.put("back");
    else if (event.key === "Enter" && !event.target.matches("button, a, summary")) this.save();
  },

  save() {
    if (this.take()) this.onward();
  },
  again() {
    if (this.take()) this.typed = "";
  },
  // A number that can be no reading stays where it is, to be put right.
  take() {
    const par = Number(this.typed);
    if (this.typed === "" || !(par > 0)) {
      this.say(this.typed === "" ? "Type the reading, then save it." : "PAR must be more than 0: a dark place reads 1 or 2.");
      return false;
    }
    if (par > 200000 || par === 65535 || par === 32767) {
      this.say(`${this.typed}: the meter is past its range, or not plugged in. Read again.`);
      return false;
    }
    const now = new Date();
    const time = `${String(now.getHours()).padStart(2, "0")}:${String(now.getMinutes()).padStart(2, "0")}`;
    const level = this.levelled();
    if (!level) return false;
    this.hush();
    const { spot, upright, pumps } = this;
    const of = level === BY_SCHEDULE ? null : level;
    this.add({ act: "read", spot: spot.id, par, at: spot.readings.length, upright, pumps, level: of, time });
    return true;
  },
  // The level of the lights as a share, or null with words when it is none; left blank it is that of the schedule.
  levelled() {
    if (this.scheduled && this.level.trim() === "") return BY_SCHEDULE;
    const level = Number(this.level.replace(",", ".").replace("%", "")) / 100;
    const good = level >= 0.05 && level <= 1.5;
    this.wrong = good ? "" : "Lights at must be from 5 to 150 %: readings are divided by it.";
    if (!good) this.say(this.wrong);
    return good ? level : null;
  },
  get how() {
    if (this.level === "") return `${this.upright ? "upright" : "in the hand"}, lights by the schedule`;
    const lights = Number(this.level) === 100 ? "lights as set" : `lights at ${this.level} % of their setting`;
    return `${this.upright ? "upright" : "in the hand"}, ${lights}${this.pumps ? `, pumps ${this.pumps}` : ""}`;
  },
  openHow() {
    this.$refs.how.showModal();
  },
  closeHow() {
    if (!this.levelled()) return;
    this.hush();
    this.$refs.how.close();
    this.$refs.shown.focus(); // Enter saves the number again
  },
  // The spot in hand on the photos.
  mark() {
    for (const dot of this.$root.querySelectorAll("[data-photo]")) {
      const [u, v] = this.spot.at?.[dot.dataset.photo] || [-1, -1];
      dot.setAttribute("cx", u * dot.dataset.width);
      dot.setAttribute("cy", v * dot.dataset.height);
    }
  },
  // Listen to the meter at this spot until its needle has settled: the number is shown, and saved by the keeper.
  byMeter() {
    if (this.source) {
      this.quiet();
      return;
    }
    this.hush();
    this.needle = "listening to the meter";
    this.source = new EventSource(`${this.post}/meter?spot=${this.spot.id}`);
    this.listening = true;
    this.source.onmessage = (event) => {
      const now = JSON.parse(event.data);
      if (now.lost) {
        this.quiet();
        this.say(now.lost);
        return;
      }
      this.typed = String(now.middle);
      this.needle = `needle at ${now.par}, mean ${now.middle}, to ±${now.sure} %`;
      if (now.settled) {
        this.quiet();
        if (now.middle > 0) this.say(`The meter settled at ${now.middle} PAR, to ±${now.sure} %. Save it, or type another number.`);
        else this.say("The meter reads 0. Is the light on, and the probe in the water and the right way up?");
      }
    };
    this.source.onerror = () => {
      this.quiet();
      this.say("No data from the meter. Try again, or type what it shows.");
    };
  },
  quiet() {
    this.source?.close();
    this.source = null;
    this.listening = false;
    this.needle = "";
  },
  skip() {
    this.add({ act: "skip", spot: this.spot.id });
    this.onward();
  },
  redo() {
    this.hush();
    this.add({ act: "redo", spot: this.spot.id });
    this.typed = "";
  },
  itWasLux() {
    const par = this.lux;
    this.hush();
    this.add({ act: "lux", spot: this.asked, par });
  },
  openNote() {
    this.noted = this.spot.note || "";
    this.$refs.note.showModal();
  },
  closeNote() {
    this.$refs.note.close();
  },
  saveNote() {
    this.add({ act: "note", spot: this.spot.id, note: this.noted });
    this.closeNote();
  },

  // What an act does to the spot, before the application has said so.
  done(act) {
    const spot = this.spots.find((one) => one.id === act.spot);
    if (!spot) return;
    if (act.act === "read" && spot.readings.length <= act.at) spot.readings.push(act.par);
    if (act.act === "redo") spot.readings = [];
    if (act.act === "skip") spot.skipped = true;
    if (act.act === "read" || act.act === "redo") spot.skipped = false;
    if (act.act === "note") spot.note = act.note;
    this.draw(spot);
  },
  // The dots of a spot on the drawing: full once it is read.
  draw(spot) {
    for (const mark of this.$root.querySelectorAll(`[data-spot="${spot.id}"]`)) {
      mark.classList.toggle("read", spot.readings.length > 0);
      mark.classList.toggle("told", spot.readings.length === 0);
    }
  },
  add(act) {
    this.done(act);
    this.queue.add(act);
  },
  heard(act, ok, answer, acts) {
    const spot = this.spots.find((one) => one.id === act.spot);
    if (ok && spot && !acts.some((one) => one.spot === act.spot)) {
      Object.assign(spot, answer);
      this.draw(spot);
    }
    if (ok && answer.word) {
      this.asked = act.spot;
      this.say(`${spot.name}: ${answer.word}`, answer.lux || 0);
    }
    if (!ok) this.refused(act, spot, answer);
  },
  // The application would not have it: the page is back at the spot as it was, with the number to be put right.
  refused(act, spot, answer) {
    if (spot && act.act === "read") {
      spot.readings = spot.readings.filter((_, index) => index !== act.at);
      this.draw(spot);
      this.go(this.spots.indexOf(spot));
      this.typed = String(act.par);
    }
    this.say(`${spot ? spot.name : "A spot"}${act.par ? `, ${act.par}` : ""}: not saved. ${answer.message}`);
  },
});

document.addEventListener("alpine:init", () => {
  Alpine.data("take", take);
});
