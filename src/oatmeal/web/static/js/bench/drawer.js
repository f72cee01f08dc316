// The drawer beside the picture: this photograph in every recipe, or in a dozen starting points.
import { ask, say } from "../api.js";
import { bind } from "./panels.js";
import { drawGreys } from "./greys.js";
import { clamp, copy, percent, same, typed } from "./paths.js";
import { nextTick } from "./ticks.js";

const SIDE = 240;
const STRONGEST = 150;
const MOST_CARRIED = 60;

/**
 * @typedef {object} Offer
 * @property {string} key
 * @property {string} name
 * @property {string} note
 * @property {any} recipe
 * @property {string} [source] of a recipe that can be taken more or less strongly
 * @property {any} [figures]
 */

/**
 * What is offered for this photograph beside the picture.
 * @param {Pick<import("./bench.js").Bench, "frame" | "history" | "parts" | "photograph" | "refs" | "root" | "sight" | "trying" | "version" | "versions" | "vocabulary" | "wall" | "work">} bench
 */
export function offering(bench) {
  const { photograph, vocabulary } = bench;
  const usual = () => vocabulary.groups.filter(({ stays }) => !stays).map(({ name }) => name);
  /** Ends the drawing of small pictures. @type {AbortController|null} */
  let drawing = null;
  /** @type {IntersectionObserver|null} */
  let seeing = null;
  /** Small pictures that are there, by the recipe that is offered. @type {WeakMap<object, import("./frames.js").Frame>} */
  const made = new WeakMap();
  /** Recipes carried onto others, so that a second look asks for nothing. @type {Map<string, any>} */
  const carried = new Map();
  return {
    /** What it shows. @type {""|"recipes"|"starts"} */
    shown: "",
    looking: false,
    wanted: "",
    /** @type {Offer[]} */
    offers: [],
    /** The recipe that was used last, as long as nothing else is done. @type {{offer: Offer, before: any, made: number}|null} */
    used: null,
    strength: 100,
    saving: false,
    name: "",
    /** @type {string[]} */
    holds: [],

    /** @param {"recipes"|"starts"} what */
    async toggle(what) {
      if (this.shown === what) this.close();
      else await this.open(what);
    },
    /** @param {"recipes"|"starts"} what */
    async open(what) {
      bind("drawer");
      if (bench.history.historyOpen) await bench.history.toggleHistory();
      this.rest();
      const first = !this.shown;
      this.shown = what;
      this.wanted = "";
      this.offers = [];
      await nextTick();
      if (first) bench.sight.arrange();
      /** @type {HTMLElement|null} */ (this.pane()?.querySelector(what === "recipes" ? ".input" : ".offers"))?.focus({ preventScroll: true });
      await this.read();
    },
    close() {
      this.rest();
      this.shown = "";
      this.saving = false;
      this.used = null;
      bench.trying.leave();
      nextTick(() => bench.sight.arrange());
      bench.parts.picture.surround.focus({ preventScroll: true });
    },
    /** No small picture is wanted any more. */
    rest() {
      drawing?.abort();
      seeing?.disconnect();
    },
    async read() {
      const what = this.shown;
      this.looking = true;
      try {
        const recipe = copy(bench.work.recipe);
        const found = what === "starts"
          ? (await ask("POST", `/api/photographs/${photograph.id}/starts`, { recipe })).map((start, number) => ({ ...start, key: `start ${number}`, source: "", note: start.words }))
          : (await ask("POST", "/api/recipes/onto", { recipe })).recipes.map((one) => ({ ...one, key: one.source, note: one.note || one.words.join(" · ") }));
        if (this.shown !== what) return;
        this.offers = found;
        await nextTick();
        this.draw();
      } catch (problem) {
        say(problem.message);
      }
      this.looking = false;
    },
    /** Small pictures of what is seen, one after another. */
    draw() {
      this.rest();
      const here = new AbortController();
      drawing = here;
      /** @type {Set<HTMLElement>} */
      const seen = new Set();
      let busy = false;
      const next = async () => {
        if (busy) return;
        busy = true;
        for (const canvas of seen) {
          seen.delete(canvas);
          const offer = this.offers.find(({ key }) => key === canvas.dataset.offer);
          if (!offer || here.signal.aborted) continue;
          try {
            const frame = made.get(offer.recipe) ?? await bench.parts.frames.fetch({ recipe: offer.recipe, side: SIDE, layers: ["grey"] }, here.signal);
            made.set(offer.recipe, frame);
            drawGreys(canvas, frame);
            offer.figures = { clipping: frame.figures.clipping, merging: frame.figures.grey_map.merging.length };
          } catch (problem) {
            if (problem.name !== "AbortError") say(problem.message);
          }
        }
        busy = false;
      };
      seeing = new IntersectionObserver((entries) => {
        for (const { target, isIntersecting } of entries) {
          const canvas = /** @type {HTMLElement} */ (target);
          if (!isIntersecting) seen.delete(canvas);
          else {
            seeing?.unobserve(canvas);
            seen.add(canvas);
          }
        }
        next();
      }, { root: this.pane() });
      for (const canvas of bench.root.querySelectorAll(".offer canvas")) seeing.observe(canvas);
    },
    /** @returns {HTMLElement|null} */
    pane() {
      return bench.root.querySelector("aside.drawer");
    },
    /** @param {Event & {target: HTMLInputElement}} event */
    find(event) {
      this.wanted = event.target.value;
      nextTick(() => this.draw()); // on canvases that are new
    },
    title() {
      return this.shown === "starts" ? "Starts" : "Recipes";
    },
    list() {
      const words = this.wanted.trim().toLowerCase();
      return this.offers.filter((one) => `${one.name} ${/** @type {any} */ (one).tags ?? ""} ${one.note}`.toLowerCase().includes(words));
    },
    /** What a start makes of the picture. @param {Offer} offer */
    figureWords({ figures }) {
      if (!figures || this.shown !== "starts") return "";
      const { clipping, merging } = figures;
      return `black ${percent(clipping.low, 1)} · white ${percent(clipping.high, 1)} · ${merging || "none"} merging`;
    },
    /** @param {string} key @returns {Promise<import("./trials.js").Trial|null>} */
    async trial(key) {
      const offer = this.offers.find((one) => one.key === key);
      return offer ? { words: offer.name, recipe: await this.onto(offer, copy(bench.work.recipe)) } : null;
    },
    /** A recipe with what is offered. @param {Offer} offer @param {any} recipe @param {number} [strength] in percent */
    async onto({ source, recipe: offered }, recipe, strength = 100) {
      if (!source) return { ...recipe, mix: copy(offered.mix) };
      const wish = { recipe, sources: [source], strength: strength / 100 };
      const key = JSON.stringify(wish);
      if (!carried.has(key)) {
        if (carried.size >= MOST_CARRIED) carried.clear();
        carried.set(key, (await ask("POST", "/api/recipes/onto", wish)).recipes[0].recipe);
      }
      return copy(carried.get(key));
    },
    /** @param {Offer} offer */
    isPresent(offer) {
      return this.used?.offer.key === offer.key && this.isLast();
    },
    /** @param {Offer} offer */
    async use(offer) {
      bench.frame.waiting = true;
      try {
        const before = copy(bench.work.recipe);
        const after = await this.onto(offer, before);
        if (!same(before, bench.work.recipe)) return bench.frame.ask(false); // something else was done meanwhile
        bench.work.adopt(after);
        bench.work.settle();
        this.strength = 100;
        this.used = { offer, before, made: bench.work.made() };
        bench.work.tellStep(offer.source ? `“${offer.name}” is used here; frame, areas and spots stay.` : `Begun with “${offer.name}”.`);
      } catch (problem) {
        bench.frame.waiting = false;
        say(problem.message);
      }
      return undefined;
    },
    /** Whether nothing else was done since an offer was used. */
    isLast() {
      return this.used !== null && this.used.made === bench.work.made();
    },
    /** Whether how much of it can still be said. */
    mayWeigh() {
      return this.isLast() && Boolean(this.used?.offer.source);
    },
    /** @param {Event & {target: HTMLInputElement}} event @param {boolean} moving */
    async weigh(event, moving) {
      const number = typed(event.target.value);
      if (Number.isFinite(number)) this.strength = clamp(Math.round(number), 0, STRONGEST);
      event.target.value = String(this.strength);
      if (!this.used || !this.mayWeigh()) return undefined;
      const { offer, before } = this.used;
      const strength = this.strength;
      bench.frame.waiting = true;
      try {
        const after = await this.onto(offer, before, strength);
        if (strength !== this.strength) return undefined; // a newer one is on its way
        if (!this.used || !this.mayWeigh()) return bench.frame.ask(false);
        bench.work.adopt(after);
        if (moving) return bench.work.changing();
        bench.work.settle();
        this.used.made = bench.work.made();
      } catch (problem) {
        bench.frame.waiting = false;
        say(problem.message);
      }
      return undefined;
    },

    /** @param {Offer} offer */
    async pin(offer) {
      const trial = await this.trial(offer.key);
      if (trial) bench.wall.pin(trial.words, trial.recipe);
    },

    // saving
    openSaving() {
      this.saving = !this.saving;
      this.name = bench.versions.versionName();
      this.holds = usual();
      if (this.saving) nextTick(() => bench.refs.recipeName.select());
    },
    /** @param {"all"|"none"|"step"} which */
    holdOnly(which) {
      if (which === "all") this.holds = usual();
      else this.holds = which === "none" ? [] : vocabulary.groups.filter(({ step, stays }) => step === bench.work.step && !stays).map(({ name }) => name);
    },
    toggleHolds(name) {
      this.holds = this.holds.includes(name) ? this.holds.filter((one) => one !== name) : [...this.holds, name];
    },
    async save() {
      try {
        const { name } = await ask("POST", "/api/recipes", { name: this.name, recipe: copy(bench.work.recipe), groups: copy(this.holds) });
        this.saving = false;
        say(`Saved as “${name}”.`);
        await this.open("recipes");
      } catch (problem) {
        say(problem.message);
      }
    },
  };
}
