// The Mix step: bases, the grey map's columns, balance and separate, the guard.
import { ask, say } from "../api.js";
import { clamp, copy, percent } from "./paths.js";
import { within } from "./settings.js";

const RARE = 0.02;
/** Colours that are named where several are lifted beyond what the file carries: those farthest beyond. */
const MOST_TOLD = 2;
const NOTHING = 0.001;

/**
 * The grey map and what finds lifts for it.
 * @param {Pick<import("./bench.js").Bench, "frame" | "picked" | "parts" | "photograph" | "refs" | "vocabulary" | "work">} bench
 */
export function mixing(bench) {
  const address = (what) => `/api/photographs/${bench.photograph.id}/${what}`;
  return {
    shares: {},
    /** @type {any} */
    merging: null,
    mergingCount: 0,
    /** @type {{ranges: [string, string], share: number} | null} */
    torn: null,
    strength: 70,
    busyWith: "",
    // the map
    liftOf(name) {
      const { mix } = bench.work.recipe;
      return typeof name === "string" ? mix.lifts[name] : mix.picked[name]?.lift ?? 0;
    },
    lift(name, stops) {
      const { mix } = bench.work.recipe;
      const kept = within(bench.vocabulary.settings["mix.lifts.red"], stops);
      if (typeof name === "string") mix.lifts[name] = kept;
      else mix.picked[name].lift = kept;
      bench.work.changing();
    },
    spinLift(name, by) {
      this.lift(name, by === null ? 0 : this.liftOf(name) + by);
      bench.work.settle("soon");
    },
    moveCentre(name, hue) {
      bench.work.recipe.mix.centres[name] = hue;
      bench.work.changing();
    },
    isPale(name) {
      return (this.shares[name] ?? 0) < RARE;
    },
    shareOf(name) {
      return shareWords(this.shares[name]);
    },
    /** A lift that does nothing here says so. */
    idleLift() {
      const idle = Object.entries(bench.work.recipe.mix.lifts).filter(([name, stops]) => stops !== 0 && (this.shares[name] ?? 1) < NOTHING);
      if (!idle.length) return "";
      const names = idle.map(([name]) => name).join(" and ");
      return `This picture holds no ${names}: ${idle.length > 1 ? "those lifts do" : "that lift does"} nothing here.`;
    },
    /** Lifts that go beyond what the file's colour carries. */
    holdsWords() {
      const { lifts, on } = bench.work.recipe.mix;
      if (!on || bench.work.step !== "mix") return "";
      const beyond = Object.entries(bench.frame.holds).filter(([name, stops]) => Math.abs(lifts[name]) > stops);
      if (!beyond.length) return "";
      beyond.sort(([one, held], [other, more]) => Math.abs(lifts[other]) / more - Math.abs(lifts[one]) / held);
      const told = beyond.slice(0, MOST_TOLD).map(([name, stops]) => `${name} to about ${stops} ${stops === 1 ? "stop" : "stops"}`);
      return `This file’s colour carries ${told.join(" and ")}: beyond that its faults show.`;
    },
    mergingWords() {
      return this.merging ? `${this.merging.apart.toFixed(1)} L* apart` : "";
    },
    mergingChip() {
      return `Merging: ${this.mergingCount} ${this.mergingCount === 1 ? "pair" : "pairs"}`;
    },
    // finding lifts
    async find(what, body, said) {
      if (this.busyWith) return;
      this.busyWith = what;
      bench.frame.waiting = true;
      try {
        const found = await ask("POST", address(what), { recipe: copy(bench.work.recipe), ...body });
        Object.assign(bench.work.recipe.mix.lifts, found.lifts);
        bench.work.settle();
        bench.work.tellStep(`${said}: ${found.words}.`);
      } catch (problem) {
        bench.frame.waiting = false;
        say(problem.message);
      }
      this.busyWith = "";
    },
    balance() {
      return this.find("balance", { strength: this.strength }, `Balance at ${this.strength}`);
    },
    setStrength(event) {
      const number = Number(event.target.value);
      this.strength = Number.isFinite(number) ? clamp(Math.round(number), 0, 100) : 70;
      event.target.value = this.strength;
    },
    tornWords() {
      if (!this.torn) return "";
      const [one, other] = this.torn.ranges;
      return `${one[0].toUpperCase()}${one.slice(1)} and ${other} tear what lies between them.`;
    },
    /** Draw the two lifts that tear a surface together, each by a quarter of what lies between them. */
    soften() {
      if (!this.torn) return;
      const { lifts } = bench.work.recipe.mix;
      const [one, other] = this.torn.ranges;
      const quarter = (lifts[other] - lifts[one]) / 4;
      lifts[one] = tenth(lifts[one] + quarter);
      lifts[other] = tenth(lifts[other] - quarter);
      bench.work.settle();
      bench.work.tellStep(`${one} and ${other} drawn together`);
    },
    separate() {
      return this.find("separate", { colours: this.merging.colours }, "Separated");
    },
    // guard
    guardIsAuto() {
      return bench.work.recipe.mix.guard === "auto";
    },
    guardWords() {
      return this.guardIsAuto() ? bench.frame.trust.words : "";
    },
    toggleGuard() {
      bench.work.recipe.mix.guard = this.guardIsAuto() ? Math.round(bench.frame.trust.coarse * 100) : "auto";
      bench.work.settle();
    },
    columnFocus: null,
    readMap(figures) {
      this.shares = Object.fromEntries(figures.ranges.map((range) => [range.name, range.share]));
      bench.picked.pickedShares = figures.picked.map(({ share }) => share);
      this.mergingCount = figures.merging.length;
      this.merging = figures.merging[0] || null;
      this.torn = figures.torn[0] || null;
      if (!this.merging) return;
      bench.refs.mergeOne.style.background = this.merging.colours[0];
      bench.refs.mergeTwo.style.background = this.merging.colours[1];
    },
  };
}

/** @param {number} stops */
const tenth = (stops) => Math.round(stops * 10) / 10;

/** A share of the picture in words. */
export function shareWords(share) {
  if (share === undefined) return "";
  return share < 0.005 && share > 0 ? "<1 %" : percent(share, 0);
}
