// The test strip: the picture cut into bands, each with another value of one setting.
import { at, clamp, copy, put, words } from "./paths.js";

const COUNTS = [5, 7, 9];
const CENTRE_GAP = 10;
const ZONES = ["I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX"];

/** A number to try: path, words, limits and the usual step between bands. */
const number = (path, name, low, high, step) => ({ id: path, words: name, path, low, high, step });

/** What the Tone step offers. */
const TONE = [
  number("tone.exposure", "exposure", -5, 5, 0.4), number("tone.shadows", "shadows", -100, 100, 20),
  number("tone.highlights", "highlights", -100, 100, 20), number("tone.clarity", "clarity", -100, 100, 20),
  number("tone.detail", "detail", -100, 100, 20), number("tone.veil", "veil", -100, 100, 20),
  number("tone.sparkle", "sparkle", 0, 100, 20), number("tone.depth", "depth", 0, 100, 20),
  number("tone.contrast", "contrast", -100, 100, 15),
  number("tone.levels.black", "black point", 0, 120, 6), number("tone.levels.middle", "middle", 0.1, 9.99, 0.12),
  number("tone.levels.white", "white point", 140, 255, 8), number("tone.levels.out_white", "lightest tone", 140, 255, 4), number("tone.levels.out_black", "darkest tone", 0, 120, 4),
];

/** What the Mix step offers beside the lifts. */
const OF_BASE = {
  film: [number("mix.base.strength", "filter strength", 0, 3, 0.4)],
  channels: ["red", "green", "blue"].map((name) => number(`mix.base.${name}`, `${name} channel`, -300, 300, 20)).concat(number("mix.base.offset", "offset", -100, 100, 5)),
  six: ["red", "yellow", "green", "cyan", "blue", "magenta"].map((name) => number(`mix.base.${name}`, `${name} percentage`, -300, 300, 20)),
  plain: [],
  formula: [],
};

