// The panel beside the sheet: sliders are shown as they go and kept when let go, fields when they are left.
import { talk } from "../talk.js";

// A number that is typed is shown when the keys rest for so long [ms].
const TYPED = 500;

export const chartFields = {
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
    if (event.target.dataset.together !== undefined) this.dimTogether(event.target);
    if (event.target.dataset.levelOfAll) this.mixTogether(event.target);
    if (event.target.dataset.parWanted !== undefined) {
      this.parWanted = event.target.value.trim();
      clearTimeout(this.typing);
      this.typing = setTimeout(() => this.preview(), TYPED);
    }
    if (event.target.dataset.clock !== undefined) this.showMinute(Number(event.target.value));
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
    const { dim, level, onoff, lampFor, field, id, layer } = event.target.dataset;
    if (event.target.dataset.pick) this.pick(Number(event.target.dataset.pick));
    const { together, levelOfAll, steady, parWanted } = event.target.dataset;
    if ((together !== undefined || levelOfAll) && (await this.commit({}))) this.revert();
    if (steady !== undefined) this.steady = event.target.checked;
    if (parWanted !== undefined) await this.reachPar(event.target);
    if (level && (await this.commit({ [level]: { levels: this.levels(level) } }))) this.revert();
    if (lampFor && event.target.value) await this.commit({ [lampFor]: { lamp: event.target.value } });
    if (layer !== undefined) {
      this.layer = event.target.value;
      this.preview();
    }
    if (event.target.dataset.age !== undefined) {
      this.age = event.target.value;
      this.preview();
    }
    if (event.target.dataset.clockMode !== undefined) this.chooseTime(event.target);
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
        const label = input.closest(".field").querySelector("label").firstChild.textContent.trim();
        note.textContent = faults[field] ? `${label} ${faults[field]}.` : this.fault;
        this.refuse("");
      }
    }
  },

  // What was typed for the probe is set, and the field is blank again; with a fault it stays.
  async reachPar(input) {
    const wanted = this.parWanted;
    this.parWanted = "";
    clearTimeout(this.typing);
    const faults = wanted ? await this.keep("/fixtures", {}, { par_wanted: wanted }) : null;
    const note = input.nextElementSibling;
    note.hidden = !faults;
    if (faults) {
      note.textContent = faults.par ? `PAR ${faults.par}.` : this.fault;
      this.refuse("");
      this.preview();
    } else input.value = "";
  },

  // The light as it is set, now, or at a time of day by the schedule.
  chooseTime({ value, selectedOptions: [chosen] }) {
    const slider = this.home.querySelector("[data-clock]");
    const now = new Date();
    if (value === "now") slider.value = now.getHours() * 60 + now.getMinutes();
    if (chosen.dataset.minute) slider.value = chosen.dataset.minute;
    slider.hidden = slider.nextElementSibling.hidden = !value;
    if (value) this.showMinute(Number(slider.value));
    else {
      this.minute = null;
      this.preview();
    }
  },

  showMinute(minute) {
    this.minute = minute;
    const two = (number) => String(number).padStart(2, "0");
    const said = `${two(Math.floor(minute / 60))}:${two(minute % 60)}`;
    const slider = this.home.querySelector("[data-clock]");
    slider.setAttribute("aria-valuetext", said);
    slider.nextElementSibling.textContent = said;
    this.preview();
  },

  click(event) {
    const worn = event.target.closest("[data-wear]");
    if (worn) {
      const answers = [...worn.closest("details").querySelectorAll("select")].map((select) => [select.name, select.value]);
      this.commit({ [worn.dataset.wear]: { wear: Object.fromEntries(answers) } });
      return;
    }
    const usual = event.target.closest("[data-set-ppf]");
    if (usual) {
      this.commit({ [usual.dataset.setPpf]: { ppf: usual.dataset.ppf, basis: usual.dataset.basis } });
      return;
    }
    const front = event.target.closest("[data-front]");
    if (front) {
      this.lookAt(front);
      return;
    }
    const left = event.target.closest("[data-leave]");
    if (left) {
      left.closest("[data-front-note]").replaceChildren();
      return;
    }
    const moved = event.target.closest("[data-move]");
    if (moved) {
      this.commit(JSON.parse(moved.dataset.move));
      return;
    }
    const arranged = event.target.closest("[data-arrange]");
    if (arranged) {
      this.keep("/arrange", {}, { how: arranged.dataset.arrange });
      return;
    }
    if (event.target.closest("[data-unpick]")) {
      this.picked = [];
      this.preview();
      return;
    }
    const part = event.target.closest("[data-part]");
    if (part) {
      this.selected = Number(part.dataset.part);
      this.preview();
      return;
    }
    const button = event.target.closest("[data-select]");
    if (!button) return;
    const id = Number(button.dataset.select);
    this.selected = this.selected === id ? null : id;
    this.preview();
  },

  // What another lens or reflector would do is said before it is put on.
  async lookAt({ dataset }) {
    const { ok, answer } = await talk(`${this.post}/fixtures/${dataset.id}/front/${dataset.front}`);
    const note = this.home.querySelector("[data-front-note]");
    if (!note) return;
    if (ok) note.innerHTML = answer.html;
    else this.refuse(answer.message);
  },

  // A dimension on the sheet is typed over where it stands.
  openDimension(group) {
    const box = group.getBoundingClientRect();
    const home = this.home.querySelector(".sheet-box").getBoundingClientRect();
    const form = this.home.querySelector(".dim-editor");
    form.style.left = `${Math.max(0, Math.min(box.left - home.left - 20, home.width - 100))}px`;
    form.style.top = `${box.top - home.top - 4}px`;
    const { text, field, ids } = group.dataset;
    this.dim = { open: true, text, shown: text, error: "", field, ids: ids.split(",") };
    // at once, so that the first key is not typed into nothing
    form.style.removeProperty("display");
    this.$refs.dim.value = text;
    this.$refs.dim.focus();
    this.$refs.dim.select();
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
};
