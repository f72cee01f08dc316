// The test strip: the picture cut into bands, each with another value of one setting.
import { at, clamp, copy, put, words } from "./paths.js";
import { placesOf } from "./settings.js";

const COUNTS = [5, 7, 9];

/**
 * Something to try: numbers within limits and a usual step, or named values.
 * @typedef {object} Trial
 * @property {string} id
 * @property {string} words
 * @property {string} [group] of the step
 * @property {string} path
 * @property {number} [low]
 * @property {number} [high]
 * @property {number} [step]
 * @property {any[]} [values]
 * @property {string[]} [named]
 */

/** @typedef {{setting: Trial, count: number, step: number, upright: boolean, values: any[], labels: string[]}} Strip */

/**
 * Test strips.
 * @param {Pick<import("./bench.js").Bench, "areas" | "base" | "compare" | "crop" | "finish" | "frame" | "light" | "parts" | "kept" | "picked" | "sight" | "vocabulary" | "work">} bench
 */
export function testing(bench) {
  const { vocabulary } = bench;
  return {
    /** The test strip that is open. @type {Strip|null} */
    strip: null,

    /** Everything that can be tried in the step that is open: what its settings declare, and other bases. @returns {Trial[]} */
    stripSettings() {
      const { step, recipe } = bench.work;
      const found = Object.entries(vocabulary.settings)
        .filter(([pattern, { trial }]) => trial && pattern.startsWith(`${step}.`))
        .flatMap(([pattern, one]) => placesOf(pattern, recipe).filter((path) => bench.areas.isTried(path)).flatMap((path) => this.trialsOf(path, one)).map((trial) => ({ ...trial, group: one.group })));
      const all = step === "mix" ? [...found, ...this.otherBases()] : found;
      // numbers before choices, and what every base has before what is the base's own
      const rank = (/** @type {Trial} */ { values, path }) => (values ? 2 : Number(path.startsWith("mix.base.")));
      return all.sort((one, other) => rank(one) - rank(other));
    },
    /** The same by the groups of the step. @returns {{name: string, settings: Trial[]}[]} */
    stripGroups() {
      /** @type {Map<string, Trial[]>} */
      const groups = new Map();
      for (const one of this.stripSettings()) {
        const { group = "" } = one;
        groups.set(group, [...(groups.get(group) ?? []), one]);
      }
      return [...groups].map(([name, settings]) => ({ name, settings }));
    },
    /** What a setting offers to a strip. @param {string} path @param {import("./settings.js").Setting} one @returns {Trial[]} */
    trialsOf(path, one) {
      const { recipe } = bench.work;
      const name = this.trialWords(path, one);
      if (one.kind === "list") return this.edgeTrials(path, name, one);
      if (one.kind === "number") {
        const limits = this.limitsOf(path, one);
        const present = at(recipe, path);
        const free = typeof present !== "number" || (limits.low <= present && present <= limits.high);
        return free ? [{ id: path, words: name, path, ...limits }] : [];
      }
      if (one.kind === "switch") return [{ id: path, words: name, path, values: [false, true], named: ["off", "on"] }];
      if (one.kind === "curve") {
        const curves = Object.entries(vocabulary.curves);
        return [{ id: path, words: `${name}s`, path, values: curves.map(([, points]) => points), named: curves.map(([curve]) => curve) }];
      }
      const { choices = [] } = one;
      if (!path.startsWith("mix.base.")) return [{ id: path, words: `${name}s`, path, values: choices, named: choices }];
      // another film or filter takes its own edges again
      const key = path.slice("mix.base.".length);
      const { [`${key}_edges`]: _, ...base } = copy(recipe.mix.base);
      return [{ id: path, words: `${name}s`, path: "mix.base", values: choices.map((choice) => ({ ...base, [key]: choice })), named: choices }];
    },
    /** @param {string} path @param {import("./settings.js").Setting} one */
    trialWords(path, one) {
      const item = path.split(".").at(-2) ?? "";
      if (path.startsWith("areas.")) return bench.areas.trialWords(path, one.words.replace("{}", item));
      if (path.startsWith("finish.kept.colours.")) return one.words.replace("{}", bench.kept.title(Number(item)));
      return one.words.replace("{}", /^\d+$/.test(item) ? bench.picked.pickedTitle(Number(item)) : item);
    },
    /** How far a strip may go, and its usual step. */
    limitsOf(path, one) {
      const [low, high] = one.within || [one.low, one.high];
      const { recipe } = bench.work;
      if (path.startsWith("mix.centres.")) {
        const { ranges, centre_gap: gap } = vocabulary;
        const place = ranges.indexOf(path.split(".").at(-1));
        const beside = (by) => recipe.mix.centres[ranges[(place + by) % ranges.length]];
        return { low: beside(ranges.length - 1) + gap, high: beside(1) - gap, step: one.trial };
      }
      if (path.startsWith("mix.base.parameters.")) {
        const own = at(recipe, path.slice(0, path.lastIndexOf(".")));
        return { low: own.low, high: own.high, step: (own.high - own.low) / 8 };
      }
      return { low, high, step: one.trial };
    },
    /** Both edges of a film or filter that has its own. @param {string} path @param {string} name @param {import("./settings.js").Setting} one */
    edgeTrials(path, name, { low: shortest, high: longest, trial: step }) {
      const edges = at(bench.work.recipe, path);
      if (!Array.isArray(edges) || path === "tone.zones") return [];
      const [low, high] = edges;
      const { band_gap: gap } = vocabulary;
      return [
        { id: `${path}.0`, words: `${name}, low`, path: `${path}.0`, low: shortest, high: high - gap, step },
        { id: `${path}.1`, words: `${name}, high`, path: `${path}.1`, low: low + gap, high: longest, step },
      ];
    },
    /** The plain conversions, and each base as it was last left. @returns {Trial[]} */
    otherBases() {
      const { base } = bench.work.recipe.mix;
      const bases = { ...copy(bench.base.kept), [base.kind]: copy(base) };
      const weighings = Object.keys(vocabulary.weighings);
      const names = Object.keys(bases).map((kind) => vocabulary.base_names[kind]);
      return [
        { id: "weighings", group: "base", words: "plain conversions", path: "mix.base", values: weighings.map((weighing) => ({ kind: "plain", weighing })), named: weighings },
        { id: "bases", group: "base", words: "bases", path: "mix.base", values: Object.values(bases), named: names },
      ];
    },
    openStrip(path) {
      const settings = this.stripSettings();
      const last = settings.find(({ id }) => id === sessionStorage.getItem(`strip-${bench.work.step}`));
      const groups = { prepare: bench.crop, finish: bench.finish }[bench.work.step];
      const open = groups && settings.filter((setting) => groups.inGroup(setting.path));
      const first = open?.length && !open.includes(/** @type {any} */ (last)) ? open[0] : last ?? settings[0];
      const wanted = settings.find((setting) => setting.path === path) || first;
      if (bench.compare.comparing) bench.compare.leaveCompare();
      if (bench.sight.zoom !== "fit") bench.sight.zoomTo("fit");
      bench.picked.showReach(null);
      const upright = bench.parts.picture.file.width >= bench.parts.picture.file.height;
      this.strip = { setting: wanted, count: 5, step: wanted.step || 0, upright, values: [], labels: [] };
      bench.sight.show("grey");
      this.showStrip();
    },
    chooseStrip(event) {
      const setting = this.stripSettings().find(({ id }) => id === event.target.value);
      if (!setting || !this.strip) return;
      sessionStorage.setItem(`strip-${bench.work.step}`, setting.id);
      Object.assign(this.strip, { setting, step: setting.step || 0 });
      this.showStrip();
    },
    chooseCount(count) {
      this.laid().count = count;
      this.showStrip();
    },
    stripCounts() {
      return COUNTS;
    },
    widen(by) {
      const strip = this.laid();
      strip.step = Math.round(strip.step * by * 1000) / 1000;
      this.showStrip();
    },
    turnStrip() {
      const strip = this.laid();
      strip.upright = !strip.upright;
      this.showStrip();
    },
    stripIsChoice() {
      return Boolean(this.strip?.setting.values);
    },
    /** The strip that is open; asked only where one is. */
    laid() {
      return /** @type {Strip} */ (this.strip);
    },
    /** Work out the values of the bands and ask for them. */
    showStrip() {
      const strip = this.laid();
      const { setting, count, step } = strip;
      if (setting.values) {
        strip.values = copy(setting.values);
        strip.labels = setting.named ?? [];
      } else {
        const here = at(bench.work.recipe, setting.path);
        const middle = here === "auto" ? Math.round(bench.frame.trust.coarse * 100) : here;
        const { low = 0, high = 0 } = setting;
        const reach = step * (count - 1);
        const first = reach > high - low ? low : clamp(middle - reach / 2, low, high - reach);
        const by = reach > high - low ? (high - low) / (count - 1) : step;
        strip.values = Array.from({ length: count }, (_, band) => Math.round((first + band * by) * 1000) / 1000);
        strip.labels = strip.values.map((value) => words(value, low < 0));
      }
      bench.frame.ask(false);
    },
    stripWish() {
      return this.strip && { path: this.strip.setting.path, values: copy(this.strip.values), upright: this.strip.upright };
    },
    stripTitle() {
      return this.strip ? `Test strip: ${this.strip.setting.words}` : "";
    },
    /** Where the label of a band stands on the surround. */
    bandStyle(band) {
      const { picture } = bench.parts;
      const { file } = picture;
      const { values, upright } = this.laid();
      const count = values.length;
      const begin = band / count;
      const corner = picture.placeOf({ x: upright ? begin * file.width : 0, y: upright ? 0 : begin * file.height });
      const other = picture.placeOf({ x: upright ? ((band + 1) / count) * file.width : file.width, y: upright ? file.height : ((band + 1) / count) * file.height });
      return { left: `${corner.x}px`, top: `${corner.y}px`, width: `${other.x - corner.x}px`, height: `${other.y - corner.y}px` };
    },
    bands() {
      return this.strip ? this.strip.values.map((_, band) => band) : [];
    },
    bandIsNow(band) {
      const { setting, values } = this.laid();
      return JSON.stringify(values[band]) === JSON.stringify(at(bench.work.recipe, setting.path));
    },
    stripPressed() {
      return true; // the bands are buttons of their own
    },
    keepBand(band) {
      const { setting, values } = this.laid();
      if (band >= values.length) return;
      put(bench.work.recipe, setting.path, copy(values[band]));
      this.strip = null;
      bench.light.look();
      bench.work.settle();
    },
    leaveStrip() {
      this.strip = null;
      bench.light.look();
    },
  };
}
