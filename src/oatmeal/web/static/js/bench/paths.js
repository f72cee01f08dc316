// Reaching values of a recipe by path, and showing numbers.

/** @param {any} node @param {string} path such as "mix.lifts.red" */
export function at(node, path) {
  return path.split(".").reduce((inner, key) => inner?.[key], node);
}

export function put(node, path, value) {
  const keys = path.split(".");
  const last = keys.pop();
  keys.reduce((inner, key) => inner[key], node)[last] = value;
}

export const same = (one, other) => JSON.stringify(one) === JSON.stringify(other);

export const copy = (value) => JSON.parse(JSON.stringify(value));

export const clamp = (value, low, high) => Math.min(high, Math.max(low, value));

/** A number for people: a true minus sign, a plus where the value moves something. */
export function words(value, signed) {
  const rounded = Math.round(value * 100) / 100;
  const text = String(Math.abs(rounded));
  if (rounded < 0) return `\u2212${text}`;
  return signed && rounded > 0 ? `+${text}` : text;
}

/** Read a typed number; understands the true minus sign and a decimal comma. */
export function typed(text) {
  const cleaned = text.trim().replace(/[\u2212\u2013]/g, "-").replace(",", ".").replace(/^\+/, "").replace(/ ?%$/, "");
  return cleaned === "" ? NaN : Number(cleaned);
}

export const percent = (share, places = 2) => `${(share * 100).toFixed(places)} %`;
