// Short tracks: fine where the pointer leaves them or Shift is held, a double-click puts back to rest, the number shows large.
import { clamp, words } from "./paths.js";
import { follow } from "./svg.js";
import { isHeld } from "./touching.js";

const TRACK = "input.track";
const REST = ".rest";
/** So far from the track, in CSS pixels, a drag moves it half as fast; at the most ten times finer. */
const HALF_PX = 60;
const FINEST = 0.1;
/** A press that may become a double-click is a step only after this. */
const DOUBLE_MS = 280;
const COARSE = 10;
const THUMB_PX = 9;
const AWAY = { x: 14, y: -34 };
/** By hand a track goes to the hundredth; one of finer steps to the thousandth. */
const HUNDREDTHS = 100;
const THOUSANDTHS = 1000;

/** @param {HTMLInputElement} track */
const limits = (track) => ({ low: Number(track.min), high: Number(track.max), step: Number(track.dataset.step ?? track.step) || 1 });

/** @param {HTMLInputElement} track */
function restOf(track) {
  for (let around = track.parentElement; around && !around.matches(".instruments, dialog, aside"); around = around.parentElement) {
    const found = /** @type {HTMLElement[]} */ ([...around.querySelectorAll(REST)]);
    if (found.length) return found.length === 1 ? found[0] : null;
  }
  return null;
}

/** @param {HTMLInputElement} track @param {number} value */
function put(track, value) {
  const { low, high, step } = limits(track);
  if (track.step !== "any") Object.assign(track, { step: "any" }).dataset.step = String(step); // finer than its usual step, by hand
  const parts = step < 1 / HUNDREDTHS ? THOUSANDTHS : HUNDREDTHS;
  track.value = String(clamp(Math.round(value * parts) / parts, low, high));
  track.dispatchEvent(new Event("input", { bubbles: true }));
}

/** @param {HTMLInputElement} track */
const settle = (track) => track.dispatchEvent(new Event("change", { bubbles: true }));

/**
 * @param {HTMLElement} root
 * @param {(path: string, on: boolean) => void} holding told when a track is held and let go of
 */
export function watchSliding(root, holding) {
  const held = document.createElement("output");
  held.className = "held";
  held.hidden = true;
  held.ariaHidden = "true";
  root.append(held);
  /** @type {{track: HTMLInputElement, timer: ReturnType<typeof setTimeout>}|null} */
  let pressed = null;

  /** @param {HTMLInputElement} track @param {PointerEvent|null} at */
  function tell(track, at) {
    held.hidden = !at;
    if (!at) return;
    held.textContent = `${words(Number(track.value), Number(track.min) < 0)}${track.dataset.unit ?? ""}`;
    Object.assign(held.style, { left: `${at.clientX + AWAY.x}px`, top: `${Math.max(0, at.clientY + AWAY.y)}px` });
  }

  root.addEventListener("pointerdown", (event) => {
    const track = /** @type {HTMLInputElement|null} */ (/** @type {HTMLElement} */ (event.target).closest(TRACK));
    if (!track || event.button !== 0 || track.disabled || (event.pointerType === "touch" && !isHeld(event))) return;
    const { left, top, bottom, width, height } = track.getBoundingClientRect();
    const stands = height > width;
    if (stands && event.pointerType !== "touch") return; // as the browser moves it
    event.preventDefault();
    track.focus({ preventScroll: true });
    if (pressed?.track === track) {
      clearTimeout(pressed.timer);
      pressed = null;
      const rest = restOf(track);
      if (rest) rest.click();
      else settle(track);
      return;
    }
    const { low, high, step } = limits(track);
    const whole = (/** @type {number} */ number) => Math.round(number / step) * step; // its own step, as far as a pixel says it
    const perPx = (high - low) / Math.max(1, Math.max(width, height) - 2 * THUMB_PX);
    const along = (/** @type {PointerEvent} */ at) => (stands ? bottom - at.clientY : at.clientX - left);
    const across = (/** @type {PointerEvent} */ at) => (stands ? at.clientX - left - width / 2 : at.clientY - top - height / 2);
    const there = low + (along(event) - THUMB_PX) * perPx;
    let value = Number(track.value);
    const reach = event.pointerType === "touch" ? Infinity : THUMB_PX; // a finger moves it by as much as it goes
    const grasped = Math.abs(there - value) <= reach * perPx;
    if (!grasped) put(track, value = whole(there));
    tell(track, event);
    holding(track.dataset.path ?? "", true);
    let last = event;
    let moved = !grasped;
    follow(track, event, (next) => {
      const away = Math.max(0, Math.abs(across(next)) - Math.min(width, height));
      const pace = next.shiftKey ? FINEST : Math.max(FINEST, HALF_PX / (HALF_PX + away));
      value = clamp(value + (along(next) - along(last)) * perPx * pace, low, high);
      moved ||= along(next) !== along(last);
      last = next;
      put(track, pace > 0.9 ? whole(value) : value);
      tell(track, next);
    }, () => {
      tell(track, null);
      holding(track.dataset.path ?? "", false);
      const timer = setTimeout(() => {
        pressed = null;
        if (moved) settle(track);
      }, last === event ? DOUBLE_MS : 0);
      pressed = last === event ? { track, timer } : null;
    });
  });

  root.addEventListener("keydown", (event) => {
    const track = /** @type {HTMLInputElement|null} */ (/** @type {HTMLElement} */ (event.target).closest(TRACK));
    if (!track || event.ctrlKey || event.metaKey || event.altKey) return;
    const { low, high, step } = limits(track);
    const by = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1, PageUp: COARSE, PageDown: -COARSE }[event.key];
    const end = { Home: low, End: high }[event.key];
    if (by === undefined && end === undefined) return;
    event.preventDefault();
    put(track, end ?? Number(track.value) + (by ?? 0) * step * (event.shiftKey ? FINEST : 1));
    settle(track);
  });
}
