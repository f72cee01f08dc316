// Numbers and drop-downs: a click takes the whole number, and what was typed or chosen gives the keys back to the picture.

const NUMBER = "input.number";
const DROP_DOWN = "select.drop-down";
const MOVES = ["ArrowUp", "ArrowDown", "ArrowLeft", "ArrowRight", "PageUp", "PageDown", "Home", "End"];

/**
 * @param {HTMLElement} root
 * @param {{picture: () => HTMLElement, undo: () => void, redo: () => void}} does
 */
export function watchTyping(root, { picture, undo, redo }) {
  /** What a number showed when it was come to. @type {WeakMap<HTMLInputElement, string>} */
  const before = new WeakMap();
  /** The number that was just come to, until it is let go of. @type {HTMLInputElement|null} */
  let fresh = null;
  let byKeys = false;

  /** The keys act on the picture again, unless a dialog has them. @param {HTMLElement} from */
  function back(from) {
    from.blur();
    if (!from.closest("dialog")) picture().focus({ preventScroll: true });
  }

  root.addEventListener("focusin", ({ target }) => {
    fresh = /** @type {HTMLInputElement|null} */ (/** @type {HTMLElement} */ (target).closest(NUMBER));
    if (!fresh) return;
    before.set(fresh, fresh.value);
    fresh.select();
  });
  root.addEventListener("click", ({ target }) => {
    if (fresh && target === fresh && fresh.selectionStart === fresh.selectionEnd) fresh.select(); // the click had set a caret
    fresh = null;
  });
  root.addEventListener("keydown", (event) => {
    const field = /** @type {HTMLInputElement} */ (/** @type {HTMLElement} */ (event.target).closest(NUMBER));
    if (!field) return;
    const command = event.ctrlKey || event.metaKey;
    const letter = event.key.toLowerCase();
    if (event.key === "Enter") back(field); // leaving it takes what was typed
    else if (event.key === "Escape") {
      event.stopPropagation(); // what is open stays so
      field.value = before.get(field) ?? field.value;
      back(field);
    } else if (command && (letter === "z" || letter === "y") && field.value === before.get(field)) {
      event.preventDefault();
      if (letter === "y" || event.shiftKey) redo();
      else undo();
      back(field);
    }
  });

  root.addEventListener("pointerdown", () => { byKeys = false; });
  root.addEventListener("keydown", (event) => {
    const list = /** @type {HTMLElement} */ (/** @type {HTMLElement} */ (event.target).closest(DROP_DOWN));
    if (!list) return;
    byKeys = MOVES.includes(event.key);
    if (event.key === "Escape") back(list);
    else if (event.key.length === 1 && event.key !== " " && !event.ctrlKey && !event.metaKey && !event.altKey && !list.closest("dialog")) {
      event.preventDefault(); // a letter is a key of the bench, not the first of a name in the list
      back(list);
      picture().dispatchEvent(new KeyboardEvent("keydown", { key: event.key, shiftKey: event.shiftKey, bubbles: true, cancelable: true }));
    }
  });
  root.addEventListener("change", ({ target }) => {
    const list = /** @type {HTMLElement} */ (/** @type {HTMLElement} */ (target).closest(DROP_DOWN));
    if (list && !byKeys) back(list);
  });
}
