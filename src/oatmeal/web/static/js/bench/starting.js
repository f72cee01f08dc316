// The small pictures of the plain conversions.
import { send } from "../api.js";
import { unpacked } from "./frames.js";
import { drawGreys } from "./greys.js";
import { copy } from "./paths.js";
import { grey } from "./svg.js";

/**
 * The plain conversions of this photograph.
 * @param {Pick<import("./bench.js").Bench, "base" | "photograph" | "root" | "vocabulary" | "work">} bench
 */
export function starting(bench) {
  const { photograph } = bench;
  /** The canvas of a plain conversion, or the first of all; another base takes them away. @returns {HTMLCanvasElement|null} */
  const canvas = (name = "") => bench.root.querySelector(`[data-weighing${name && `="${name}"`}] canvas`);
  /** What was asked for last: for which canvas, and of which preparation. @type {{first?: HTMLCanvasElement, wanted?: string}} */
  let drawn = {};
  return {
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
      bench.base.choose({ kind: "plain", weighing });
    },
    chartStyle(weighing, place) {
      return { background: grey(bench.vocabulary.weighings[weighing][place]) };
    },
  };
}
