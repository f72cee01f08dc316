// Asking for the selected frames as finished files.
import { ask, say } from "./api.js";
import { forming } from "./form.js";
import { part } from "./part.js";

const MEMORY = "oatmeal-batch";
const WAIT_MS = 250;

/** The part of the sheet that exports; needs `chosen`. */
export function batching() {
  /** @type {import("./part.js").Part<{chosen: number[]}>} */
  const own = part;
  return own({
    ...forming(MEMORY),
    batchOpen: false,
    /** @type {string[]} */
    examples: [],
    batchError: "",
    starting: false,
    /** @type {ReturnType<typeof setTimeout>|undefined} */
    exampleTimer: undefined,

    batchTitle() {
      return this.chosen.length === 1 ? "Export 1 frame" : `Export ${this.chosen.length} frames`;
    },
    openBatch() {
      this.recallForm();
      this.batchOpen = true;
      this.$nextTick(() => this.$refs.batchClose?.focus());
      this.example();
    },
    closeBatch() {
      this.batchOpen = false;
    },
    formChanged() {
      clearTimeout(this.exampleTimer);
      this.exampleTimer = setTimeout(() => this.example(), WAIT_MS);
    },
    async example() {
      try {
        const { names } = await ask("POST", "/api/exports/names", { ...this.formSent(), photographs: [...this.chosen] });
        this.examples = names.length > 2 ? [names[0], names[1], `… and ${names.length - 2} more`] : names;
        this.batchError = "";
      } catch (problem) {
        this.examples = [];
        this.batchError = problem.message;
      }
    },
    async startBatch() {
      this.starting = true;
      try {
        const { count } = await ask("POST", "/api/exports", { ...this.formSent(), photographs: [...this.chosen] });
        this.closeBatch();
        say(`${count} ${count === 1 ? "file is" : "files are"} being made.`, "See exports", () => window.location.assign("/exports"));
      } catch (problem) {
        this.batchError = problem.message;
      }
      this.starting = false;
    },
  });
}
