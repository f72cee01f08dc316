// Kept colours: the picture's own colour let through the greys, each turned and strengthened by itself.
import { ask, say } from "../api.js";
import { copy, words } from "./paths.js";

const WHOLE = 100;

/**
 * Colours of the picture that are kept.
 * @param {Pick<import("./bench.js").Bench, "frame" | "limits" | "photograph" | "spots" | "vocabulary" | "work">} bench
 */
export function keepingColours(bench) {
  const { settings, most_kept: most } = bench.vocabulary;
  /** Where colours were clicked since the page was opened. @type {Object<string, {x: number, y: number}>} */
  const places = {};
  const declaration = (/** @type {string} */ key) => settings[`finish.kept.colours.*.${key}`];
  return {
    chosen: 0,
    all() {
      return bench.work.recipe.finish.kept.colours;
    },
    numbers() {
      return this.all().map((_, number) => number);
    },
    one() {
      return this.all()[this.chosen];
    },
    mayKeep() {
      return this.all().length < most;
    },
    /** Where a value of the chosen one stands. @param {string} key */
    path(key) {
      return `finish.kept.colours.${this.chosen}.${key}`;
    },
    /** A value of the chosen one. @param {string} key */
    of(key) {
      return this.one()?.[key] ?? declaration(key).rest;
    },
    words(key) {
      return words(this.of(key), declaration(key).signed);
    },
    atRest(key) {
      return this.of(key) === declaration(key).rest;
    },
    title(number) {
      const one = this.all()[number];
      return one ? one.name || `colour ${number + 1}` : "";
    },
    choose(number) {
      this.chosen = number;
    },
    async keepHere(place) {
      bench.spots.mode = "";
      bench.frame.waiting = true;
      try {
        const { colour } = await ask("POST", `/api/photographs/${bench.photograph.id}/spot`, { recipe: copy(bench.work.recipe), ...place });
        const rest = (/** @type {string} */ key) => declaration(key).rest;
        this.all().push({ colour, amount: WHOLE, reach: rest("reach"), hue: rest("hue"), strength: rest("strength"), bright: rest("bright"), name: "", on: true });
        places[colour] = place;
        this.chosen = this.all().length - 1;
        bench.work.settle();
      } catch (problem) {
        bench.frame.waiting = false;
        say(problem.message);
      }
    },
    /** It is known where the chosen one was clicked. */
    hasPlace() {
      return Boolean(places[this.one()?.colour]);
    },
    /** The chosen one is kept round its place alone: it becomes an area. */
    onlyHere() {
      const { colour, name, amount, hue, strength, bright } = this.one();
      bench.limits.make(places[colour], { kept: { amount, hue, strength, bright } }, name || "Own colour", () => this.takeAway());
    },
    rename(event) {
      this.one().name = event.target.value.trim().slice(0, 80);
      bench.work.settle();
    },
    toggle() {
      this.one().on = !this.one().on;
      bench.work.settle();
    },
    takeAway() {
      this.all().splice(this.chosen, 1);
      this.chosen = Math.max(0, this.chosen - 1);
    },
    drop() {
      this.takeAway();
      bench.work.settle();
    },
  };
}
