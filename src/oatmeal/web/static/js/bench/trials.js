// What is shown while something rests on a choice: the recipe as it would be, by kind of choice.
import { copy } from "./paths.js";

/** @typedef {{words: string, recipe: any}} Trial */
/** @typedef {Pick<import("./bench.js").Bench, "base" | "compare" | "drawer" | "films" | "finish" | "history" | "vocabulary" | "work">} Needs */

/** @param {Needs} bench @param {string} words @param {any} base @returns {Trial} */
function withBase(bench, words, base) {
  const recipe = copy(bench.work.recipe);
  recipe.mix.base = base;
  return { words, recipe };
}

/** @param {Needs} bench @param {string} words @param {any} values of the step Tone @returns {Trial} */
function withTone(bench, words, values) {
  const recipe = copy(bench.work.recipe);
  Object.assign(recipe.tone, values);
  return { words, recipe };
}

/** By the first part of what an element says it lets try. @type {Object<string, (bench: Needs, name: string) => Trial|null|Promise<Trial|null>>} */
export const TRIALS = {
  film: (bench, name) => withBase(bench, `${name} film`, bench.films.withOther("film", name)),
  filter: (bench, name) => withBase(bench, name === "none" ? "no filter" : `${name} filter`, bench.films.withOther("filter", name)),
  second: (bench, name) => withBase(bench, name === "none" ? "no second filter" : `${name} filter as well`, bench.films.withOther("second", name)),
  weighing: (bench, weighing) => withBase(bench, weighing, { kind: "plain", weighing }),
  channels: (bench, name) => withBase(bench, `channels for ${name}`, bench.base.withChannels(name)),
  curve: (bench, name) => withTone(bench, `curve ${name}`, { curve: copy(bench.vocabulary.curves[name]) }),
  character: (bench, character) => withTone(bench, `${character} clarity`, { character }),
  finish: (bench, what) => {
    const [part, name] = what.split("/");
    const recipe = copy(bench.work.recipe);
    Object.assign(recipe.finish[part], bench.finish.start(part, name));
    return { words: name, recipe };
  },
  offered: (bench, key) => bench.drawer.trial(key),
  step: async (bench, id) => {
    const step = bench.history.steps.find((one) => String(one.id) === id);
    if (!step || step.now) return null;
    return { words: `the state of ${bench.history.when(step.at)}`, recipe: bench.compare.inPresentFrame(await bench.compare.recipeOf(`step:${id}`)) };
  },
};
