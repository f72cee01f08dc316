// Panels and dialogs: only the open step is bound with the page, for the picture comes first.
import Alpine from "../alpine.js";

const LONGEST_MS = 500;
const AFTER_MS = 50;

/** @param {string} [name] @returns {NodeListOf<HTMLElement>} what is not bound yet */
function unbound(name) {
  return document.querySelectorAll(`[data-panel${name ? `="${name}"` : ""}][x-ignore]`);
}

/** Leave what is open from the beginning to Alpine's start. @param {string} name */
export function bindAtStart(name) {
  for (const panel of unbound(name)) panel.removeAttribute("x-ignore");
}

/** Bind a panel or dialog that is to be opened, if it is not bound yet. @param {string} name */
export function bind(name) {
  for (const panel of unbound(name)) {
    panel.removeAttribute("x-ignore");
    delete (/** @type {any} */ (panel)._x_ignore); // Alpine notices the attribute only after this
    Alpine.initTree(panel);
  }
}

/** When there is time; not every browser tells. @param {() => void} act */
function whenIdle(act) {
  if ("requestIdleCallback" in window) requestIdleCallback(act, { timeout: LONGEST_MS });
  else setTimeout(act, AFTER_MS);
}

let binding = false;

/** Bind all that is left, one after another, whenever there is time. */
export function bindOthers() {
  const [panel] = unbound();
  if (!panel || binding) return;
  binding = true;
  whenIdle(() => {
    binding = false;
    bind(panel.dataset.panel);
    bindOthers();
  });
}
