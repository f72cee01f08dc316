// Trying on the picture: resting on a choice shows it large, leaving takes it away, a press keeps it.
import { say } from "../api.js";
import { finished } from "./greys.js";
import { same } from "./paths.js";
import { TRIALS } from "./trials.js";

const REST_MS = 25;
const HOLD_MS = 350;
/** So long after a press the picture itself is on its way, unless nothing changed. */
const KEPT_MS = 400;
/** Pictures that were tried and are shown again at once. */
const MOST_KEPT = 24;
const TRY = "[data-try]";

/**
 * What is tried on the picture; nothing of it enters the recipe before it is pressed.
 * @param {Pick<import("./bench.js").Bench, "base" | "compare" | "drawer" | "films" | "finish" | "frame" | "history" | "parts" | "strips" | "vocabulary" | "wall" | "work">} bench
 */
export function trying(bench) {
  /** What is rested on now. */
  let wanted = "";
  /** What was asked for last. */
  let asked = "";
  /** Pictures by what was asked for, the newest last. @type {Map<string, any>} */
  const shown = new Map();
  return {
    words: "",
    /** It was pressed: it stays until the picture itself is there. */
    keeping: false,

    /** @param {string} key what an element lets try, `kind:name` */
    async begin(key) {
      if (bench.strips.strip || bench.wall.open || !bench.frame.ready) return;
      wanted = key;
      const at = key.indexOf(":");
      try {
        const trial = await TRIALS[key.slice(0, at)](bench, key.slice(at + 1));
        if (wanted !== key) return;
        if (!trial || same(trial.recipe, bench.work.recipe)) this.away();
        else this.ask(trial);
      } catch (problem) {
        this.away();
        say(problem.message);
      }
    },
    /** @param {import("./trials.js").Trial} trial */
    ask({ words, recipe }) {
      const { side, region } = bench.parts.picture;
      const wish = { recipe, layers: ["grey"], side, region };
      this.keeping = false;
      this.words = words;
      asked = JSON.stringify(wish);
      const known = shown.get(asked);
      if (known) this.show(known);
      else bench.compare.askAside("tried", wish, (frame) => this.arrived(frame));
    },
    arrived(frame) {
      const key = JSON.stringify(frame.wish);
      shown.delete(key);
      shown.set(key, { layer: finished(frame) });
      if (shown.size > MOST_KEPT) shown.delete(shown.keys().next().value ?? "");
      if (wanted && key === asked) this.show({ layer: finished(frame) });
    },
    show({ layer }) {
      const { picture } = bench.parts;
      picture.instead = layer.region ? { whole: { grey: picture.whole.grey }, part: { grey: layer } } : { whole: { grey: layer } };
      picture.paint();
    },
    leave() {
      wanted = "";
      if (!this.keeping) this.away();
    },
    away() {
      const { picture } = bench.parts;
      const on = this.words !== "";
      this.words = "";
      this.keeping = false;
      if (!on) return;
      picture.instead = null;
      picture.paint();
    },
    /** What is tried was pressed. */
    keep() {
      wanted = "";
      if (!this.words) return;
      this.keeping = true;
      setTimeout(() => { if (this.keeping && !bench.frame.waiting) this.away(); }, KEPT_MS); // it changed nothing
    },
    /** The picture itself is there, as it was kept. @param {boolean} moving */
    pictureArrived(moving) {
      if (this.keeping && !moving) this.away();
    },
    chipWords() {
      return this.words && !this.keeping ? `trying ${this.words} · press to keep, Esc goes back` : "";
    },
  };
}

/**
 * Hear where somebody rests: with the mouse or a pen, by the keyboard's focus, with a finger that is held.
 * @param {HTMLElement} root
 * @param {{begin: (key: string) => void, leave: () => void, keep: () => void, tries: () => boolean}} does
 */
export function watchTrying(root, { begin, leave, keep, tries }) {
  /** @type {HTMLElement|null} */
  let on = null;
  let held = false;
  /** The keyboard came to it: a pointer that only lies somewhere takes nothing away. */
  let byKeys = false;
  /** @type {ReturnType<typeof setTimeout>|undefined} */
  let timer;

  /** @param {HTMLElement|null} element @param {number} after */
  function rest(element, after) {
    if (element === on) return;
    clearTimeout(timer);
    if (on) leave();
    on = element;
    const key = element?.dataset.try;
    if (key) timer = setTimeout(() => begin(key), after);
  }
  const of = (/** @type {EventTarget|null} */ target) => (target instanceof Element ? /** @type {HTMLElement|null} */ (target.closest(TRY)) : null);

  root.addEventListener("pointerover", ({ pointerType, target, buttons }) => {
    const element = of(target);
    if (pointerType === "touch" || buttons || (byKeys && !element)) return;
    byKeys = false;
    rest(element, REST_MS);
  });
  root.addEventListener("pointerleave", ({ pointerType }) => pointerType !== "touch" && rest(null, 0));
  root.addEventListener("focusin", ({ target }) => {
    const element = of(target);
    if (!element?.matches(":focus-visible")) return;
    byKeys = true;
    rest(element, 0);
  });
  root.addEventListener("focusout", ({ target }) => {
    if (of(target) !== on) return;
    byKeys = false;
    rest(null, 0);
  });
  root.addEventListener("keydown", (event) => {
    if (event.key !== "Escape" || !tries()) return;
    event.stopPropagation();
    clearTimeout(timer);
    leave(); // it is rested on still, but nothing is tried until one comes back
  });
  root.addEventListener("pointerdown", (event) => {
    const element = of(event.target);
    if (event.pointerType !== "touch" || !element) return;
    held = false;
    on = element;
    timer = setTimeout(() => {
      held = true;
      begin(element.dataset.try ?? "");
    }, HOLD_MS);
  });
  for (const end of /** @type {("pointerup"|"pointercancel")[]} */ (["pointerup", "pointercancel"])) {
    root.addEventListener(end, (event) => { if (event.pointerType === "touch") rest(null, 0); });
  }
  root.addEventListener("contextmenu", (event) => { if (held && of(event.target)) event.preventDefault(); });
  root.addEventListener("click", (event) => {
    if (!held) return;
    held = false; // a finger that was held had only looked
    event.preventDefault();
    event.stopPropagation();
  }, { capture: true });
  root.addEventListener("click", ({ target }) => {
    if (!of(target)) return;
    clearTimeout(timer);
    keep();
  });
}
