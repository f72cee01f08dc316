// The spectrum strip: what the film sees, what the filter lets through, with edges to drag.
import { clamp } from "./paths.js";
import { follow, place, set, svg } from "./svg.js";

const WIDTH = 348;
const HEIGHT = 84;
const TOP = 8;
const FOOT = 66;
const HALF_LABEL = 21; // of a wavelength's words: the first would reach over the edge
const FIRST = 380;
const LAST = 780;
const KEYS = { ArrowLeft: -1, ArrowRight: 1, ArrowDown: -1, ArrowUp: 1, PageDown: -10, PageUp: 10 };
const EDGES = [["film", 0, "film, short end"], ["film", 1, "film, long end"], ["filter", 0, "filter, low edge"], ["filter", 1, "filter, high edge"]];

const atNm = (nm) => ((nm - FIRST) / (LAST - FIRST)) * WIDTH;
const ofX = (x) => FIRST + (x / WIDTH) * (LAST - FIRST);
const atShare = (share) => FOOT - share * (FOOT - TOP);

export class SpectrumStrip {
  /**
   * @param {HTMLElement} holder @param {import("./bench.js").Vocabulary} vocabulary
   * @param {{edges: (which: string, edges: number[]) => void, settle: Function}} heard
   */
  constructor(holder, vocabulary, heard) {
    this.vocabulary = vocabulary;
    this.heard = heard;
    this.edges = { film: [FIRST, LAST], filter: [FIRST, LAST] };
    this.drawing = svg("svg", { viewBox: `0 0 ${WIDTH} ${HEIGHT}`, role: "group", "aria-label": "Spectrum: film and filter" });
    this.drawing.append(svg("rect", { class: "well", width: WIDTH, height: FOOT + 2, rx: 5 }));
    this.passed = svg("g");
    this.film = svg("path", { class: "film" });
    this.drawing.append(this.passed, this.film);
    for (let nm = 400; nm <= 750; nm += 50) {
      if (nm % 100 === 0) this.drawing.append(svg("text", { class: "axis", x: Math.max(atNm(nm), HALF_LABEL), y: HEIGHT - 3, "text-anchor": "middle" }, `${nm} nm`));
      this.drawing.append(svg("line", { class: "tickmark", x1: atNm(nm), x2: atNm(nm), y1: FOOT + 2, y2: FOOT + 5 }));
    }
    this.handles = EDGES.map(([which, end, words]) => this.handle(which, end, words));
    this.drawing.append(...this.handles.map(({ mark }) => mark));
    holder.append(this.drawing);
  }

  handle(which, end, words) {
    const mark = svg("g", {
      class: `edge ${which}`, tabindex: 0, role: "slider", "aria-label": words, "aria-valuemin": FIRST, "aria-valuemax": LAST, "aria-valuenow": FIRST,
    });
    if (which === "filter") {
      mark.append(svg("line", { x1: 0, x2: 0, y1: TOP - 4, y2: FOOT }), svg("rect", { x: -4, y: 26, width: 8, height: 18, rx: 3 }));
    } else mark.append(svg("path", { d: `M-5 ${TOP - 7}L5 ${TOP - 7}L0 ${TOP + 3}Z` }));
    mark.append(svg("title", {}, words));
    mark.addEventListener("pointerdown", (event) => {
      if (event.button !== 0) return;
      event.preventDefault();
      mark.focus({ preventScroll: true });
      follow(mark, event, (next) => this.put(which, end, ofX(place(this.drawing, next).x)), () => this.heard.settle());
    });
    mark.addEventListener("keydown", (event) => {
      if (event.ctrlKey || event.metaKey || event.altKey || !(event.key in KEYS)) return;
      event.preventDefault();
      event.stopPropagation();
      this.put(which, end, this.edges[which][end] + KEYS[event.key]);
      this.heard.settle("soon");
    });
    return { mark, which, end };
  }

  put(which, end, nm) {
    const edges = [...this.edges[which]];
    const whole = Math.round(nm);
    const { settings, band_gap: gap } = this.vocabulary;
    const { low, high } = settings[`mix.base:film.${which}_edges`];
    edges[end] = end ? clamp(whole, edges[0] + gap, high) : clamp(whole, low, edges[1] - gap);
    this.edges[which] = edges;
    this.heard.edges(which, edges);
    this.lay();
  }

  lay() {
    for (const { mark, which, end } of this.handles) {
      const nm = this.edges[which][end];
      set(mark, { transform: `translate(${clamp(atNm(nm), 5, WIDTH - 5)} 0)`, "aria-valuenow": nm, "aria-valuetext": `${nm} nm` });
    }
  }

  /** Draw a film's figures. */
  show(film) {
    this.edges = { film: [...film.film_edges], filter: [...(film.filter_edges || [FIRST, LAST])] };
    const line = film.nm.map((nm, i) => `${i ? "L" : "M"}${atNm(nm).toFixed(1)} ${atShare(film.sensitivity[i]).toFixed(1)}`);
    this.film.setAttribute("d", line.join(""));
    const wide = atNm(FIRST + (film.nm[1] - film.nm[0])) + 0.5;
    this.passed.replaceChildren(...film.nm.map((nm, i) => svg("rect", {
      x: atNm(nm) - wide / 2, width: wide, y: atShare(film.passed[i]), height: FOOT - atShare(film.passed[i]) + 1, fill: this.vocabulary.spectrum[i],
    })));
    this.lay();
  }
}
