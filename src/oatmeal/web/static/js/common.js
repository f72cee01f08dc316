// What every page has: Alpine and the lines at the foot.
import Alpine from "./alpine.js";
import { ask, say } from "./api.js";

const STAYS_MS = 9000;
const LOOK_MS = 1000;

/** Where the pointer is: a line lets it through to what lies under it, so that it is not told. */
let pointer = { x: -1, y: -1 };
window.addEventListener("pointermove", ({ clientX, clientY }) => { pointer = { x: clientX, y: clientY }; }, { passive: true });

/** @param {HTMLElement} element */
function pointed(element) {
  const { left, right, top, bottom } = element.getBoundingClientRect();
  return pointer.x >= left && pointer.x < right && pointer.y >= top && pointer.y < bottom;
}

Alpine.data("toasts", () => ({
  /** @type {any[]} */
  lines: [],
  init() {
    const waiting = sessionStorage.getItem("say");
    sessionStorage.removeItem("say");
    if (!waiting) return;
    const { text, action, request } = JSON.parse(waiting);
    const act = request && (async () => {
      await ask(...request);
      window.location.reload();
    });
    this.add({ text, action, act });
  },
  add({ text, action, act, holds = () => true }) {
    const line = { id: crypto.randomUUID(), text, action: action || "", act, holds };
    this.lines = [line]; // one at a time: the newest
    this.raise();
    this.count(line);
  },
  /** A line goes by itself, but neither while it is pointed at nor while it has the focus. */
  count(line) {
    clearTimeout(line.timer);
    line.timer = setTimeout(() => {
      const shown = document.getElementById(`line-${line.id}`);
      if (shown && (pointed(shown) || shown.matches(":focus-within"))) this.count(line);
      else this.drop(line.id);
    }, STAYS_MS);
  },
  /** Above everything, an open dialog too. */
  raise() {
    if (this.$root.matches(":popover-open")) this.$root.hidePopover();
    this.$root.showPopover();
  },
  drop(id) {
    this.lines = this.lines.filter((line) => line.id !== id);
    if (!this.lines.length && this.$root.matches(":popover-open")) this.$root.hidePopover();
  },
  async act(line) {
    this.drop(line.id);
    try {
      await line.act();
    } catch (problem) {
      say(problem.message);
    }
  },
}));

/** A native dialog that is open while its expression is true; a click beside it cancels it. */
Alpine.directive("dialog", (element, { expression }, { effect, evaluateLater }) => {
  const dialog = /** @type {HTMLDialogElement} */ (element);
  const wanted = evaluateLater(expression);
  effect(() => wanted((open) => {
    if (open && !dialog.open) dialog.showModal();
    else if (!open && dialog.open) dialog.close();
  }));
  dialog.addEventListener("click", ({ target, clientX, clientY }) => {
    const { left, right, top, bottom } = dialog.getBoundingClientRect();
    const beside = clientX < left || clientX > right || clientY < top || clientY > bottom;
    if (target === dialog && beside && (clientX || clientY)) dialog.dispatchEvent(new Event("cancel", { cancelable: true }));
  });
});

/** What the server is still making ready, a line over every page until it is. */
Alpine.data("making", () => ({
  words: "",
  share: 0,
  init() { this.look(); },
  async look() {
    const found = await ask("GET", "/api/making").catch(() => null);
    if (found?.ready) return this.done();
    if (found) {
      this.share = found.share;
      this.words = this.told(found);
      window.dispatchEvent(new CustomEvent("made", { detail: found.steps }));
    }
    setTimeout(() => this.look(), LOOK_MS);
  },
  /** @param {{steps: Object<string, number>, asked: string[], seconds: number}} found */
  told({ steps, asked, seconds }) {
    const waits = asked.length ? ` ${asked.join(", ")} first, as it is waited for.` : "";
    return `Making ready: ${Object.keys(steps).join(", ")}, ${Math.max(1, seconds)} s.${waits}`;
  },
  done() {
    this.words = "";
    window.dispatchEvent(new CustomEvent("made", { detail: {} }));
  },
}));

/** The switch between the themes: as the system says, Oat, Rye. */
Alpine.data("theme", () => ({
  chosen: localStorage.getItem("oatmeal-theme") || "",
  next() {
    this.chosen = { "": "oat", oat: "rye", rye: "" }[this.chosen];
    if (this.chosen) localStorage.setItem("oatmeal-theme", this.chosen);
    else localStorage.removeItem("oatmeal-theme");
    window.dispatchEvent(new Event("theme"));
  },
  words() {
    return { "": "Theme: as the system says", oat: "Theme: Oat, light", rye: "Theme: Rye, dark" }[this.chosen];
  },
}));

export default Alpine;
