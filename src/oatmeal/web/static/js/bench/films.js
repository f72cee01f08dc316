// The base Film: which film, which filter, their edges, what they cost.
import { SpectrumStrip } from "./film.js";
import { copy, words } from "./paths.js";

/**
 * A lens filter over a film.
 * @param {Pick<import("./bench.js").Bench, "parts" | "vocabulary" | "work">} bench
 */
export function filming(bench) {
  return {
    /** @type {any} */
    film: null,
    // film
    chooseFilm(event) {
      const { film_edges: _, ...base } = bench.work.recipe.mix.base;
      bench.work.recipe.mix.base = { ...base, film: event.target.value };
      bench.work.settle();
    },
    chooseFilter(event) {
      const { filter_edges: _, ...base } = bench.work.recipe.mix.base;
      bench.work.recipe.mix.base = { ...base, filter: event.target.value };
      bench.work.settle();
    },
    filmEdges(which, edges) {
      bench.work.recipe.mix.base[`${which}_edges`] = edges;
      bench.work.changing();
    },
    ownEdges(which) {
      return Boolean(bench.work.recipe.mix.base[`${which}_edges`]);
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
      bench.work.bases.film = copy(bench.work.recipe.mix.base);
      bench.work.recipe.mix.base = { ...copy(bench.vocabulary.bases.channels), red, green, blue, light: "linear" };
      bench.work.settle();
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
