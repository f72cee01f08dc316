// The work: the recipe as it stands, saving it, undo, and which step is open.
import Alpine from "../common.js";
import { say } from "../api.js";
import { bind } from "./panels.js";
import { copy, same } from "./paths.js";

const SOON_MS = 500;

/**
 * The recipe as it stands, and saving it.
 * @param {Pick<import("./bench.js").Bench, "areas" | "base" | "compare" | "crop" | "finish" | "formula" | "frame" | "history" | "light" | "parts" | "picked" | "version" | "vocabulary" | "spots" | "strips" | "trying">} bench
 */
export function working(bench) {
  const { version, vocabulary } = bench;
  /** @type {ReturnType<typeof setTimeout>|undefined} */
  let soon;
  /** Grows with every step, so that a line that offers to undo one knows that another followed. */
  const steps = Alpine.reactive({ made: 0 });
  return {
    /** @type {import("../types/recipe.js").Recipe} */
    recipe: copy(version.recipe),
    rest: vocabulary.rest,
    step: opened(vocabulary.steps),
    /** What the page shows of saving. @type {{words: string, trouble: boolean, conflict: boolean, undo: string|null, redo: string|null}} */
    saver: { words: "", trouble: false, conflict: false, undo: null, redo: null },

    /** Bring back what an earlier page could not save. */
    recover() {
      const { saver } = bench.parts;
      const left = saver.unsaved();
      if (!left) return;
      const { revision, recipe, moves = [] } = left;
      const unseen = recipe && !same(recipe, version.recipe); // otherwise the server has it
      if (unseen) this.recipe = recipe;
      if (revision !== saver.revision) {
        saver.remember();
        if (!unseen) return;
        saver.newer = copy(version);
        saver.queue = [{ recipe }];
        this.saver.conflict = true;
      } else {
        saver.remember();
        if (unseen) saver.save(recipe);
        for (const move of moves) saver.add(move);
      }
    },

    /** Something is being moved: show it as it moves. */
    changing() {
      bench.compare.faceNow();
      bench.crop.draw();
      if (!bench.crop.drawsItself()) bench.frame.ask(true);
      bench.parts.scale.draw();
      bench.parts.field.draw();
    },
    /** A change is done, or will be `soon`: one undo step. @param {"soon"} [when] */
    settle(when) {
      clearTimeout(soon);
      bench.compare.faceNow();
      bench.frame.waiting = true;
      if (when === "soon") soon = setTimeout(() => this.settleNow(), SOON_MS);
      else this.settleNow();
    },
    settleNow() {
      clearTimeout(soon);
      const { saver, scale } = bench.parts;
      if (saver.save(this.recipe)) steps.made += 1;
      bench.finish.draw();
      scale.draw();
      bench.parts.field.draw();
      bench.crop.draw();
      bench.frame.ask(false);
      bench.compare.framesChanged();
      bench.compare.tellDifferences();
      return saver.flush().then(() => bench.history.historyChanged());
    },
    /** How many steps were made on this page: whoever made one knows whether another followed. */
    made() {
      return steps.made;
    },
    /** Let a whole other recipe be worked on; what pointed into the one before is let go of. */
    adopt(recipe) {
      this.recipe = recipe;
      bench.base.looked = "";
      bench.formula.draft = "";
      bench.formula.formulaError = "";
      bench.picked.pickedOpen = null;
      bench.areas.replaced();
    },
    /** Another recipe is in force: undo, a step of the history, a newer state. */
    replace(recipe) {
      bench.compare.faceNow();
      steps.made += 1;
      this.adopt(recipe);
      bench.trying.leave();
      bench.parts.scale.draw();
      bench.parts.field.draw();
      bench.crop.draw();
      bench.finish.draw();
      bench.frame.ask(false);
      bench.compare.framesChanged();
      bench.compare.tellDifferences();
      bench.history.historyChanged();
    },
    /** The whole photograph as it was taken: one step. */
    asTaken() {
      this.settleNow();
      this.replace({ ...copy(vocabulary.rest), name: this.recipe.name });
      this.settleNow();
      this.tellStep("Everything is as taken.");
    },
    goToStep(id) {
      this.settleNow();
      return bench.parts.saver.go(id);
    },
    /** What is heard of what happened. */
    told: "",
    /** @param {string} words */
    tell(words) {
      this.told = this.told === words ? `${words}\u00a0` : words;
    },
    /** What was undone can be done again, and the other way round: that is the step that is told. @param {"undo"|"redo"} which @param {string} word */
    async stepped(which, word) {
      await bench.parts.saver.step(which);
      const step = this.saver[which === "undo" ? "redo" : "undo"];
      if (step) this.tell(`${word}: ${step}`);
    },
    undo() {
      this.settleNow();
      return this.stepped("undo", "Undone");
    },
    redo() {
      this.settleNow();
      return this.stepped("redo", "Redone");
    },
    /** Tell of the step just made, with *Undo* as long as it is the last one. @param {string} text */
    tellStep(text) {
      const { made } = steps;
      say(text, "Undo", () => this.undo(), () => steps.made === made);
    },
    undoTitle() {
      return this.saver.undo ? `Undo: ${this.saver.undo} (Ctrl Z)` : "Nothing to undo";
    },
    redoTitle() {
      return this.saver.redo ? `Redo: ${this.saver.redo} (Ctrl Shift Z)` : "Nothing to redo";
    },
    showNewer() {
      bench.parts.saver.showNewer();
    },
    takeOver() {
      bench.parts.saver.takeOver();
    },

    /** @param {string} step */
    open(step) {
      if (bench.strips.strip) bench.strips.leaveStrip();
      bench.spots.endWay();
      bench.crop.endDrawing();
      this.tell(vocabulary.steps.find(({ id }) => id === step)?.title ?? "");
      bind(step);
      this.step = step;
      bench.areas.alone = false;
      sessionStorage.setItem("step", step);
      bench.light.look();
    },
    /** Arrows lead from tab to tab. @param {KeyboardEvent} event */
    tabKey(event) {
      const screens = vocabulary.steps.filter(({ screen }) => screen);
      const here = screens.findIndex(({ id }) => id === this.step);
      const to = { ArrowLeft: here - 1, ArrowRight: here + 1, Home: 0, End: screens.length - 1 }[event.key];
      if (to === undefined || event.ctrlKey || event.metaKey || event.altKey) return;
      event.preventDefault();
      event.stopPropagation();
      const place = (to + screens.length) % screens.length;
      this.open(screens[place].id);
      /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll(".steps [role=tab]"))[place].focus();
    },
    /** What the open step is called. */
    stepTitle() {
      return vocabulary.steps.find(({ id }) => id === this.step)?.title || "";
    },
  };
}

/** The step that was open last, or the first one that makes greys. */
function opened(steps) {
  const screens = steps.filter(({ screen }) => screen);
  const last = sessionStorage.getItem("step");
  return (screens.find(({ id }) => id === last) || screens.find(({ colour }) => !colour)).id;
}
