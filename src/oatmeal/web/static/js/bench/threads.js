// The threads of Prepare: where each colour range goes before it becomes grey.
import { say } from "../api.js";
import { clamp, copy, percent, same } from "./paths.js";
import { within } from "./settings.js";
import { follow } from "./svg.js";
import { dragged } from "./pointer.js";

/** Pixels of a drag on the picture for a degree of hue, for a stop of brightness, and for a percent of strength. */
const PX_A_DEGREE = 4;
const PX_A_STOP = 90;
const PX_A_PERCENT = 1;

/**
 * The threads.
 * @param {Pick<import("./bench.js").Bench, "crop" | "frame" | "parts" | "spots" | "vocabulary" | "work">} bench
 */
export function threading(bench) {
  const { centres, feet_apart: apart, ranges, settings } = bench.vocabulary;
  return {
    names: ranges,
    chosen: ranges[0],
    /** Shares of the picture at each hue, as photographed, in even parts of the circle. @type {number[]} */
    shares: [],

    all() {
      return bench.work.recipe.prepare.threads;
    },
    choose(name) {
      this.chosen = name;
      bench.parts.ribbons.draw();
    },
    /** How much of the picture lies nearer to the chosen range than to any other. */
    title() {
      const part = 360 / Math.max(1, this.shares.length);
      const nearest = (hue) => ranges.reduce((best, name) => (apartOf(centres[name], hue) < apartOf(centres[best], hue) ? name : best));
      const share = this.shares.reduce((sum, one, place) => (nearest((place + 0.5) * part) === this.chosen ? sum + one : sum), 0);
      if (!this.shares.length) return "";
      return share < 0.0005 ? "not in the picture" : `${percent(share, share < 0.1 ? 1 : 0)} of the picture`;
    },
    /** Between the feet of its neighbours. @param {string} name @param {number} hue @param {any} [all] the threads it belongs to */
    hueWithin(name, hue, all = bench.work.recipe.prepare.threads) {
      const place = ranges.indexOf(name);
      const neighbour = (by) => ranges[(place + by + ranges.length) % ranges.length];
      const away = (other) => (((centres[other] - centres[name]) % 360) + 360) % 360;
      const [before, after] = [neighbour(-1), neighbour(1)];
      const low = away(before) - 360 + all[before].hue + apart;
      const high = away(after) + all[after].hue - apart;
      const { low: least, high: most } = settings[`prepare.threads.${name}.hue`];
      return Math.round(clamp(hue, Math.max(low, least), Math.min(high, most)) * 100) / 100;
    },
    set(name, key, value) {
      this.all()[name][key] = key === "hue" ? this.hueWithin(name, value) : within(settings[`prepare.threads.${name}.${key}`], value);
    },
    move(name, key, value) {
      this.set(name, key, value);
      bench.work.changing();
    },
    reset(name) {
      bench.work.recipe.prepare.threads[name] = copy(bench.work.rest.prepare.threads[name]);
      bench.work.changing();
    },
    rests(name) {
      return same(this.all()[name], bench.work.rest.prepare.threads[name]);
    },
    resetChosen() {
      this.reset(this.chosen);
      bench.work.settle();
    },
    /** On the picture: sideways leads the hue, up and down the brightness, with Shift the strength. */
    drag(event, at) {
      const { surround } = bench.parts.picture;
      let name = "";
      let begun = null;
      let moved = false;
      let last = event;
      const by = { hue: 0, bright: 0, strength: 0 };
      const move = () => {
        if (!name || !moved) return;
        for (const key of Object.keys(by)) if (by[key]) this.set(name, key, begun[key] + by[key]);
        bench.work.changing();
      };
      const asked = bench.spots.spotAt(at).then(({ thread }) => {
        if (!thread) return;
        name = thread;
        this.choose(name);
        begun = copy(this.all()[name]);
        move();
      });
      asked.catch((problem) => say(problem.message));
      surround.focus({ preventScroll: true });
      follow(surround, event, (next) => {
        const [across, up] = [next.clientX - last.clientX, last.clientY - next.clientY];
        last = next;
        if (next.shiftKey) by.strength += up / PX_A_PERCENT;
        else {
          by.hue += across / PX_A_DEGREE;
          by.bright += up / PX_A_STOP;
        }
        moved ||= dragged(event, next);
        move();
      }, async (ended) => {
        if (!moved) return;
        bench.frame.waiting = true; // for what lies there, which may not have come yet
        await asked.catch(() => {});
        if (!name) {
          bench.frame.waiting = false;
          say("This spot is neutral: no thread leads it.");
          return;
        }
        if (ended.type === "pointercancel") Object.assign(this.all()[name], begun);
        bench.work.settle();
      });
    },
  };
}

/** Degrees between two hues. */
const apartOf = (one, other) => Math.abs(((one - other + 540) % 360) - 180);
