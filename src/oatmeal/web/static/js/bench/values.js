// Values of the recipe: shown, typed, slid, nudged and put back to rest, as each setting is declared.
import { say } from "../api.js";
import { at, clamp, copy, put, same, typed, words } from "./paths.js";
import { declared, within } from "./settings.js";

const CHANNELS = ["red", "green", "blue"];
const ROUND = 1000;
/** With Shift a step is this share of itself. */
const FINE = 0.1;
/** A value of an item of a list. */
const OF_LIST = /\.\d+\./;

/**
 * Values of the recipe: shown, typed, slid, nudged and put back to rest.
 * @param {Pick<import("./bench.js").Bench, "areas" | "base" | "threads" | "vocabulary" | "work">} bench
 */
export function valuing(bench) {
  const { vocabulary } = bench;
  /** Channels that were set by hand, the last one last. @type {string[]} */
  let touched = [];
  /** @param {string} path */
  const declaration = (path) => declared(vocabulary.settings, path, bench.base.recipe());
  return {
    value(path) {
      return at(bench.base.recipe(), path);
    },
    shown(path) {
      return words(this.value(path) ?? 0, declaration(path).signed);
    },
    /** A value with its unit and its range, for those who hear it. */
    spoken(path) {
      const { low, high, unit } = declaration(path);
      return `${this.shown(path)}${unit ? ` ${unit}` : ""}, of ${words(low)} to ${words(high)}`;
    },
    restOf(path) {
      if (path.startsWith("mix.base.")) return at(vocabulary.bases[bench.base.now().kind], path.slice(9));
      return OF_LIST.test(path) ? declaration(path).rest : at(bench.work.rest, path);
    },
    atRest(path) {
      return same(this.value(path), this.restOf(path));
    },
    changed(step) {
      return !same(bench.work.recipe[step], bench.work.rest[step]);
    },
    /** A part of a step away from rest. @param {string} path such as "prepare.light" */
    changedPart(path) {
      return !same(at(bench.work.recipe, path), at(bench.work.rest, path));
    },
    set(path, value) {
      const base = path.startsWith("mix.base.") ? bench.base.take() : bench.base.inForce();
      const channel = path.slice(9);
      if (base.kind === "channels" && base.hold_total && path.startsWith("mix.base.") && CHANNELS.includes(channel)) {
        Object.assign(base, holdTotal(base, channel, value, declaration, touched));
        touched = [...touched.filter((name) => name !== channel), channel];
      } else if (path.startsWith("prepare.threads.")) {
        const [, , name, key] = path.split(".");
        bench.threads.set(name, key, value);
      } else if (path.startsWith("areas.list.")) bench.areas.set(path, value);
      else put(bench.work.recipe, path, value);
    },
    slide(event) {
      this.set(event.target.dataset.path, Number(event.target.value));
      bench.work.changing();
    },
    type(event) {
      const field = event.target;
      const { path } = field.dataset;
      const { low, high } = declaration(path);
      const number = typed(field.value);
      const wrong = !Number.isFinite(number) || this.refused(path, number);
      field.setAttribute("aria-invalid", String(Boolean(wrong)));
      if (wrong) {
        field.value = this.shown(path);
        say(typeof wrong === "string" ? wrong : "Type a number.");
        return;
      }
      const kept = clamp(number, low, high);
      if (kept !== number) say(`From ${words(low)} to ${words(high)}: ${words(kept)} was taken.`);
      this.set(path, kept);
      field.value = this.shown(path);
      bench.work.settle();
    },
    /** Why a number cannot be taken beside its neighbours, or false. */
    refused(path, number) {
      const { black, white, out_black: darkest, out_white: lightest } = bench.work.recipe.tone.levels;
      const { level_gap: gap } = vocabulary;
      if (path.endsWith("levels.black") && number > white - gap) return "Black must stay below white.";
      if (path.endsWith("levels.white") && number < black + gap) return "White must stay above black.";
      if (path.endsWith("out_black") && number > lightest - gap) return "The darkest printed must stay below the lightest printed.";
      if (path.endsWith("out_white") && number < darkest + gap) return "The lightest printed must stay above the darkest printed.";
      return false;
    },
    nudge(event) {
      const up = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key];
      if (!up || event.ctrlKey || event.metaKey) return;
      event.preventDefault();
      this.by(event.target, event.shiftKey ? up * FINE : up);
    },
    spin(event) {
      this.by(event.currentTarget, event.deltaY < 0 ? 1 : -1);
    },
    by(field, count) {
      const { path } = field.dataset;
      const { low, high, step = 1 } = declaration(path);
      const next = clamp(this.value(path) + count * step, low, high);
      const rounded = Math.round(next * ROUND) / ROUND;
      if (this.refused(path, rounded)) return;
      this.set(path, rounded);
      bench.work.changing();
      bench.work.settle("soon");
    },
    putBack(path) {
      this.set(path, copy(this.restOf(path)));
      bench.work.settle();
    },
    toggle(path) {
      this.set(path, !this.value(path));
      bench.work.settle();
    },
    choose(path, event) {
      this.set(path, event.target.value);
      bench.work.settle();
    },
    resetStep(step) {
      bench.work.recipe[step] = copy(bench.work.rest[step]);
      bench.work.settle();
    },
  };
}

/**
 * The three channels with one of them moved and the sum held at 100 %: the one that was set by hand longest ago gives
 * way, or both others in proportion where neither was.
 * @param {any} base @param {string} moved @param {number} value @param {(path: string) => any} declaration @param {string[]} touched
 */
function holdTotal(base, moved, value, declaration, touched) {
  const [first, second] = CHANNELS.filter((name) => name !== moved).sort((one, other) => touched.indexOf(one) - touched.indexOf(other));
  const left = 100 - value;
  if (touched.includes(second)) {
    const gives = within(declaration(`mix.base.${first}`), left - base[second]);
    return { [moved]: value, [first]: gives, [second]: within(declaration(`mix.base.${second}`), left - gives) };
  }
  const sum = base[first] + base[second];
  const share = Math.abs(sum) < 0.01 ? 0.5 : base[first] / sum;
  const one = within(declaration(`mix.base.${first}`), left * share);
  const other = within(declaration(`mix.base.${second}`), left - one);
  return { [moved]: value, [first]: one, [second]: other };
}
