// Choosing frames of a sheet: ticks, Ctrl and Shift with a click, a frame drawn round cards, keys.
import { part } from "./part.js";

const MOVED_PX = 4;

/** The part of the sheet that selects; needs `cards()` and `act()`. */
export function selecting() {
  /** @type {import("./part.js").Part<{cards: () => HTMLElement[], card: (id: number|string) => HTMLElement, order: () => number[], act: (name: string, id: number) => void}>} */
  const own = part;
  return own({
    /** @type {number[]} */
    chosen: [],
    /** @type {any} */
    band: null,
    last: null,

    isChosen(id) {
      return this.chosen.includes(id);
    },
    /** Show on the cards which are chosen. */
    markChosen() {
      const chosen = new Set(this.chosen);
      for (const card of this.cards()) {
        const is = chosen.has(Number(card.dataset.frame));
        const tick = /** @type {HTMLInputElement} */ (card.querySelector("input"));
        if (card.classList.contains("chosen-card") !== is) card.classList.toggle("chosen-card", is);
        if (tick.checked !== is) tick.checked = is;
      }
    },
    chosenWords() {
      return `${this.chosen.length} ${this.chosen.length === 1 ? "frame" : "frames"} selected`;
    },
    toggleChosen(id) {
      this.chosen = this.isChosen(id) ? this.chosen.filter((one) => one !== id) : this.inOrder([...this.chosen, id]);
      this.last = id;
    },
    inOrder(ids) {
      const wanted = new Set(ids);
      return this.order().filter((id) => wanted.has(id));
    },
    chooseAll() {
      this.chosen = this.order();
    },
    chooseNone() {
      this.chosen = [];
    },
    /** @returns {HTMLElement|null} */
    cardOf(event) {
      return event.target.closest(".card");
    },
    cardsTick(event) {
      const card = this.cardOf(event);
      if (card) this.toggleChosen(Number(card.dataset.frame));
    },
    cardsClick(event) {
      const card = this.cardOf(event);
      if (!card) return;
      const id = Number(card.dataset.frame);
      const pressed = event.target.closest("[data-act]");
      if (pressed) this.act(pressed.dataset.act, id);
      else this.cardClick(event, id);
    },
    cardsKey(event) {
      const card = this.cardOf(event);
      if (card) this.cardKey(event, Number(card.dataset.frame));
    },
    /** Ctrl adds or takes away one frame, Shift everything from the last one; a plain click opens the frame. */
    cardClick(event, id) {
      if (event.shiftKey) {
        const order = this.order();
        const [from, to] = [order.indexOf(this.last ?? order[0]), order.indexOf(id)].sort((one, other) => one - other);
        this.chosen = this.inOrder([...this.chosen, ...order.slice(from, to + 1)]);
      } else if (event.ctrlKey || event.metaKey) this.toggleChosen(id);
      else return;
      event.preventDefault();
    },
    /** Keys while a card has the focus: X ticks it. */
    cardKey(event, id) {
      if (event.key.toLowerCase() !== "x" || event.ctrlKey || event.metaKey || event.altKey || event.target.closest("input")) return;
      event.preventDefault();
      this.toggleChosen(id);
    },
    /** Draw a frame round cards, from the paper between them. */
    beginBand(event) {
      if (event.button !== 0 || event.pointerType === "touch" || event.target.closest(".card, button, a, input, label, dialog, .incoming, nav, header")) return;
      const from = { x: event.pageX, y: event.pageY };
      const before = event.shiftKey || event.ctrlKey ? this.chosen : [];
      const move = (next) => {
        const box = {
          left: Math.min(from.x, next.pageX), top: Math.min(from.y, next.pageY),
          width: Math.abs(next.pageX - from.x), height: Math.abs(next.pageY - from.y),
        };
        if (!this.band && box.width + box.height < MOVED_PX) return;
        this.band = box;
        const inside = this.cards().filter((card) => {
          const place = card.getBoundingClientRect();
          const [left, top] = [place.left + window.scrollX, place.top + window.scrollY];
          return left < box.left + box.width && left + place.width > box.left && top < box.top + box.height && top + place.height > box.top;
        }).map((card) => Number(card.dataset.frame));
        this.chosen = this.inOrder([...before, ...inside]);
        next.preventDefault();
      };
      const end = () => {
        window.removeEventListener("pointermove", move);
        window.removeEventListener("pointerup", end);
        if (!this.band) this.chosen = before;
        this.band = null;
      };
      window.addEventListener("pointermove", move);
      window.addEventListener("pointerup", end);
    },
    bandStyle() {
      return this.band ? Object.fromEntries(Object.entries(this.band).map(([name, value]) => [name, `${value}px`])) : { display: "none" };
    },
  });
}
