// A recipe over the selected frames: what travels, a preview of what changes, one undo for all.
import { ask, say, sayNext, send } from "./api.js";
import { clamp } from "./bench/paths.js";
import { own } from "./library.js";
import { part } from "./part.js";

const CHUNK = 8;
const WAIT_MS = 300;
const MEMORY = own("taken-recipe");
const LAST = own("applied-last");
const FROM = own("applied-from");

/** The part of the sheet that applies a recipe; needs `chosen` and `series`. */
export function applying(groups, recipes, strongest) {
  /** @type {import("./part.js").Part<{chosen: number[], series: number, cards: () => HTMLElement[], card: (id: number|string) => HTMLElement}>} */
  const declare = part;
  return declare({
    applyOpen: false,
    groups,
    applyFrom: null,
    restAsked: false,
    applyGroups: groups.filter(({ stays }) => !stays).map(({ name }) => name),
    applyStrength: 100,
    /** @type {string[]} */
    applyOwn: [],
    /** @type {any[]} */
    planned: [],
    planning: false,
    applyingNow: false,
    planNumber: 0,
    /** @type {ReturnType<typeof setTimeout>|undefined} */
    planTimer: undefined,

    /** What was applied last on this sheet, as long as it can be undone for all. */
    appliedLast() {
      const last = JSON.parse(sessionStorage.getItem(LAST) || "null");
      return last && last.series === this.series && last.done.length ? last.done : null;
    },
    undoWords() {
      const done = this.appliedLast();
      return done ? `Undo what was applied to ${done.length}` : "";
    },
    async undoApplied() {
      try {
        const { left } = await ask("POST", "/api/apply/undo", { done: this.appliedLast() });
        sessionStorage.removeItem(LAST);
        sayNext(left.length ? `Undone, but ${left.length} changed since and stay as they are.` : "Undone for all.");
        window.location.reload();
      } catch (problem) {
        say(problem.message);
      }
    },
    openApply() {
      this.applyFrom = this.firstSource();
      this.restAsked = false;
      this.applyOpen = true;
      this.$nextTick(() => this.$refs.applyClose?.focus());
      this.planAll();
    },
    /** What was taken, or applied last; else of a frame that was worked on, or a kept recipe: never of one where nothing is set. */
    firstSource() {
      const there = this.sourceGroups().flatMap(({ sources }) => sources).map(({ id }) => id);
      const before = [`version:${sessionStorage.getItem(MEMORY)}`, localStorage.getItem(FROM)].find((one) => there.includes(one));
      const worked = [...this.chosen.map((id) => this.card(id)), ...this.cards()].find((card) => !("rests" in card.dataset));
      return before ?? (worked ? `version:${worked.dataset.version}` : there.find((one) => !one.startsWith("version:")) ?? there[0]);
    },
    /** Whether nothing is set in the recipe's frame, which puts all others to rest. */
    putsToRest() {
      return this.cards().some((card) => `version:${card.dataset.version}` === this.applyFrom && "rests" in card.dataset);
    },
    applyWords() {
      const count = this.changing().length;
      if (!this.putsToRest()) return `Apply to ${count}`;
      return this.restAsked ? `Yes, put ${count} to rest` : `Put ${count} to rest …`;
    },
    closeApply() {
      this.applyOpen = false;
      this.planNumber += 1;
      for (const { address } of this.planned) if (address) URL.revokeObjectURL(address);
      this.planned = [];
    },
    takeRecipe(id) {
      sessionStorage.setItem(MEMORY, /** @type {string} */ (this.card(id).dataset.version));
      say(`Recipe taken from “${this.card(id).dataset.name}”: select frames and press Apply a recipe.`);
    },
    sources() {
      return this.cards().map((card) => ({ id: `version:${card.dataset.version}`, words: `${card.querySelector(".frame-number")?.textContent} ${card.dataset.name}: ${card.dataset.treatment}` }));
    },
    sourceGroups() {
      const named = recipes.map(({ source, name }) => ({ id: source, words: name }));
      return [{ words: "frames", sources: this.sources() }, { words: "recipes", sources: named }];
    },
    chooseSource(event) {
      this.applyFrom = event.target.value;
      this.restAsked = false;
      if (!this.fromFrame()) this.applyOwn = this.applyOwn.filter((one) => one !== "exposure");
      this.planSoon();
    },
    /** Only the recipe of a frame has a mean tone to be matched. */
    fromFrame() {
      return String(this.applyFrom).startsWith("version:");
    },
    travels(name) {
      return this.applyGroups.includes(name);
    },
    toggleGroup(name) {
      this.applyGroups = this.travels(name) ? this.applyGroups.filter((one) => one !== name) : [...this.applyGroups, name];
      this.planSoon();
    },
    /** A step: everything of it, or nothing. */
    stepTravels(step) {
      return this.groups.filter((group) => group.step === step).some(({ name }) => this.travels(name));
    },
    toggleStep(step) {
      const names = this.groups.filter((group) => group.step === step).map(({ name }) => name);
      const on = this.stepTravels(step);
      const usual = this.groups.filter(({ step: of, stays }) => of === step && !stays).map(({ name }) => name);
      this.applyGroups = on ? this.applyGroups.filter((name) => !names.includes(name)) : [...this.applyGroups, ...usual];
      this.planSoon();
    },
    isOwn(what) {
      return this.applyOwn.includes(what);
    },
    toggleOwn(what) {
      this.applyOwn = this.isOwn(what) ? this.applyOwn.filter((one) => one !== what) : [...this.applyOwn, what];
      this.planSoon();
    },
    setStrength(event) {
      const number = Math.round(Number(String(event.target.value).replace(",", ".").replace("%", "")));
      if (Number.isFinite(number)) this.applyStrength = clamp(number, 0, strongest);
      event.target.value = this.applyStrength;
      this.planSoon();
    },
    planSoon() {
      clearTimeout(this.planTimer);
      this.planTimer = setTimeout(() => this.planAll(), WAIT_MS);
    },
    /** Ask what would change, a few frames at a time, and show each before and after. */
    async planAll() {
      this.planNumber += 1;
      const run = this.planNumber;
      this.planning = true;
      const targets = this.chosen.filter((id) => `version:${this.card(id).dataset.version}` !== this.applyFrom);
      const before = new Map(this.planned.map((frame) => [frame.photograph, frame.address]));
      const fresh = targets.map((photograph) => ({ photograph, name: this.card(photograph).dataset.name, words: null, address: before.get(photograph) || "" }));
      this.planned = fresh;
      try {
        for (let at = 0; at < targets.length; at += CHUNK) {
          const wish = { from: this.applyFrom, photographs: targets.slice(at, at + CHUNK), groups: this.applyGroups, strength: this.applyStrength / 100, own: this.applyOwn };
          const { frames } = await ask("POST", "/api/apply/plan", wish);
          for (const frame of frames) {
            if (run !== this.planNumber) return;
            const shown = this.planned.find(({ photograph }) => photograph === frame.photograph);
            Object.assign(shown, { version: frame.version, revision: frame.revision, recipe: frame.recipe, words: frame.words });
            const picture = await send("POST", `/api/photographs/${frame.photograph}/small`, { recipe: frame.recipe });
            if (run !== this.planNumber) return;
            if (shown.address) URL.revokeObjectURL(shown.address);
            shown.address = URL.createObjectURL(await picture.blob());
          }
        }
        this.planning = false;
      } catch (problem) {
        if (run !== this.planNumber) return;
        this.planning = false;
        say(problem.message);
      }
    },
    changing() {
      return this.planned.filter(({ words }) => words?.length);
    },
    planWords() {
      if (this.planning) return `looking at ${this.planned.filter(({ words }) => words).length} of ${this.planned.length} …`;
      const count = this.changing().length;
      const same = this.planned.length - count;
      return `${count} ${count === 1 ? "frame changes" : "frames change"}${same ? `, ${same} stay as they are` : ""}`;
    },
    changeWords(frame) {
      if (!frame.words) return "…";
      return frame.words.length ? frame.words.join(" · ") : "stays as it is";
    },
    async applyNow() {
      if (this.putsToRest() && !this.restAsked) {
        this.restAsked = true;
        return;
      }
      this.applyingNow = true;
      try {
        const source = this.sourceGroups().flatMap(({ sources }) => sources).find(({ id }) => id === this.applyFrom).words;
        const frames = this.changing().map(({ version, revision, recipe }) => ({ version, revision, recipe }));
        const { done, left } = await ask("POST", "/api/apply", { frames, words: `from ${source}` });
        const missed = left.length ? ` ${left.length} changed meanwhile and stay as they are.` : "";
        localStorage.setItem(FROM, this.applyFrom ?? "");
        sessionStorage.setItem(LAST, JSON.stringify({ series: this.series, done }));
        sayNext(`Applied to ${done.length} ${done.length === 1 ? "frame" : "frames"}.${missed}`, "Undo for all", ["POST", "/api/apply/undo", { done }]);
        window.location.reload();
      } catch (problem) {
        this.applyingNow = false;
        say(problem.message);
      }
    },
  });
}
