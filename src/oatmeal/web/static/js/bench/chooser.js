// Lists to choose from that let each choice be tried: a button that shows what is chosen, and its list.

const LIST = ".choices";
const OPTION = "[role=option]";
const GAP = 3;

/** @param {HTMLElement} list @returns {HTMLElement} the button that opens it */
const opener = (list) => /** @type {HTMLElement} */ (document.querySelector(`[popovertarget="${list.id}"]`));

/** @param {HTMLElement} list */
function lay(list) {
  const { left, top, bottom, width } = opener(list).getBoundingClientRect();
  list.style.minWidth = `${width}px`;
  const { height, width: wide } = list.getBoundingClientRect();
  const under = bottom + GAP + height <= innerHeight;
  Object.assign(list.style, { left: `${Math.max(GAP, Math.min(left, innerWidth - wide - GAP))}px`, top: `${under ? bottom + GAP : Math.max(GAP, top - GAP - height)}px` });
}

/**
 * @param {HTMLElement} root
 * @param {{picture: () => HTMLElement}} does
 */
export function watchChoosers(root, { picture }) {
  const listOf = (/** @type {EventTarget|null} */ target) => (target instanceof Element ? /** @type {HTMLElement|null} */ (target.closest(LIST)) : null);
  const options = (/** @type {HTMLElement} */ list) => /** @type {HTMLElement[]} */ ([...list.querySelectorAll(OPTION)]);

  /** The option that is chosen, or the first. @param {HTMLElement} list */
  const chosen = (list) => Math.max(0, options(list).findIndex((one) => one.ariaSelected === "true"));
  /** The list that a key is for: it is told a moment late that it was opened. @param {EventTarget|null} target */
  const openList = (target) => listOf(target) ?? (target instanceof Element ? /** @type {HTMLElement|null} */ (target.closest("[popovertarget]")?.parentElement?.querySelector(`${LIST}:popover-open`)) : null);

  function close(/** @type {HTMLElement} */ list) {
    list.hidePopover();
    picture().focus({ preventScroll: true });
  }
  root.addEventListener("toggle", (event) => {
    const list = listOf(event.target);
    if (!list) return;
    const open = list.matches(":popover-open");
    opener(list)?.setAttribute("aria-expanded", String(open));
    if (!open) return;
    lay(list);
    if (!list.contains(document.activeElement)) options(list)[chosen(list)]?.focus();
  }, { capture: true });
  root.addEventListener("keydown", (event) => {
    const list = openList(event.target);
    if (!list) return;
    const all = options(list);
    const focused = all.indexOf(/** @type {HTMLElement} */ (document.activeElement));
    const here = focused < 0 ? chosen(list) : focused;
    const to = { ArrowDown: here + 1, ArrowUp: here - 1, Home: 0, End: all.length - 1 }[event.key];
    if (to !== undefined) {
      event.preventDefault();
      event.stopPropagation();
      all[Math.min(all.length - 1, Math.max(0, to))].focus();
    } else if (event.key === "Escape") {
      event.preventDefault();
      event.stopPropagation();
      close(list);
    } else if (event.key.length === 1 && event.key !== " ") close(list); // a letter is a key of the bench
  }, { capture: true });
  root.addEventListener("click", ({ target }) => {
    const list = listOf(target);
    if (list && target instanceof Element && target.closest(OPTION)) close(list);
  });
}
