// The list of series.
import Alpine from "./common.js";
import { ask, say, sayNext } from "./api.js";
import { incoming } from "./incoming.js";
import { naming } from "./naming.js";
import { partOf } from "./told.js";

const today = () => new Date().toLocaleDateString("en-GB", { day: "numeric", month: "long", year: "numeric" });

/** @param {number} id @returns {HTMLElement} */
const cardOf = (id) => partOf(document, `[data-series="${id}"]`);

const WELCOMED = "oatmeal-welcomed";

/** What to do first; closed for good. */
Alpine.data("welcome", () => ({
  open: !localStorage.getItem(WELCOMED),
  close() {
    this.open = false;
    localStorage.setItem(WELCOMED, "yes");
  },
}));

Alpine.data("seriesPage", () => ({
  ...incoming(),
  ...naming(),

  dropText() {
    return "Drop to add: on a series to add to it, elsewhere to begin a new one";
  },
  async seriesFor(event) {
    const card = event.type === "drop" && event.target.closest("[data-series]");
    if (card) return Number(card.dataset.series);
    return (await ask("POST", "/api/series", { name: this.nameFor(event) })).id;
  },
  /** A new series is called by the folder that was dropped, or by the day and its first file. */
  nameFor(event) {
    const entry = event.dataTransfer?.items?.[0]?.webkitGetAsEntry?.();
    if (entry?.isDirectory) return entry.name.slice(0, 80);
    const [first] = [...(event.dataTransfer?.files ?? this.picked)].map(({ name }) => name.replace(/\.\w+$/, "")).sort((one, other) => one.localeCompare(other, undefined, { numeric: true }));
    return `${today()}${first ? ` ${first}` : ""}`.slice(0, 80);
  },
  added(series, files) {
    if (files.every((file) => file.done && !file.note)) window.location.assign(`/series/${series}`);
  },
  create() {
    this.askName("New series", "", async (name) => {
      const made = await ask("POST", "/api/series", { name });
      window.location.assign(`/series/${made.id}`);
    });
  },
  rename(id) {
    const card = cardOf(id);
    this.askName("Rename series", card.dataset.name, async (name) => {
      const renamed = await ask("PATCH", `/api/series/${id}`, { name });
      card.dataset.name = renamed.name;
      partOf(card, ".title").textContent = renamed.name;
    });
  },
  async bringBack(id) {
    try {
      await ask("POST", `/api/series/${id}/restore`);
      window.location.reload();
    } catch (problem) {
      say(problem.message);
    }
  },
  async remove(id) {
    const card = cardOf(id);
    try {
      await ask("DELETE", `/api/series/${id}`);
      sayNext(`“${card.dataset.name}” deleted.`, "Undo", ["POST", `/api/series/${id}/restore`, {}]);
      window.location.reload();
    } catch (problem) {
      say(problem.message);
    }
  },
}));

Alpine.start();