/** The part of the bench that makes test strips. */
export function testing(parts) {
  return {
    strip: null,

    /** Everything that can be tried in the step that is open. */
    stripSettings() {
      if (this.step === "tone") {
        const zones = ZONES.map((zone, place) => number(`tone.zones.${place}`, `zone ${zone}`, -2, 2, 0.3));
        const curves = Object.entries(this.vocabulary.curves);
        const shapes = { id: "curves", words: "curves", path: "tone.curve", values: curves.map(([, points]) => points), named: curves.map(([name]) => name) };
        const characters = ["soft", "crisp", "deep"];
        const ends = { id: "ends", words: "hold ends", path: "tone.hold_ends", values: [false, true], named: ["clipped ends", "held ends"] };
        return [...TONE, ...zones, shapes, ends, { id: "characters", words: "characters of clarity", path: "tone.character", values: characters, named: characters }];
      }
      const { base, picked } = this.recipe.mix;
      const choice = (id, name, path, values, named) => ({ id, words: name, path, values, named });
      const lifts = this.vocabulary.ranges.map((name) => number(`mix.lifts.${name}`, `${name} lift`, -4, 4, 0.5));
      const own = picked.flatMap((_, place) => [
        number(`mix.picked.${place}.lift`, `${this.pickedTitle(place)} lift`, -4, 4, 0.5),
        number(`mix.picked.${place}.reach`, `${this.pickedTitle(place)} reach`, 0.01, 0.3, 0.02),
      ]);
      const bases = { ...copy(this.bases), [base.kind]: copy(base) };
      const names = { film: "film", channels: "channels", six: "six colours", formula: "formula", plain: "plain" };
      const settings = [...lifts, ...own, ...OF_BASE[base.kind], number("mix.pale", "pale colours", 0, 100, 20), number("mix.guard", "guard", 0, 100, 25)];
      if (base.kind === "film") {
        const { filter_edges: _, film_edges: __, ...plain } = copy(base);
        const filters = ["none", ...Object.keys(this.vocabulary.filters)];
        settings.push(choice("filters", "filters", "mix.base", filters.map((filter) => ({ ...plain, filter })), filters));
        const films = Object.keys(this.vocabulary.films);
        settings.push(choice("films", "films", "mix.base", films.map((film) => ({ ...plain, film })), films));
        for (const which of ["film", "filter"].filter((name) => base[`${name}_edges`])) {
          const [low, high] = base[`${which}_edges`];
          settings.push(number(`mix.base.${which}_edges.0`, `${which}, low edge`, 380, high - 10, 15));
          settings.push(number(`mix.base.${which}_edges.1`, `${which}, high edge`, low + 10, 780, 15));
        }
      }
      if (base.kind === "formula") {
        for (const [name, { low, high }] of Object.entries(base.parameters)) {
          settings.push(number(`mix.base.parameters.${name}.value`, `${name} of the formula`, low, high, (high - low) / 8));
        }
      }
      settings.push(...this.centreSettings());
      const weighings = Object.keys(this.vocabulary.weighings);
      settings.push(choice("weighings", "plain conversions", "mix.base", weighings.map((weighing) => ({ kind: "plain", weighing })), weighings));
      settings.push(choice("bases", "bases", "mix.base", Object.values(bases), Object.keys(bases).map((kind) => names[kind])));
      return settings;
    },
    /** The centres, each free between its neighbours; those beside the turn of the circle stay out. */
    centreSettings() {
      const { centres } = this.recipe.mix;
      const names = this.vocabulary.ranges;
      return names.map((name, place) => {
        const low = centres[names[(place + 7) % 8]] + CENTRE_GAP;
        const high = centres[names[(place + 1) % 8]] - CENTRE_GAP;
        return number(`mix.centres.${name}`, `${name} centre`, low, high, 5);
      }).filter(({ low, high, path }) => low < at(this.recipe, path) && at(this.recipe, path) < high);
    },
    openStrip(path) {
      const settings = this.stripSettings();
      const wanted = settings.find((setting) => setting.path === path) || settings.find(({ id }) => id === sessionStorage.getItem(`strip-${this.step}`)) || settings[0];
      if (this.comparing) this.leaveCompare();
      if (this.zoom !== "fit") this.zoomTo("fit");
      this.showReach(null);
      const upright = parts().picture.file.width >= parts().picture.file.height;
      this.strip = { setting: wanted, count: 5, step: wanted.step || 0, upright, values: [], labels: [] };
      this.showStrip();
    },
    chooseStrip(event) {
      const setting = this.stripSettings().find(({ id }) => id === event.target.value);
      sessionStorage.setItem(`strip-${this.step}`, setting.id);
      Object.assign(this.strip, { setting, step: setting.step || 0 });
      this.showStrip();
    },
    chooseCount(count) {
      this.strip.count = count;
      this.showStrip();
    },
    stripCounts() {
      return COUNTS;
    },
    widen(by) {
      this.strip.step = Math.round(this.strip.step * by * 1000) / 1000;
      this.showStrip();
    },
    turnStrip() {
      this.strip.upright = !this.strip.upright;
      this.showStrip();
    },
    stripIsChoice() {
      return Boolean(this.strip?.setting.values);
    },
    /** Work out the values of the bands and ask for them. */
    showStrip() {
      const { setting, count, step } = this.strip;
      if (setting.values) {
        this.strip.values = copy(setting.values);
        this.strip.labels = setting.named;
      } else {
        const here = at(this.recipe, setting.path);
        const middle = here === "auto" ? Math.round(this.autoGuard * 100) : here;
        const reach = step * (count - 1);
        const first = reach > setting.high - setting.low ? setting.low : clamp(middle - reach / 2, setting.low, setting.high - reach);
        const by = reach > setting.high - setting.low ? (setting.high - setting.low) / (count - 1) : step;
        this.strip.values = Array.from({ length: count }, (_, band) => Math.round((first + band * by) * 1000) / 1000);
        this.strip.labels = this.strip.values.map((value) => words(value, setting.low < 0));
      }
      this.waiting = true;
      parts().frames.ask(this.wish(false));
    },
    stripWish() {
      return this.strip && { path: this.strip.setting.path, values: copy(this.strip.values), upright: this.strip.upright };
    },
    stripTitle() {
      return this.strip ? `Test strip: ${this.strip.setting.words}` : "";
    },
    /** Where the label of a band stands on the surround. */
    bandStyle(band) {
      const { picture } = parts();
      const { count } = { count: this.strip.values.length };
      const { file } = picture;
      const begin = band / count;
      const corner = picture.placeOf({ x: this.strip.upright ? begin * file.width : 0, y: this.strip.upright ? 0 : begin * file.height });
      const other = picture.placeOf({ x: this.strip.upright ? ((band + 1) / count) * file.width : file.width, y: this.strip.upright ? file.height : ((band + 1) / count) * file.height });
      return { left: `${corner.x}px`, top: `${corner.y}px`, width: `${other.x - corner.x}px`, height: `${other.y - corner.y}px` };
    },
    bands() {
      return this.strip ? this.strip.values.map((_, band) => band) : [];
    },
    bandIsNow(band) {
      const { setting, values } = this.strip;
      return JSON.stringify(values[band]) === JSON.stringify(at(this.recipe, setting.path));
    },
    stripPressed() {
      return true; // the bands are buttons of their own
    },
    keepBand(band) {
      const { setting, values } = this.strip;
      if (band >= values.length) return;
      put(this.recipe, setting.path, copy(values[band]));
      this.strip = null;
      this.settle();
    },
    leaveStrip() {
      this.strip = null;
      this.waiting = true;
      parts().frames.ask(this.wish(false));
    },
  };
}
