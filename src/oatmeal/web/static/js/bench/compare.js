// Comparing: another state of the photograph beside the present one, and the frame without one step.
import { ask, say } from "../api.js";
import { Frames } from "./frames.js";
import { finished } from "./greys.js";
import { copy, same } from "./paths.js";
import { follow } from "./svg.js";
import { band } from "./toneband.js";

const OWN = { colour: "colour original", plain: "plain conversion", taken: "colour, unframed" };
const NOW = "now";
const STEP = 0.02;
/** With Shift a step is this share of itself. */
const FINE = 0.25;
const WORDS_MS = 250;

/**
 * Another state of the photograph beside the present one, and the frame without one step.
 * @param {Pick<import("./bench.js").Bench, "areas" | "crop" | "frame" | "history" | "light" | "parts" | "photograph" | "refs" | "sight" | "strips" | "version" | "versions" | "vocabulary" | "work">} bench
 */
export function comparing(bench) {
  const { photograph, version } = bench;
  const asked = {};
  return {
    comparing: false,
    compareMode: "split",
    compareWith: "colour",
    faceWith: NOW,
    recipes: { left: null, right: null },
    /** In words; null while they are being read. @type {string[]|null} */
    differences: null,
    comparedZones: null,
    flipping: false,
    withoutStep: "",
    divider: 50,
    asking: false,
    /** Ask for a frame that is not the present one. */
    askAside(name, wish, arrived) {
      const idle = () => { this.asking = Object.values(asked).some(({ busy }) => busy); };
      asked[name] ??= new Frames(photograph.id, arrived, (problem) => say(problem.message), idle);
      this.asking = true;
      asked[name].ask(() => wish);
    },
    toggleCompare() {
      if (this.comparing) this.leaveCompare();
      else this.beginCompare(this.compareWith);
    },
    async beginCompare(source) {
      if (bench.strips.strip) bench.strips.leaveStrip();
      this.comparing = true;
      bench.work.tell("Comparing");
      if (!bench.history.steps.length) await bench.history.readHistory();
      await this.chooseSide("left", source);
    },
    leaveCompare() {
      this.comparing = false;
      bench.work.tell("No longer comparing");
      this.flipping = false;
      this.faceWith = NOW;
      const { picture } = bench.parts;
      picture.flipped = false;
      picture.compared = null;
      picture.facing = null;
      bench.sight.arrange();
    },
    setCompareMode(mode) {
      this.compareMode = mode;
      if (mode === "split" && this.compareWith === "taken") this.chooseSide("left", "colour");
      if (mode === "split" && this.faceWith === "taken") this.chooseSide("right", NOW);
      bench.sight.arrange();
      this.askCompared();
    },
    /** What a side may be, in groups. */
    compareGroups() {
      const groups = [{ words: "this photograph", choices: Object.entries(OWN).map(([id, words]) => ({ id, words })) }];
      const versions = bench.versions.versions.filter(({ id }) => id !== version.id).map(({ id, name }) => ({ id: `version:${id}`, words: name }));
      if (versions.length) groups.push({ words: "versions", choices: versions });
      const kept = bench.history.steps.filter((step) => step.kept).map(({ id, kept: name }) => ({ id: `kept:${id}`, words: name }));
      if (kept.length) groups.push({ words: "kept states", choices: kept });
      const steps = bench.history.steps.map(({ id, words, at, now }) => ({ id: `step:${id}`, words: `${bench.history.when(at)} ${words}${now ? " (now)" : ""}` }));
      if (steps.length) groups.push({ words: "history", choices: steps });
      return groups;
    },
    sourceWords(source) {
      if (source === NOW) return bench.versions.versionName();
      const choices = this.compareGroups().flatMap((group) => group.choices);
      return choices.find(({ id }) => id === source)?.words || OWN.colour;
    },
    comparedWords() {
      return this.sourceWords(this.compareWith);
    },
    /**
     * @param {"left"|"right"} side @param {string} source colour, plain, or a version or step with its number; the
     *   right side may be the present state too
     */
    async chooseSide(side, source) {
      const { picture } = bench.parts;
      const slot = side === "left" ? "compared" : "facing";
      this[side === "left" ? "compareWith" : "faceWith"] = source;
      this.recipes[side] = null;
      this.differences = null;
      if (side === "left") this.comparedZones = null;
      if (source === NOW) picture[slot] = null;
      else if (source === "taken") {
        picture[slot] = { whole: {}, part: {}, own: true };
        this.compareMode = "beside";
      } else if (source in OWN) picture[slot] = { layer: source };
      else {
        const other = { whole: {}, part: {} };
        picture[slot] = other;
        try {
          const recipe = await this.recipeOf(source);
          if (picture[slot] !== other) return;
          this.recipes[side] = recipe;
        } catch (problem) {
          say(problem.message);
          await this.chooseSide(side, side === "left" ? "colour" : NOW);
          return;
        }
      }
      bench.sight.arrange();
      this.askCompared();
      this.tellDifferences();
    },
    async recipeOf(source) {
      const [kind, id] = source.split(":");
      if (kind === "version") return (await ask("GET", `/api/versions/${id}`)).recipe;
      return (await ask("GET", `/api/versions/${version.id}/history/${id}`)).recipe;
    },
    /** Whoever changes something wants to see it. */
    faceNow() {
      if (this.faceWith !== NOW) this.chooseSide("right", NOW);
    },
    /** Ask for the sides as they are needed for what is in view. */
    askCompared() {
      if (!this.comparing) return;
      for (const side of ["left", "right"]) {
        if (this.recipes[side]) this.askSide(side);
        else if ((side === "left" ? this.compareWith : this.faceWith) === "taken") this.askTaken(side);
      }
    },
    /** What is compared lies in the present frame, so that the same places face each other. */
    framesChanged() {
      if (this.comparing) this.askCompared();
    },
    inPresentFrame(recipe) {
      const { frame, lens } = bench.work.recipe.prepare;
      return copy({ ...recipe, prepare: { ...recipe.prepare, frame, lens } });
    },
    /** The colour original with nothing cut away, fitted into its pane. */
    askTaken(side) {
      const { picture } = bench.parts;
      const other = side === "left" ? picture.compared : picture.facing;
      if (!other?.whole || other.whole.colour) return;
      const { whole } = other;
      const wish = { recipe: copy(bench.work.recipe), layers: ["colour"], side: picture.view.fitSide(photograph.file), framing: "taken", measured: false };
      this.askAside(side, wish, (frame) => {
        const now = side === "left" ? picture.compared : picture.facing;
        if (now !== other) return;
        whole.colour = { width: frame.width, height: frame.height, region: null, data: frame.layers.colour };
        picture.paint();
      });
    },
    askSide(side) {
      const { picture } = bench.parts;
      const other = side === "left" ? picture.compared : picture.facing;
      const wish = { recipe: this.inPresentFrame(this.recipes[side]), layers: ["grey"], side: picture.side };
      if (picture.region && other?.whole?.grey) wish.region = picture.region;
      this.askAside(side, wish, (frame) => this.sideArrived(side, frame));
    },
    sideArrived(side, frame) {
      const { picture } = bench.parts;
      const other = side === "left" ? picture.compared : picture.facing;
      if (!other?.whole || !other.part || !same(frame.wish.recipe, this.inPresentFrame(this.recipes[side]))) return;
      const layer = finished(frame);
      if (frame.region) other.part.grey = layer;
      else other.whole.grey = layer;
      if (side === "left") this.comparedZones = frame.figures.zones;
      picture.paint();
      this.showBands();
      if (picture.region && !frame.region) this.askSide(side);
    },
    showBands() {
      const { bandCompared } = bench.refs;
      if (this.comparing && this.comparedZones) band(bandCompared, this.comparedZones, bench.vocabulary.codes, false);
    },
    /** The recipe of a side, or null where that is the colour original. */
    sideRecipe(side) {
      const source = side === "left" ? this.compareWith : this.faceWith;
      if (source === NOW) return bench.work.recipe;
      if (source === "taken") return null;
      if (source === "plain") {
        const kept = bench.vocabulary.steps.filter(({ colour }) => colour).map(({ id }) => [id, bench.work.recipe[id]]);
        return { name: bench.work.recipe.name, ...Object.fromEntries(kept) };
      }
      return this.recipes[side];
    },
    /** The differences between both sides, in plain words. */
    tellDifferences() {
      clearTimeout(this.differing);
      const sides = () => [this.sideRecipe("left"), this.sideRecipe("right")];
      if (!this.comparing || sides().includes(null)) return;
      this.differing = setTimeout(async () => {
        try {
          const [before, after] = copy(sides());
          if (!before || !after) return;
          const { words } = await ask("POST", "/api/differences", { before, after });
          if (same(sides(), [before, after])) this.differences = words; // otherwise they are asked for again
        } catch (problem) {
          this.differences ??= ["the settings could not be compared"];
          say(problem.message);
        }
      }, WORDS_MS);
    },
    differenceWords() {
      const own = (/** @type {string} */ source) => source === "colour" || source === "taken";
      if (own(this.compareWith) || own(this.faceWith)) return ""; // no treatment, whose settings could differ
      if (!this.differences) return "reading the settings …";
      return this.differences.length ? this.differences.join(" · ") : "no difference in settings";
    },
    // the divider
    grabDivider(event) {
      if (event.button !== 0) return;
      event.stopPropagation();
      event.preventDefault();
      event.currentTarget.focus({ preventScroll: true });
      follow(event.currentTarget, event, (next) => this.divide(next), () => {});
    },
    divide(event) {
      bench.parts.picture.divideAt(event);
      this.divider = Math.round(bench.parts.picture.divider * 100);
    },
    dividerKey(event) {
      const { picture } = bench.parts;
      const step = STEP * (event.shiftKey ? FINE : 1);
      const to = { ArrowLeft: picture.divider - step, ArrowRight: picture.divider + step, Home: 0, End: 1 }[event.key];
      if (to === undefined) return;
      event.preventDefault();
      event.stopPropagation();
      picture.setDivider(to);
      this.divider = Math.round(picture.divider * 100);
    },
    /** While held: the other side in the place of the present one. */
    flip(on) {
      if (!this.comparing) {
        if (on) this.beginCompare(this.compareWith).then(() => this.flip(true));
        return;
      }
      this.flipping = on;
      const { picture } = bench.parts;
      picture.flipped = on;
      picture.lay();
    },
    /** While held: the frame without the step that is open. */
    without(on) {
      const { picture } = bench.parts;
      if (!on) {
        this.withoutStep = "";
        picture.instead = null;
        picture.paint();
        return;
      }
      this.withoutStep = bench.work.step;
      const group = bench.work.step === "prepare" && bench.crop.mayBeOut() ? bench.crop.group : "";
      if (bench.light.layer() === "prepared" && !group) {
        picture.instead = { layer: "colour" };
        picture.paint();
        return;
      }
      const recipe = copy(bench.work.recipe);
      if (bench.areas.isOpen()) bench.areas.without(recipe);
      else if (group) recipe.prepare[`${group}_on`] = false;
      else if (bench.work.step !== "prepare") recipe[bench.work.step].on = false;
      else recipe.prepare = { ...copy(bench.vocabulary.rest.prepare), frame: recipe.prepare.frame, lens: recipe.prepare.lens };
      const wish = { recipe, layers: group && bench.light.layer() === "prepared" ? ["prepared"] : ["grey"], side: picture.side, region: picture.region };
      this.askAside("without", wish, (frame) => this.withoutArrived(frame));
    },
    withoutArrived(frame) {
      const { picture } = bench.parts;
      if (!this.withoutStep) return;
      const { width, height, region, layers } = frame;
      const layer = layers.prepared ? { width, height, region, data: layers.prepared } : finished(frame);
      picture.instead = { whole: { grey: frame.region ? picture.whole.grey : layer }, part: { grey: frame.region ? layer : null } };
      picture.paint();
    },
    release() {
      if (bench.sight.showing !== bench.light.layer()) bench.sight.show(bench.light.layer());
      if (this.flipping) this.flip(false);
      if (this.withoutStep) this.without(false);
    },
  };
}
