// The base of the mix: which one is in force, and which one is only looked at.
import { copy, same, words } from "./paths.js";
import { nextTick } from "./ticks.js";

/**
 * The base of the mix. Pressing one opens its group; the picture changes when something in it is set.
 * @param {Pick<import("./bench.js").Bench, "films" | "starting" | "vocabulary" | "work">} bench
 */
export function basing(bench) {
  return {
    /** Each kind as it was last left. */
    kept: copy(bench.vocabulary.bases),
    /** The kind that is looked at while another one is in force. */
    looked: "",

    inForce() {
      return bench.work.recipe.mix.base;
    },
    looking() {
      return this.looked !== "" && this.looked !== this.inForce().kind;
    },
    /** The base whose group is open. */
    now() {
      return this.looking() ? this.kept[this.looked] : this.inForce();
    },
    /** The recipe as it would be with the base that is looked at. */
    recipe() {
      const { recipe } = bench.work;
      return this.looking() ? { ...recipe, mix: { ...recipe.mix, base: this.now() } } : recipe;
    },
    open(kind) {
      this.looked = kind;
      if (this.looking() && kind === "film") bench.films.look(copy(this.recipe()));
      if (kind === "plain") nextTick(() => bench.starting.drawPlain()); // on canvases that are new
    },
    /** Let what is looked at be in force, from here on. */
    take() {
      if (this.looking()) this.become(copy(this.now()));
      return this.inForce();
    },
    /** Let a base be in force; the one before is kept as it was. @param {any} base */
    become(base) {
      const before = this.inForce();
      if (before.kind !== base.kind) this.kept[before.kind] = copy(before);
      this.looked = "";
      bench.work.recipe.mix.base = base;
    },
    /** One step: let a base be in force. @param {any} base */
    choose(base) {
      this.become(copy(base));
      bench.work.settle();
    },
    use() {
      this.take();
      bench.work.settle();
    },
    lookingWords() {
      return this.looking() ? `only looked at: still ${bench.vocabulary.base_names[this.inForce().kind]}` : "";
    },

    // channels, six colours
    toggleLight() {
      const base = this.take();
      base.light = base.light === "linear" ? "encoded" : "linear";
      bench.work.settle();
    },
    totalWords() {
      const { red, green, blue } = this.now();
      return `sum ${words(red + green + blue)} %`;
    },
    /** Channels as a start sets them. @param {string} name */
    withChannels(name) {
      const [red, green, blue] = bench.vocabulary.channel_starts[name];
      return { ...copy(this.now()), red, green, blue };
    },
    equalsLuma() {
      return same(this.now(), bench.vocabulary.bases.six);
    },
    lumaWords() {
      return this.equalsLuma() ? "equal to luma" : "percent of grey for each pure colour";
    },
    equalLuma() {
      this.choose(bench.vocabulary.bases.six);
    },
  };
}
