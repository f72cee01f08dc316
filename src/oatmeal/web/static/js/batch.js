// Asking for the selected frames as finished files.
import { ask, say } from "./api.js";

const MEMORY = "oatmeal-batch";
const STANDARD = { format: "jpeg", depth: 8, channels: "grey", quality: 92, size: 0, metadata: "keep", pattern: "{series}-{number}-{title}-{version}" };
const WAIT_MS = 250;
const SMALLEST = 16;

/** The part of the sheet that exports; needs `chosen`. */
export function batching() {
  return {
    batchOpen: false,
    form: { ...STANDARD },
    examples: [],
    batchError: "",
    starting: false,

    batchTitle() {
      return this.chosen.length === 1 ? "Export 1 frame" : `Export ${this.chosen.length} frames`;
    },
    openBatch() {
      this.form = { ...STANDARD, ...remembered() };
      this.batchOpen = true;
      this.$nextTick(() => this.$refs.batchClose.focus());
      this.example();
    },
    closeBatch() {
      this.batchOpen = false;
    },
    isDeep(format) {
      return format === "png" || format === "tiff";
    },
    isSingle(format) {
      return format === "jpeg" || this.isDeep(format);
    },
    setForm(key, value) {
      this.form[key] = value;
      if (!this.isDeep(this.form.format)) this.form.depth = 8;
      localStorage.setItem(MEMORY, JSON.stringify(this.form));
      clearTimeout(this.exampleTimer);
      this.exampleTimer = setTimeout(() => this.example(), WAIT_MS);
    },
    setBatchSize(event) {
      const number = Math.round(Number(event.target.value));
      this.setForm("size", Number.isFinite(number) && number >= SMALLEST ? number : 0);
      event.target.value = this.form.size || "";
    },
    async example() {
      try {
        const { names } = await ask("POST", "/api/exports/names", { ...this.form, photographs: [...this.chosen] });
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
        const { count } = await ask("POST", "/api/exports", { ...this.form, photographs: [...this.chosen] });
        this.closeBatch();
        say(`${count} ${count === 1 ? "file is" : "files are"} being made.`, "See exports", () => window.location.assign("/exports"));
      } catch (problem) {
        this.batchError = problem.message;
      }
      this.starting = false;
    },
  };
}

function remembered() {
  try {
    return JSON.parse(localStorage.getItem(MEMORY)) || {};
  } catch {
    return {};
  }
}
