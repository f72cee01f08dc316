// The check of a series: figures of every frame, what stands out, sorted as wished.
import { ask, say } from "./api.js";
import { band } from "./bench/toneband.js";
import { part } from "./part.js";

/** From this distance to the series' median a figure stands out, and from this share clipping does. */
const APART = { mean: 8, black: 6, white: 5, merging: 6 };
const CLIPS = 0.005;
const CLIPPING = { low: "black clips", high: "white clips" };
const NAMES = { mean: "mean tone", black: "black end", white: "white end", merging: "merging" };

/** The part of the sheet that checks; needs `cards()`. */
export function checking(readings) {
  /** @type {import("./part.js").Part<{cards: () => HTMLElement[]}>} */
  const own = part;
  return own({
    /** @type {any[]} */
    checkRows: [],
    checkDone: 0,
    checkRun: 0,
    /** What most frames share, in words. */
    checkShared: "",
    sortBy: "number",
    sortDown: false,

    async runCheck() {
      const run = this.checkRun + 1;
      this.checkRun = run;
      this.checkDone = 0;
      this.checkRows = this.cards().map((card, place) => ({
        id: Number(card.dataset.frame), number: place + 1, name: card.dataset.name, treatment: card.dataset.treatment, figures: null, odd: [],
      }));
      for (const row of this.checkRows) {
        try {
          row.figures = await ask("GET", `/api/photographs/${row.id}/check`);
        } catch (problem) {
          say(problem.message);
        }
        if (run !== this.checkRun) return;
        this.checkDone += 1;
      }
      this.judge();
      this.$nextTick(() => this.drawBands());
    },
    /** Mark what lies far from the median of the series. */
    judge() {
      const known = this.checkRows.filter((row) => row.figures);
      const middle = Object.fromEntries(Object.keys(APART).map((key) => [key, median(known.map((row) => row.figures[key]))]));
      for (const row of known) {
        row.odd = Object.keys(APART).filter((key) => Math.abs(row.figures[key] - middle[key]) > APART[key]).map((key) => NAMES[key]);
        row.apart = row.figures.mean - middle.mean;
      }
      this.checkShared = "";
      for (const [key, words] of Object.entries(CLIPPING)) {
        const usual = median(known.map((row) => row.figures[key]));
        const clipped = known.filter((row) => row.figures[key] > CLIPS);
        // what most share is how the series looks: it is told once, and nobody stands out for that much
        if (usual > CLIPS) this.checkShared += `; ${words} in ${clipped.length} of ${known.length}`;
        for (const row of clipped) if (row.figures[key] > 2 * usual + CLIPS) row.odd.push(words);
      }
    },
    drawBands() {
      for (const row of this.checkRows) {
        const bar = /** @type {HTMLElement} */ (this.$root.querySelector(`[data-check="${row.id}"] .bar`));
        if (bar && row.figures) band(bar, row.figures.zones, readings, false);
      }
    },
    rowsShown() {
      const value = (row) => (this.sortBy in row ? row[this.sortBy] : row.figures?.[this.sortBy] ?? 0);
      const key = (row) => (this.sortBy === "odd" ? -row.odd.length : value(row));
      const order = [...this.checkRows].sort((one, other) => (key(one) < key(other) ? -1 : key(one) > key(other) ? 1 : one.number - other.number));
      return this.sortDown ? order.reverse() : order;
    },
    sortRows(by) {
      this.sortDown = this.sortBy === by && !this.sortDown;
      this.sortBy = by;
      this.$nextTick(() => this.drawBands());
    },
    sortMark(by) {
      return this.sortBy === by ? (this.sortDown ? " ▾" : " ▴") : "";
    },
    sorted(by) {
      return this.sortBy === by ? (this.sortDown ? "descending" : "ascending") : "none";
    },
    figure(row, key, places) {
      if (!row.figures) return "…";
      return key === "low" || key === "high" ? `${(100 * row.figures[key]).toFixed(2)} %` : row.figures[key].toFixed(places);
    },
    apartWords(row) {
      if (row.apart === undefined) return "";
      const rounded = Math.round(row.apart);
      return rounded > 0 ? `+${rounded}` : String(rounded).replace("-", "\u2212");
    },
    oddCount() {
      return this.checkRows.filter((row) => row.odd.length).length;
    },
    checkWords() {
      if (this.checkDone < this.checkRows.length) return `looking at ${this.checkDone} of ${this.checkRows.length} …`;
      const odd = this.oddCount();
      return (odd ? `${odd} of ${this.checkRows.length} stand out; N opens the next one` : "nothing stands out") + this.checkShared;
    },
    /** N opens the next frame that stands out, after the one that was opened last. */
    nextOdd() {
      const odd = this.checkRows.filter((row) => row.odd.length).map((row) => row.id);
      if (!odd.length) return;
      const last = Number(sessionStorage.getItem("odd-opened"));
      const next = odd[(odd.indexOf(last) + 1) % odd.length];
      sessionStorage.setItem("odd-opened", next);
      window.location.assign(`/bench/${next}`);
    },
  });
}

function median(values) {
  const sorted = [...values].sort((one, other) => one - other);
  const middle = sorted.length >> 1;
  return sorted.length % 2 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
}
