// Panels and dialogs: only the open step is bound with the page, for the picture comes first.
import Alpine from "../alpine.js";

const QUIET_MS = 2000;
const LONGEST_MS = 500;
const AFTER_MS = 50;

let touched = performance.now();
for (const kind of ["pointerdown", "pointermove", "keydown", "wheel"]) {
  document.addEventListener(kind, () => { touched = performance.now(); }, { capture: true, passive: true });
}

/** @param {string} [name] @returns {NodeListOf<HTMLElement>} what is not bound yet */
function unbound(name) {
  return document.querySelectorAll(`[data-panel${name ? `="${name}"` : ""}][x-ignore]`);
}

/** Leave what is open from the beginning to Alpine's start. @param {string} name */
export function bindAtStart(name) {
  for (const panel of unbound(name)) panel.removeAttribute("x-ignore");
}

/**
 * Bind a panel or dialog that is to be opened, if it is not bound yet. Alpine remembers of an element that it was to
 * be left alone: all that is in it moves into a new one of its kind. @param {string} name
 */
export function bind(name) {
  for (const panel of unbound(name)) {
    const bound = /** @type {HTMLElement} */ (panel.cloneNode(false));
    bound.removeAttribute("x-ignore");
    Alpine.mutateDom(() => {
      bound.append(...panel.childNodes);
      panel.replaceWith(bound);
    });
    Alpine.initTree(bound);
  }
}

/** When nothing was touched for a while and there is time; not every browser tells. @param {() => void} act */
function whenQuiet(act) {
  const left = touched + QUIET_MS - performance.now();
  if (left > 0) setTimeout(() => whenQuiet(act), left);
  else if ("requestIdleCallback" in window) requestIdleCallback(act, { timeout: LONGEST_MS });
  else setTimeout(act, AFTER_MS);
}

let binding = false;

/** Bind all that is left, one after another, while nobody works: each would hold up a drag. */
export function bindOthers() {
  const [panel] = unbound();
  if (!panel || binding) return;
  binding = true;
  whenQuiet(() => {
    binding = false;
    bind(/** @type {string} */ (panel.dataset.panel));
    bindOthers();
  });
}
