// A series as a contact sheet.
import Alpine from "./common.js";
import { ask, say, sayNext, send } from "./api.js";
import { applying } from "./applying.js";
import { batching } from "./batch.js";
import { checking } from "./checking.js";
import { incoming } from "./incoming.js";
import { joining } from "./joining.js";
import { naming } from "./naming.js";
import { selecting } from "./selecting.js";
import { partOf, toldBy } from "./told.js";

const start = toldBy("start");

/** Show what the sheet holds now under the list of what was added, which stays to be read. */
async function renew() {
  const page = new DOMParser().parseFromString(await (await send("GET", window.location.pathname)).text(), "text/html");
  for (const part of [".topbar .where", "main > .empty", "main > .cards", ".removed"]) {
    const [shown, now] = [document, page].map((one) => one.querySelector(part));
    if (!shown) continue;
    if (now) shown.replaceChildren(...now.childNodes);
    shown.classList.toggle("gone", !now || now.classList.contains("gone"));
  }
}

Alpine.data("sheetPage", () => ({
  ...incoming(),
  ...naming(),
  ...selecting(),
  ...applying(start.groups, start.recipes, start.strongest),
  ...checking(start.codes),
  ...batching(),
  ...joining(start.join),
  series: 0,
  view: "sheet",
  /** The card that is being dragged. @type {HTMLElement|null} */
  lifted: null,
  /** The order before that. @type {number[]} */
  orderBefore: [],

  init() {
    this.series = Number(this.$root.dataset.series);
    this.show(sessionStorage.getItem("sheet-view") || "sheet");
    this.watchJoins();
    const again = new URLSearchParams(window.location.search).get("again");
    if (!again) return;
    window.history.replaceState(null, "", window.location.pathname); // a reload does not ask again
    if (this.card(again)?.dataset.joined) this.joinAgain(again);
  },
  dropText() {
    return `Drop to add to “${this.$root.dataset.name}”`;
  },
  async seriesFor() {
    return this.series;
  },
  added(series, files) {
    if (files.every((file) => file.done && !file.note)) window.location.reload();
    else renew().then(() => this.show(this.view));
  },
  /** @param {Event & {target: HTMLElement}} event */
  removedClick({ target }) {
    const { back } = target.dataset;
    if (!back) return;
    const all = /** @type {HTMLElement[]} */ ([...this.$root.querySelectorAll("[data-back]")]).map(({ dataset }) => Number(dataset.back)).filter(Boolean);
    this.bringBack(back === "all" ? all : [Number(back)]);
  },
  /** Bring photographs back that had been removed. @param {number[]} ids */
  async bringBack(ids) {
    try {
      await ask("POST", "/api/photographs/restore", { photographs: ids });
      window.location.reload();
    } catch (problem) {
      say(problem.message);
    }
  },
  /** @returns {HTMLElement[]} */
  cards() {
    return Array.from(this.$root.querySelectorAll("[data-frame]"));
  },
  /** @param {number|string} id @returns {HTMLElement} */
  card(id) {
    return partOf(this.$root, `[data-frame="${id}"]`);
  },
  /** @param {string} view sheet, colour or check */
  show(view) {
    this.view = view;
    sessionStorage.setItem("sheet-view", view);
    if (view === "check") {
      this.runCheck();
      return;
    }
    for (const card of this.cards()) {
      const query = view === "colour" ? "colour=1" : `v=${card.dataset.version}-${card.dataset.revision}`;
      /** @type {HTMLImageElement} */ (partOf(card, "img")).src = `/pictures/${card.dataset.frame}.jpg?${query}`;
    }
  },
  key(event) {
    if (this.joinOpen) this.joinKey(event);
    if (event.key === "Escape") {
      if (this.joinOpen) {
        this.closeJoin();
        return;
      }
      if (this.applyOpen) this.closeApply();
      else if (this.batchOpen) this.closeBatch();
      else if (this.naming === null) this.chooseNone();
      return;
    }
    if (event.target.closest("input, select, textarea") || event.altKey || this.applyOpen || this.batchOpen || this.joinOpen || this.naming) return;
    if ((event.ctrlKey || event.metaKey) && event.key === "a") {
      event.preventDefault();
      this.chooseAll();
    } else if (!event.ctrlKey && !event.metaKey && event.key.toLowerCase() === "n" && this.view === "check") this.nextOdd();
  },
  /** What a card's buttons do. @param {string} name @param {number} id */
  act(name, id) {
    const acts = {
      earlier: () => this.move(id, -1), later: () => this.move(id, 1), take: () => this.takeRecipe(id),
      join: () => this.joinAgain(id), rename: () => this.rename(id), remove: () => this.remove(id),
    };
    acts[name]();
  },
  rename(id) {
    const card = this.card(id);
    this.askName("Rename photograph", card.dataset.name, async (title) => {
      const renamed = await ask("PATCH", `/api/photographs/${id}`, { title });
      card.dataset.name = renamed.title;
      /** @type {Node} */ (partOf(card, ".title").lastChild).textContent = ` ${renamed.title}`;
    });
  },
  async remove(id) {
    try {
      await ask("POST", "/api/photographs/remove", { photographs: [id] });
      const words = `“${this.card(id).dataset.name}” removed from the series.`;
      sayNext(words, "Undo", ["POST", "/api/photographs/restore", { photographs: [id] }]);
      window.location.reload();
    } catch (problem) {
      say(problem.message);
    }
  },

  // order: by buttons, or by dragging a card onto the place of another
  async move(id, by) {
    const cards = this.cards();
    const card = this.card(id);
    const other = cards[cards.indexOf(card) + by];
    if (!other) return;
    if (by < 0) other.before(card);
    else other.after(card);
    /** @type {HTMLElement|null} */ (document.activeElement)?.focus();
    await this.saveOrder();
  },
  lift(event) {
    const lifted = this.lifted = event.target.closest("[data-frame]");
    this.orderBefore = this.order();
    event.dataTransfer.effectAllowed = "move";
    event.dataTransfer.setData("text/plain", lifted.dataset.name);
    lifted.classList.add("lifted");
  },
  hover(event) {
    const target = event.target.closest("[data-frame]");
    if (!this.lifted) return;
    event.preventDefault();
    if (!target || target === this.lifted) return;
    const cards = this.cards();
    if (cards.indexOf(target) > cards.indexOf(this.lifted)) target.after(this.lifted);
    else target.before(this.lifted);
  },
  async settle() {
    this.lifted?.classList.remove("lifted");
    this.lifted = null;
    if (this.order().join() !== this.orderBefore.join()) await this.saveOrder();
  },
  order() {
    return this.cards().map((card) => Number(card.dataset.frame));
  },
  async saveOrder() {
    this.cards().forEach((card, place) => {
      partOf(card, ".frame-number").textContent = String(place + 1).padStart(2, "0");
    });
    try {
      await ask("PUT", `/api/series/${this.series}/order`, { photographs: this.order() });
    } catch (problem) {
      say(problem.message);
    }
  },
}));

Alpine.start();
