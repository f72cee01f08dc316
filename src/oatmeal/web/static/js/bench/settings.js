// The declared settings, as the server serves them with the page: words, limits, step, rest.

import { clamp } from "./paths.js";

/**
 * @typedef {object} Setting
 * @property {string} words
 * @property {"number"|"switch"|"choice"|"text"|"colour"|"curve"|"list"|"lines"|"coefficients"} kind
 * @property {string} [unit]
 * @property {number} [low]
 * @property {number} [high]
 * @property {number} [step]
 * @property {number} [trial] distance between the bands of a test strip; none: it is not offered there
 * @property {[number, number]} [within] what a test strip tries at the most
 * @property {any} [rest]
 * @property {boolean} [signed]
 * @property {boolean} [area]
 * @property {string[]} [choices]
 * @property {string} group
 */

/**
 * The path under which the value at a path of a recipe is declared: a base's kind is named, and any item
 * of a list or named number is `*`.
 * @param {string} path such as "mix.base.red" or "mix.picked.0.lift"
 * @param {any} recipe
 */
export function patternOf(path, recipe) {
  const kind = recipe.mix.base.kind;
  return path
    .replace(/^mix\.base\./, `mix.base:${kind}.`)
    .replace(/^(mix\.picked|areas\.list|areas\.groups|finish\.kept\.colours)\.\d+\./, "$1.*.")
    .replace(/\.parameters\.[^.]+\./, ".parameters.*.");
}

/**
 * The declaration of the value at a path.
 * @param {Object<string, Setting>} settings @param {string} path @param {any} recipe
 * @returns {Setting}
 */
export function declared(settings, path, recipe) {
  const found = settings[patternOf(path, recipe)];
  if (!found) throw new Error(`no setting is declared at ${path}`);
  return found;
}

/**
 * Where the settings declared under a path stand in a recipe: one place for each item of a list; none where
 * the recipe has another base.
 * @param {string} pattern @param {any} recipe
 * @returns {string[]}
 */
export function placesOf(pattern, recipe) {
  const base = /^mix\.base:(\w+)\.(.*)$/.exec(pattern);
  if (base && base[1] !== recipe.mix.base.kind) return [];
  const path = base ? `mix.base.${base[2]}` : pattern;
  if (!path.includes(".*.")) return [path];
  const [owner, key] = path.split(".*.");
  const items = owner.split(".").reduce((node, name) => node?.[name], recipe) || {};
  return Object.keys(items).map((item) => `${owner}.${item}.${key}`);
}

/** A number as far as a setting allows it, to the hundredth. @param {Setting} setting @param {number} number */
export const within = ({ low, high }, number) => clamp(Math.round(number * 100) / 100, low, high);

/**
 * Where black or white of the scale may stand: each stops before the other.
 * @param {import("./bench.js").Vocabulary} vocabulary @param {any} levels
 * @param {"black"|"white"} name @param {number} code
 */
export function endWithin({ settings, level_gap: gap }, levels, name, code) {
  const { low, high } = settings[`tone.levels.${name}`];
  return name === "black" ? clamp(code, low, levels.white - gap) : clamp(code, levels.black + gap, high);
}
