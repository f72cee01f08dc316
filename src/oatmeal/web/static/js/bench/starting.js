// Starting points: the photograph in a dozen conversions, to choose where to begin. And the small
// pictures of the plain conversions.
import { ask, say, send } from "../api.js";
import { unpacked } from "./frames.js";
import { drawGreys } from "./greys.js";
import { copy, percent } from "./paths.js";
import { bind } from "./panels.js";
import { grey } from "./svg.js";
import { nextTick } from "./ticks.js";

const SIDE = 300;

/**
 * One photograph in several small pictures.
 * @param {Pick<import("./bench.js").Bench, "parts" | "photograph" | "refs" | "root" | "vocabulary" | "work">} bench
 */
export function starting(bench) {
  const { photograph } = bench;
  /** The canvas of a plain conversion, or the first of all; another base takes them away. @returns {HTMLCanvasElement|null} */
  const canvas = (name = "") => bench.root.querySelector(`[data-weighing${name && `="${name}"`}] canvas`);
  /** What was asked for last: for which canvas, and of which preparation. @type {{first?: HTMLCanvasElement, wanted?: string}} */
  let drawn = {};
  return {
    starts: [],
    startsOpen: false,
    async openStarts() {
      bind("starts");
      this.startsOpen = true;
      this.starts = [];
      try {
        const found = await ask("POST", `/api/photographs/${photograph.id}/starts`, { recipe: copy(bench.work.recipe) });
        this.starts = found.map((start, number) => ({ ...start, number, figures: null }));
        await nextTick();
        bench.refs.startsClose.focus();
        for (const start of this.starts) await this.drawStart(start);
      } catch (problem) {
        say(problem.message);
      }
    },
    async drawStart(start) {
      const frame = await bench.parts.frames.fetch({ recipe: start.recipe, side: SIDE, layers: ["grey"] });
      if (!this.startsOpen) return;
      drawGreys(bench.root.querySelector(`[data-start="${start.number}"] canvas`), frame);
      start.figures = { clipping: frame.figures.clipping, merging: frame.figures.grey_map.merging.length };
    },
    startWords(start) {
      if (!start.figures) return "…";
      const { clipping, merging } = start.figures;
      const merged = merging ? `${merging} merging` : "none merging";
      return `black ${percent(clipping.low, 1)} · white ${percent(clipping.high, 1)} · ${merged}`;
    },
    closeStarts() {
      this.startsOpen = false;
      bench.parts.picture.surround.focus();
    },
    beginAt(start) {
      bench.work.recipe.mix = copy(start.recipe.mix);
      this.closeStarts();
      bench.work.settle();
    },
    /** The plain conversions as small pictures of this photograph, where they are in view and not drawn yet. */
    async drawPlain() {
      const first = canvas();
      if (!first || bench.work.step !== "mix") return;
      const wanted = JSON.stringify(bench.work.recipe.prepare);
      if (drawn.first === first && drawn.wanted === wanted) return;
      drawn = { first, wanted };
      try {
        const response = await send("POST", `/api/photographs/${photograph.id}/weighings`, { recipe: { prepare: copy(bench.work.recipe.prepare) } });
        const { layers, ...small } = await unpacked(response);
        for (const [name, data] of Object.entries(layers)) drawGreys(canvas(name), { ...small, layers: { grey: data } });
      } catch {
        drawn = {}; // the next frame tries again, and says what is wrong
      }
    },
    chooseWeighing(weighing) {
      bench.work.recipe.mix.base = { kind: "plain", weighing };
      bench.work.settle();
    },
    chartStyle(weighing, place) {
      return { background: grey(bench.vocabulary.weighings[weighing][place]) };
    },
  };
}
