// Panels and dialogs: only the open step is bound with the page, for the picture comes first.
import Alpine from "../alpine.js";

const LONGEST_MS = 500;
const AFTER_MS = 50;

/** @param {string} [step] @returns {NodeListOf<HTMLElement>} panels that are not bound yet */
function unbound(step) {
  return document.querySelectorAll(`[data-panel${step ? `="${step}"` : ""}][x-ignore]`);
}

/** Leave the panel of a step to Alpine's start. @param {string} step */
export function bindAtStart(step) {
  for (const panel of unbound(step)) panel.removeAttribute("x-ignore");
}

/** Bind the panel of a step, if it is not bound yet. @param {string} step */
export function bind(step) {
  for (const panel of unbound(step)) {
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
