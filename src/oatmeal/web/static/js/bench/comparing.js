// Comparing: another state of the photograph beside the present one, and the frame without one step.
import { ask, say } from "../api.js";
import { Frames } from "./frames.js";
import { copy, same } from "./paths.js";
import { follow } from "./svg.js";
import { band } from "./toneband.js";

const OWN = { colour: "colour original", plain: "plain conversion" };
const STEP = 0.02;
const WORDS_MS = 250;

/** The part of the bench that compares; needs `versions`, `steps` and `wish`. */
export function comparing(photograph, version, parts) {
  let asides;
  let withouts;
  let others = 0;
  return {
    comparing: false,
    compareMode: "split",
    compareWith: "colour",
    compareRecipe: null,
    differences: [],
    comparedZones: null,
    flipping: false,
    withoutStep: "",
    divider: 50,

    toggleCompare() {
      if (this.comparing) this.leaveCompare();
      else this.beginCompare(this.compareWith);
    },
    async beginCompare(source) {
      if (this.strip) this.leaveStrip();
      this.comparing = true;
      if (!this.steps.length) await this.readHistory();
      await this.chooseCompared(source);
    },
    leaveCompare() {
      this.comparing = false;
      this.flipping = false;
      const { picture } = parts();
      picture.flipped = false;
      picture.compared = null;
      this.arrange();
    },
    setCompareMode(mode) {
      this.compareMode = mode;
      this.arrange();
      this.askCompared();
    },

    /** What the other side may be, in groups. */
    compareGroups() {
      const groups = [{ words: "this photograph", choices: Object.entries(OWN).map(([id, words]) => ({ id, words })) }];
      const versions = this.versions.filter(({ id }) => id !== version.id).map(({ id, name }) => ({ id: `version:${id}`, words: name }));
      if (versions.length) groups.push({ words: "versions", choices: versions });
      const kept = this.steps.filter((step) => step.kept).map(({ id, kept: name }) => ({ id: `kept:${id}`, words: name }));
      if (kept.length) groups.push({ words: "kept states", choices: kept });
      const steps = this.steps.map(({ id, words, at, now }) => ({ id: `step:${id}`, words: `${this.when(at)} ${words}${now ? " (now)" : ""}` }));
      if (steps.length) groups.push({ words: "history", choices: steps });
      return groups;
    },
    comparedWords() {
      const choices = this.compareGroups().flatMap((group) => group.choices);
      return choices.find(({ id }) => id === this.compareWith)?.words || OWN.colour;
    },
    async chooseCompared(source) {
      const { picture } = parts();
      this.compareWith = source;
      this.compareRecipe = null;
      this.comparedZones = null;
      others += 1;
      const wanted = others;
      if (source in OWN) picture.compared = { layer: source };
      else {
        try {
          const recipe = await this.recipeOf(source);
          if (wanted !== others) return;
          this.compareRecipe = recipe;
        } catch (problem) {
          say(problem.message);
          await this.chooseCompared("colour");
          return;
        }
        picture.compared = { whole: {}, part: {} };
      }
      this.arrange();
      this.askCompared();
      this.tellDifferences();
    },
    async recipeOf(source) {
      const [kind, id] = source.split(":");
      if (kind === "version") return (await ask("GET", `/api/versions/${id}`)).recipe;
      return (await ask("GET", `/api/versions/${version.id}/history/${id}`)).recipe;
    },
    /** Ask for the other side as it is needed for what is in view. */
    askCompared() {
      const { picture } = parts();
      if (!this.comparing || !this.compareRecipe) return;
      const { region, side } = picture;
      const { compared } = picture;
      asides ??= new Frames(photograph.id, (frame) => this.comparedArrived(frame), (problem) => say(problem.message));
      const wish = { recipe: copy(this.compareRecipe), layers: ["grey"], side };
      if (region && compared.whole.grey) asides.ask({ ...wish, region });
      else asides.ask(wish);
    },
    comparedArrived(frame) {
      const { picture } = parts();
      const { compared } = picture;
      if (!compared?.whole || !same(frame.wish.recipe, this.compareRecipe)) return;
      const layer = { width: frame.width, height: frame.height, region: frame.region, data: frame.layers.grey };
      if (frame.region) compared.part.grey = layer;
      else compared.whole.grey = layer;
      this.comparedZones = frame.figures.zones;
      picture.paint();
      this.showBands();
      if (picture.region && !frame.region) this.askCompared();
    },
    showBands() {
      const { bandCompared } = this.$refs;
      if (this.comparing && this.comparedZones) band(bandCompared, this.comparedZones, this.vocabulary.codes, false);
    },
    /** The differences between both sides, in plain words. */
    tellDifferences() {
      clearTimeout(this.differing);
      if (!this.comparing || this.compareWith === "colour") {
        this.differences = [];
        return;
      }
      this.differing = setTimeout(async () => {
        const before = this.compareRecipe || { name: this.recipe.name, prepare: copy(this.recipe.prepare) };
        try {
          const { words } = await ask("POST", "/api/differences", { before: copy(before), after: copy(this.recipe) });
          this.differences = words;
        } catch (problem) {
          say(problem.message);
        }
      }, WORDS_MS);
    },
    differenceWords() {
      if (this.compareWith === "colour") return "";
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
      parts().picture.divideAt(event);
      this.divider = Math.round(parts().picture.divider * 100);
    },
    dividerKey(event) {
      const { picture } = parts();
      const step = STEP * (event.shiftKey ? 5 : 1);
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
      const { picture } = parts();
      picture.flipped = on;
      picture.lay();
    },

    /** While held: the frame without the step that is open. */
    without(on) {
      const { picture } = parts();
      if (!on) {
        this.withoutStep = "";
        picture.instead = null;
        picture.paint();
        return;
      }
      this.withoutStep = this.step;
      const recipe = copy(this.recipe);
      recipe[this.step].on = false;
      withouts ??= new Frames(photograph.id, (frame) => this.withoutArrived(frame), (problem) => say(problem.message));
      withouts.ask({ recipe, layers: ["grey"], side: picture.side, region: picture.region });
    },
    withoutArrived(frame) {
      const { picture } = parts();
      if (!this.withoutStep) return;
      const layer = { width: frame.width, height: frame.height, region: frame.region, data: frame.layers.grey };
      picture.instead = { whole: { grey: frame.region ? picture.whole.grey : layer }, part: { grey: frame.region ? layer : null } };
      picture.paint();
    },
    release() {
      if (this.showing !== "grey") this.show("grey");
      if (this.flipping) this.flip(false);
      if (this.withoutStep) this.without(false);
    },
  };
}
