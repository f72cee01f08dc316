// What pointers do on the surround: press, pan, wheel and pinch. Mouse, pen and touch alike.
import { follow } from "./svg.js";
import { CLOSEST, FARTHEST, STEPS } from "./view.js";
import { dragged } from "./pointer.js";
import { isHeld } from "./touching.js";

/** Turning the wheel this far is one step of zoom. */
const WHEEL_STEP = 60;
/** Two fingers that spread by less than this power of e do not zoom a whole picture. */
const PINCHED = 0.08;
/** With Ctrl so much turning zooms by e. */
const FREE_PX = 260;
const LINE_PX = 30;

/** Kind of the event that ends what a first finger had begun when a second one comes. */
const CALLED_OFF = "called off";

export class Gestures {
  /** @param {HTMLElement} surround @param {any} picture @param {string} never what is not the picture */
  constructor(surround, picture, never) {
    this.surround = surround;
    this.picture = picture;
    this.never = never;
    this.turned = 0;
    this.fingers = new Map();
    /** How the pinch began. @type {{apart: number, zoom: number, middle: {clientX: number, clientY: number}}|null} */
    this.pinch = null;
    /** Space is held: a drag moves the picture, whatever the tool. */
    this.space = false;
    surround.addEventListener("keydown", (event) => {
      if (event.key !== " " || event.target !== surround) return;
      event.preventDefault();
      this.space = true;
      surround.classList.add("panning");
    });
    for (const end of /** @type {("keyup"|"blur")[]} */ (["keyup", "blur"])) {
      window.addEventListener(end, (event) => {
        if (!this.space || (event instanceof KeyboardEvent && event.key !== " ")) return;
        this.space = false;
        surround.classList.remove("panning");
      });
    }
    surround.addEventListener("wheel", (event) => this.wheel(event), { passive: false });
    surround.addEventListener("pointerdown", (event) => this.press(event));
    surround.addEventListener("finger", (event) => this.finger(/** @type {CustomEvent} */ (event).detail));
    surround.addEventListener("swipe", (event) => this.swipe(/** @type {CustomEvent} */ (event).detail));
    surround.addEventListener("pointermove", (event) => this.spread(event));
    for (const name of /** @type {("pointerup"|"pointercancel")[]} */ (["pointerup", "pointercancel"])) {
      surround.addEventListener(name, (/** @type {PointerEvent} */ event) => event.pointerType === CALLED_OFF || this.fingers.delete(event.pointerId));
    }
  }

  wheel(event) {
    if (event.target.closest(this.never)) return;
    event.preventDefault();
    if (this.picture.heard.wheel(event)) return;
    const by = event.deltaY * (event.deltaMode === 0 ? 1 : LINE_PX);
    if (event.ctrlKey) { // freely, as a pinch on a touchpad comes too
      const now = this.picture.view.scale * this.picture.view.density;
      this.picture.setZoom(Math.min(CLOSEST, Math.max(FARTHEST, now * Math.exp(-by / FREE_PX))), this.picture.locate(event) || this.picture.middle());
      return;
    }
    if (Math.sign(by) !== Math.sign(this.turned)) this.turned = 0;
    this.turned += by;
    if (Math.abs(this.turned) < WHEEL_STEP) return;
    this.step(this.turned < 0 ? 1 : -1, this.picture.locate(event));
    this.turned = 0;
  }

  /** One step closer (1) or farther (-1); steps that would hardly change the size are left out. */
  step(way, anchor) {
    const { view } = this.picture;
    const size = (zoom) => (zoom === "fit" ? view.fitting(this.picture.file) * view.density : zoom);
    const now = size(view.zoom);
    const sizes = STEPS.map((zoom) => ({ zoom, size: size(zoom) })).sort((one, other) => one.size - other.size);
    const next = way > 0 ? sizes.find((one) => one.size > now * 1.05) : sizes.findLast((one) => one.size < now / 1.05);
    if (next) this.picture.setZoom(next.zoom, anchor || this.picture.middle());
  }

  press(event) {
    if (event.target.closest(this.never) || event.target.closest("input, .pin")) return;
    if (event.pointerType === "touch" && !isHeld(event) && this.second(event)) return;
    if (event.button === 1 || (event.button === 0 && this.space)) return this.pan(event);
    if (event.button !== 0) return;
    const at = this.picture.locate(event);
    if (at ? this.picture.heard.press(event, at) : this.picture.heard.beyond(event)) return;
    if (this.picture.zoom !== "fit") this.pan(event);
  }

  /** A finger came; what it does is known when it has rested or moved. @param {PointerEvent} event */
  finger(event) {
    if (!this.second(event)) this.picture.read(event);
  }

  /** It moved at once: at a larger zoom that moves the picture. @param {PointerEvent} event */
  swipe(event) {
    if (this.picture.zoom !== "fit" && this.fingers.size < 2) this.pan(event);
  }

  /** @param {PointerEvent} event @param {(moved: boolean) => void} [done] told at the end whether the picture was moved */
  pan(event, done) {
    event.preventDefault();
    this.surround.focus({ preventScroll: true });
    this.surround.classList.add("panning");
    let last = event;
    let moved = false;
    follow(this.surround, event, (next) => {
      moved ||= dragged(event, next);
      if (done && !moved) return;
      this.picture.moveBy(last.clientX - next.clientX, last.clientY - next.clientY);
      last = next;
    }, (ended) => {
      this.surround.classList.remove("panning");
      done?.(moved || ended.type === "pointercancel");
    });
  }

  /** Keep a finger in mind; true if it is the second one, which begins a pinch. */
  second(event) {
    this.fingers.set(event.pointerId, { x: event.clientX, y: event.clientY });
    if (this.fingers.size < 2) return false;
    for (const pointerId of this.fingers.keys()) {
      // whatever the first finger had begun is called off
      if (pointerId !== event.pointerId) this.surround.dispatchEvent(new PointerEvent("pointercancel", { pointerId, pointerType: CALLED_OFF }));
    }
    this.pinch = null;
    return true;
  }

  spread(event) {
    if (!this.fingers.has(event.pointerId)) return;
    this.fingers.set(event.pointerId, { x: event.clientX, y: event.clientY });
    if (this.fingers.size !== 2) return;
    const [one, other] = this.fingers.values();
    const apart = Math.max(1, Math.hypot(one.x - other.x, one.y - other.y));
    const { view } = this.picture;
    const middle = { clientX: (one.x + other.x) / 2, clientY: (one.y + other.y) / 2 };
    this.pinch ??= { apart, zoom: view.scale * view.density, middle };
    if (view.zoom === "fit" && Math.abs(Math.log(apart / this.pinch.apart)) < PINCHED) return;
    const least = Math.min(view.fitting(this.picture.file) * view.density, this.pinch.zoom);
    const zoom = Math.min(CLOSEST, (this.pinch.zoom * apart) / this.pinch.apart);
    this.picture.setZoom(zoom <= least ? "fit" : zoom, this.picture.locate(middle) || this.picture.middle());
    const { clientX, clientY } = this.pinch.middle;
    if (this.picture.zoom !== "fit") this.picture.moveBy(clientX - middle.clientX, clientY - middle.clientY);
    this.pinch.middle = middle;
  }
}
