// Values of the recipe: shown, typed, slid, nudged and put back to rest.
import { at, clamp, copy, put, same, typed, words } from "./paths.js";

const SIGNED = /^mix\.lifts|^tone\.(exposure|contrast|shadows|highlights|clarity|detail|veil|sparkle|depth)|offset$/;
const CHANNELS = ["red", "green", "blue"];
const ROUND = 1000;

/** The part of the bench that reads and changes values; needs `recipe`, `rest`, `bases`, `changing`, `settle`. */
export function values() {
  return {
    value(path) {
      return at(this.recipe, path);
    },
    shown(path) {
      return words(at(this.recipe, path) ?? 0, SIGNED.test(path));
    },
    restOf(path) {
      if (path.startsWith("mix.base.")) return at(this.vocabulary.bases[this.recipe.mix.base.kind], path.slice(9));
      return at(this.rest, path);
    },
    atRest(path) {
      return same(at(this.recipe, path), this.restOf(path));
    },
    changed(step) {
      return !same(this.recipe[step], this.rest[step]);
    },
    set(path, value) {
      const base = this.recipe.mix.base;
      const channel = path.slice(9);
      if (base.kind === "channels" && base.hold_total && path.startsWith("mix.base.") && CHANNELS.includes(channel)) {
        this.recipe.mix.base = { ...base, ...holdTotal(base, channel, value) };
      } else put(this.recipe, path, value);
    },
    slide(event) {
      this.set(event.target.dataset.path, Number(event.target.value));
      this.changing();
    },
    type(event) {
      const field = event.target;
      const { path, low, high } = field.dataset;
      const number = typed(field.value);
      const wrong = !Number.isFinite(number) || this.refused(path, number);
      field.setAttribute("aria-invalid", String(Boolean(wrong)));
      if (wrong) {
        field.value = this.shown(path);
        this.complain(typeof wrong === "string" ? wrong : "Type a number.");
        return;
      }
      const kept = clamp(number, Number(low), Number(high));
      if (kept !== number) this.complain(`From ${words(Number(low))} to ${words(Number(high))}: ${words(kept)} was taken.`);
      this.set(path, kept);
      field.value = this.shown(path);
      this.settle();
    },
    /** Why a number cannot be taken beside its neighbours, or false. */
    refused(path, number) {
      const { black, white, out_black: darkest, out_white: lightest } = this.recipe.tone.levels;
      if (path.endsWith("levels.black") && number > white - 1) return "Black must stay below white.";
      if (path.endsWith("levels.white") && number < black + 1) return "White must stay above black.";
      if (path.endsWith("out_black") && number > lightest - 1) return "The darkest tone must stay below the lightest.";
      if (path.endsWith("out_white") && number < darkest + 1) return "The lightest tone must stay above the darkest.";
      return false;
    },
    nudge(event) {
      if (event.key === "Escape") event.target.value = this.shown(event.target.dataset.path);
      if (event.key === "Enter") event.target.select();
      const up = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key];
      if (!up || event.ctrlKey || event.metaKey) return;
      event.preventDefault();
      this.by(event.target, up);
    },
    spin(event) {
      this.by(event.currentTarget, event.deltaY < 0 ? 1 : -1);
    },
    by(field, count) {
      const { path, low, high, step } = field.dataset;
      const next = clamp(at(this.recipe, path) + count * Number(step), Number(low), Number(high));
      const rounded = Math.round(next * ROUND) / ROUND;
      if (this.refused(path, rounded)) return;
      this.set(path, rounded);
      this.changing();
      this.settle("soon");
    },
    putBack(path) {
      this.set(path, copy(this.restOf(path)));
      this.settle();
    },
    toggle(path) {
      put(this.recipe, path, !at(this.recipe, path));
      this.settle();
    },
    choose(path, event) {
      put(this.recipe, path, event.target.value);
      this.settle();
    },
    resetStep(step) {
      this.recipe[step] = copy(this.rest[step]);
      this.settle();
    },

    // the base
    chooseBase(kind) {
      const now = this.recipe.mix.base;
      if (now.kind === kind) return;
      this.bases[now.kind] = copy(now);
      this.recipe.mix.base = copy(this.bases[kind]);
      this.settle();
    },
    toggleLight() {
      const { base } = this.recipe.mix;
      base.light = base.light === "linear" ? "encoded" : "linear";
      this.settle();
    },
    totalWords() {
      const { base } = this.recipe.mix;
      return `sum ${words(base.red + base.green + base.blue)} %`;
    },
    equalsLuma() {
      return same(this.recipe.mix.base, this.vocabulary.bases.six);
    },
    lumaWords() {
      return this.equalsLuma() ? "equal to luma" : "percent of grey for each pure colour";
    },
    equalLuma() {
      this.recipe.mix.base = copy(this.vocabulary.bases.six);
      this.settle();
    },

    // the curve
    curveName() {
      const curves = Object.entries(this.vocabulary.curves);
      return curves.find(([, points]) => same(points, this.recipe.tone.curve))?.[0] || "";
    },
    chooseCurve(event) {
      if (!event.target.value) return;
      this.recipe.tone.curve = copy(this.vocabulary.curves[event.target.value]);
      this.settle();
    },
  };
}

/** The three channels with one of them moved and the sum held at 100 %, the others in proportion. */
function holdTotal(base, moved, value) {
  const [first, second] = CHANNELS.filter((name) => name !== moved);
  const left = 100 - value;
  const sum = base[first] + base[second];
  const share = Math.abs(sum) < 0.01 ? 0.5 : base[first] / sum;
  const one = clamp(Math.round(left * share * 100) / 100, -300, 300);
  const other = clamp(Math.round((left - one) * 100) / 100, -300, 300);
  return { [moved]: value, [first]: one, [second]: other };
}
