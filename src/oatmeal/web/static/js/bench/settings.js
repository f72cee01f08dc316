// The declared settings, as the server serves them with the page: words, limits, step, rest.

import { clamp } from "./paths.js";

/**
 * @typedef {object} Setting
 * @property {string} words
 * @property {"number"|"switch"|"choice"|"text"|"colour"|"curve"|"list"|"lines"|"coefficients"} kind
 * @property {string} [unit]
 * @property {number} low of a number, as the next two
 * @property {number} high
 * @property {number} step
 * @property {number} [trial] distance between the bands of a test strip; none: it is not offered there
 * @property {[number, number]} [within] what a test strip tries at the most
 * @property {any} [rest]
 * @property {boolean} [signed]
 * @property {boolean} [area]
 * @property {string[]} [choices]
 * @property {string} group
 */

/** Of each vocabulary the owners of open lists, such as `mix.picked.`, and of what comes in kinds. @type {WeakMap<object, any>} */
const shapes = new WeakMap();

/** @param {Object<string, Setting>} settings */
function shapeOf(settings) {
  if (!shapes.has(settings)) {
    const paths = Object.keys(settings);
    const open = new Set(paths.filter((path) => path.includes(".*.")).map((path) => path.split(".*.")[0]));
    shapes.set(settings, { open, kinds: new Set(paths.filter((path) => path.includes(":")).map((path) => path.split(":")[0])) });
  }
  return shapes.get(settings);
}

/**
 * The path under which the value at a path of a recipe is declared: a base's kind is named, and any item
 * of an open list is `*`.
 * @param {Object<string, Setting>} settings
 * @param {string} path such as "mix.base.red" or "mix.picked.0.lift"
 * @param {any} recipe
 */
export function patternOf(settings, path, recipe) {
  const { open, kinds } = shapeOf(settings);
  let node = recipe;
  let found = "";
  for (const key of path.split(".")) {
    found = open.has(found) ? `${found}.*` : found ? `${found}.${key}` : key;
    node = node?.[key];
    if (kinds.has(found)) found += `:${node.kind}`;
  }
  return found;
}

/**
 * The declaration of the value at a path.
 * @param {Object<string, Setting>} settings @param {string} path @param {any} recipe
 * @returns {Setting}
 */
export function declared(settings, path, recipe) {
  const found = settings[patternOf(settings, path, recipe)];
  if (!found) throw new Error(`no setting is declared at ${path}`);
  return found;
}

/**
 * Where the settings declared under a path stand in a recipe: one place for each item of a list; none where
 * the recipe has another kind.
 * @param {string} pattern @param {any} recipe
 * @returns {string[]}
 */
export function placesOf(pattern, recipe) {
  const at = (path) => path.split(".").reduce((node, name) => node?.[name], recipe);
  const kind = /^(.+?):(\w+)\.(.*)$/.exec(pattern);
  if (kind && kind[2] !== at(kind[1]).kind) return [];
  const path = kind ? `${kind[1]}.${kind[3]}` : pattern;
  if (!path.includes(".*.")) return [path];
  const [owner, key] = path.split(".*.");
  return Object.keys(at(owner) || {}).map((item) => `${owner}.${item}.${key}`);
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
