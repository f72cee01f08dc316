// Fingers: a swipe scrolls and changes nothing; what acts by dragging is taken hold of by a finger that rests a moment.
import { dragged } from "./pointer.js";

/** A finger that has rested so long takes hold. */
export const HOLD_MS = 220;
/** Farther from a track, in CSS pixels, a finger does not mean it. */
const NEAR_PX = 14;
const SLOP_PX = 9;
/** What acts by dragging. */
const DRAWN = ".surround, .instruments svg, .instruments canvas";
/** What a finger presses there, as everywhere. */
const PRESSED = "button:not(.pin, .tag), input, select, label, a, .history, .drawer, .wall, .stripbar, .comparebar, dialog";

/** Presses of fingers that have taken hold. @type {WeakSet<Event>} */
const held = new WeakSet();

/** True for a press that a finger's rest has made. @param {Event} event */
export const isHeld = (event) => held.has(event);

/**
 * The track that a finger means: tracks let fingers through, so that a swipe over them scrolls.
 * @param {HTMLElement} target @param {PointerEvent} event
 */
function trackUnder(target, event) {
  const around = target.closest(".cell, .slide, .lift, .group, .row, .fades, .heading, dialog");
  for (const track of /** @type {NodeListOf<HTMLInputElement>} */ (around?.querySelectorAll("input.track") ?? [])) {
    const { left, right, top, bottom } = track.getBoundingClientRect();
    if (event.clientX > left - NEAR_PX && event.clientX < right + NEAR_PX && event.clientY > top - NEAR_PX && event.clientY < bottom + NEAR_PX && !track.disabled) return track;
  }
  return null;
}

/** @param {HTMLElement} root @param {HTMLElement} surround */
export function watchTouching(root, surround) {
  /** @type {{event: PointerEvent, target: Element, timer: ReturnType<typeof setTimeout>}|null} */
  let resting = null;
  /** The pointer that has taken hold. */
  let holds = -1;

  /** The press of a finger that has taken hold and has not moved yet. @type {PointerEvent|null} */
  let begun = null;

  /** What a finger had begun is called off. @param {PointerEvent} event */
  const letGo = (event) => {
    holds = -1;
    event.stopPropagation();
    /** @type {Element} */ (event.target).dispatchEvent(new PointerEvent("pointercancel", { pointerId: event.pointerId, pointerType: "touch", bubbles: true }));
  };
  const forget = () => {
    clearTimeout(resting?.timer);
    resting = null;
  };
  /** @param {PointerEvent} event @param {Element} target */
  const take = (event, target) => {
    const { pointerId, clientX, clientY, isPrimary, pressure, width, height } = event;
    const made = new PointerEvent("pointerdown", { pointerId, clientX, clientY, isPrimary, pressure, width, height, pointerType: "touch", button: 0, buttons: 1, bubbles: true, cancelable: true });
    held.add(made);
    target.dispatchEvent(made);
  };

  root.addEventListener("pointerdown", (event) => {
    if (event.pointerType !== "touch" || isHeld(event) || !event.isTrusted) return;
    const element = /** @type {HTMLElement} */ (event.target);
    const drawn = element.closest(DRAWN);
    const pressed = element.closest(PRESSED);
    const target = drawn && !pressed ? element : pressed ? null : trackUnder(element, event);
    if (!target) return;
    event.stopPropagation();
    if (resting || holds >= 0) { // a second finger: a pinch
      forget();
      if (drawn === surround) surround.dispatchEvent(new CustomEvent("finger", { detail: event }));
      return;
    }
    if (drawn === surround) surround.dispatchEvent(new CustomEvent("finger", { detail: event }));
    const mine = { event, target, timer: setTimeout(() => {
      // on a busy page what the finger did meanwhile comes with the next frames
      requestAnimationFrame(() => requestAnimationFrame(() => {
        if (resting !== mine) return;
        resting = null;
        holds = event.pointerId;
        begun = event;
        navigator.vibrate?.(8);
        take(event, target);
      }));
    }, HOLD_MS) };
    resting = mine;
  }, { capture: true });

  window.addEventListener("pointermove", (event) => {
    const from = resting?.event ?? begun;
    if (!from || event.pointerId !== from.pointerId) return;
    if (Math.hypot(event.clientX - from.clientX, event.clientY - from.clientY) < SLOP_PX) return;
    if (!resting) {
      if (event.timeStamp - from.timeStamp < HOLD_MS) letGo(event); // it had moved before it could have rested
      begun = null;
      return;
    }
    forget();
    if (surround.contains(/** @type {Node} */ (from.target))) surround.dispatchEvent(new CustomEvent("swipe", { detail: from }));
  }, { capture: true });

  window.addEventListener("pointerup", (event) => {
    if (holds === event.pointerId) holds = -1;
    if (!resting || event.pointerId !== resting.event.pointerId) return;
    const { event: from, target } = resting;
    forget();
    if (!target.matches("input") && !dragged(from, event)) take(from, target); // a tap: what a click does
  }, { capture: true });
  window.addEventListener("pointercancel", (event) => {
    if (holds === event.pointerId) holds = -1;
    if (resting?.event.pointerId === event.pointerId) forget();
  }, { capture: true });
  // what is held does not scroll
  root.addEventListener("touchmove", (event) => {
    if (holds >= 0 && event.cancelable) event.preventDefault();
  }, { passive: false });
  root.addEventListener("contextmenu", (event) => {
    if (holds >= 0 || resting) event.preventDefault();
  });
}
