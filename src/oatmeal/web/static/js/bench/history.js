// The history of the version: every step with its words, kept states, small pictures.
import { ask, say } from "../api.js";
import { drawGreys } from "./greys.js";
import { nextTick } from "./ticks.js";

/** Steps that are read at once, and more with every press. */
const PAGE = 150;
const SMALL_SIDE = 240;
const DAY_MS = 86_400_000;

/**
 * Every step of the version, to go back to.
 * @param {Pick<import("./bench.js").Bench, "compare" | "drawer" | "parts" | "refs" | "sight" | "version" | "versions" | "work">} bench
 */
export function remembering(bench) {
  const address = `/api/versions/${bench.version.id}`;
  return {
    /** @type {any[]} */
    steps: [],
    historyOpen: false,
    earlier: 0,
    count: PAGE,
    pictures: false,
    keepName: "",
    // history
    async toggleHistory() {
      if (bench.drawer.shown) bench.drawer.close();
      this.historyOpen = !this.historyOpen;
      if (this.historyOpen) {
        await bench.work.settleNow();
        await this.readHistory();
      }
      await nextTick();
      bench.sight.arrange();
      if (this.historyOpen) bench.refs.history.querySelector("[aria-current]")?.scrollIntoView({ block: "nearest" });
    },
    async readHistory() {
      await bench.versions.tryIt(async () => {
        const { steps, earlier } = await ask("GET", `${address}/history?count=${this.count}`);
        Object.assign(this, { steps, earlier });
      });
      if (this.pictures) this.drawSteps();
    },
    /** Read it again after a change, if anything shows it. */
    historyChanged() {
      if (this.historyOpen || bench.compare.comparing) this.readHistory();
      else this.steps = [];
    },
    async readEarlier() {
      this.count += 10 * PAGE;
      await this.readHistory();
    },
    stepTitle(step) {
      return step.aside ? "on a branch that was left; going there brings it back" : "go to this state";
    },
    async goTo(step) {
      if (!step.now) await bench.work.goToStep(step.id);
    },
    /** Keep a state, or the present one, under a name; an empty name lets it go. */
    async keepStep(step, name) {
      await bench.versions.tryIt(async () => {
        const { kept } = await ask("PATCH", `${address}/history/${step.id}`, { kept: name });
        step.kept = kept;
      });
    },
    async keepNow() {
      await bench.work.settleNow();
      await this.readHistory();
      const now = this.steps.find((step) => step.now);
      const name = this.keepName.trim() || `State at ${this.when(now?.at)}`;
      await this.keepStep(now, name);
      this.keepName = "";
      say(`Kept as “${name}”.`);
    },
    /** A moment in few words. */
    when(at) {
      const moment = new Date(at);
      const time = moment.toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });
      if (Date.now() - moment.getTime() < DAY_MS / 2) return time;
      return `${moment.toLocaleDateString([], { day: "numeric", month: "short" })} ${time}`;
    },
    /** What a state is called on the wall. */
    pinWords(step) {
      return step.kept || `${this.when(step.at)} ${step.words}`;
    },
    togglePictures() {
      this.pictures = !this.pictures;
      if (this.pictures) nextTick(() => this.drawSteps());
    },
    /** Small pictures of the steps that are seen, one after another. */
    drawSteps() {
      this.seeing?.disconnect();
      const seen = new Map();
      const draw = async () => {
        for (const [canvas, id] of seen) {
          seen.delete(canvas);
          const { recipe } = await ask("GET", `${address}/history/${id}`);
          drawGreys(canvas, await bench.parts.frames.fetch({ recipe, side: SMALL_SIDE, layers: ["grey"] }));
          canvas.dataset.drawn = id;
        }
      };
      let drawing = Promise.resolve();
      this.seeing = new IntersectionObserver((entries) => {
        for (const { target: seenAt, isIntersecting } of entries) {
          const target = /** @type {HTMLElement} */ (seenAt);
          if (isIntersecting && target.dataset.drawn !== target.dataset.step) seen.set(target, target.dataset.step);
        }
        drawing = drawing.then(draw).catch((problem) => say(problem.message));
      });
      nextTick(() => {
        for (const canvas of bench.refs.history.querySelectorAll("canvas")) this.seeing.observe(canvas);
      });
    },
  };
}
