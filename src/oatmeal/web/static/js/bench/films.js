// The base Film: which film, which filter, their edges, what they cost.
import { say } from "../api.js";
import { SpectrumStrip } from "./film.js";
import { copy, words } from "./paths.js";

/**
 * A lens filter over a film.
 * @param {Pick<import("./bench.js").Bench, "base" | "frame" | "parts" | "vocabulary" | "work">} bench
 */
export function filming(bench) {
  return {
    /** @type {any} */
    film: null,
    // film
    /** The base with another film or filter, which takes its own edges again. @param {"film"|"filter"|"second"} which @param {string} name */
    withOther(which, name) {
      const { [`${which}_edges`]: _, ...base } = copy(bench.base.now());
      return { ...base, [which]: name };
    },
    choose(which, name) {
      bench.base.choose(this.withOther(which, name));
    },
    filterWords() {
      const { filter } = bench.base.now();
      return filter === "none" ? "no filter" : `${filter} filter`;
    },
    secondWords() {
      const { second } = bench.base.now();
      return second === "none" ? "+ second" : `+ ${second}`;
    },
    /** What a film looks like that is only looked at. @param {any} recipe */
    async look(recipe) {
      try {
        const { figures } = await bench.frame.try(recipe);
        if (bench.base.looking()) this.show(figures.film);
      } catch (problem) {
        say(problem.message);
      }
    },
    show(film) {
      this.film = film;
      if (film) bench.parts.spectrum?.show(film);
    },
    filmEdges(which, edges) {
      bench.base.take()[`${which}_edges`] = edges;
      bench.work.changing();
    },
    ownEdges(which) {
      return Boolean(bench.base.now()[`${which}_edges`]);
    },
    costWords() {
      return this.film ? `costs ${words(this.film.cost)} ${this.film.cost === 1 ? "stop" : "stops"}` : "";
    },
    equalWords() {
      if (!this.film) return "";
      const [red, green, blue] = this.film.channels.map((share) => words(Math.round(share)));
      return `equal to red ${red}, green ${green}, blue ${blue} %`;
    },
    takeAsChannels() {
      const [red, green, blue] = this.film.channels;
      bench.base.choose({ ...bench.vocabulary.bases.channels, red, green, blue, light: "linear" });
    },
    /** The spectrum strip is drawn into the place that its base opens. */
    openSpectrum(holder) {
      bench.parts.spectrum = new SpectrumStrip(holder, bench.vocabulary, {
        edges: (which, edges) => this.filmEdges(which, edges),
        settle: (when) => bench.work.settle(when),
      });
      if (this.film) bench.parts.spectrum.show(this.film);
    },
  };
}
