// Running and finished exports.
import Alpine from "./common.js";
import { ask, say } from "./api.js";
import { toldBy } from "./told.js";

const LOOK_MS = 800;
const OPEN = ["waiting", "running"];
const ALWAYS_RGB = ["webp", "avif"];

Alpine.data("exportsPage", () => ({
  batches: toldBy("start").batches,

  /** @type {ReturnType<typeof setTimeout>|undefined} */
  timer: undefined,

  /** Seconds until steps are ready that the server is still making, by their titles. @type {Object<string, number>} */
  making: {},

  init() {
    this.look();
    document.addEventListener("visibilitychange", () => document.hidden || this.look());
  },
  /** Ask how far everything is, as long as something runs. */
  async look() {
    clearTimeout(this.timer);
    if (document.hidden) return;
    try {
      this.batches = (await ask("GET", "/api/exports")).batches;
    } catch (problem) {
      say(problem.message);
    }
    if (this.batches.some((batch) => this.isOpen(batch))) this.timer = setTimeout(() => this.look(), LOOK_MS);
  },
  async act(batch, what) {
    try {
      await ask("POST", `/api/exports/${batch.id}/${what}`);
    } catch (problem) {
      say(problem.message);
    }
    this.look();
  },
  async remove(batch) {
    try {
      await ask("DELETE", `/api/exports/${batch.id}`);
    } catch (problem) {
      say(problem.message);
    }
    this.look();
  },

  count(batch, state) {
    return batch.jobs.filter((job) => job.state === state).length;
  },
  doneCount(batch) {
    return this.count(batch, "done");
  },
  failedCount(batch) {
    return this.count(batch, "failed");
  },
  isOpen(batch) {
    return batch.jobs.some((job) => OPEN.includes(job.state));
  },
  mayRetry(batch) {
    return !this.isOpen(batch) && batch.jobs.some((job) => job.state === "failed" || job.state === "cancelled");
  },
  share(batch) {
    return batch.jobs.reduce((sum, job) => sum + job.share, 0) / batch.jobs.length;
  },
  formWords(batch) {
    const { format, depth, channels, quality, long_side: side } = batch.output;
    const single = channels === "grey" && !ALWAYS_RGB.includes(format);
    const parts = [format.toUpperCase(), `${depth} bits`, single ? "grey" : "neutral RGB"];
    if (!["png", "tiff"].includes(format)) parts.push(`quality ${quality}`);
    if (side) parts.push(`${side} px`);
    return `${new Date(batch.at).toLocaleString([], { dateStyle: "medium", timeStyle: "short" })} · ${parts.join(", ")}`;
  },
  stateWords(batch) {
    const words = [`${this.doneCount(batch)} of ${batch.jobs.length} done`];
    for (const state of ["failed", "cancelled"]) if (this.count(batch, state)) words.push(`${this.count(batch, state)} ${state}`);
    const left = batch.jobs.filter((job) => OPEN.includes(job.state)).length;
    if (left && batch.seconds) words.push(`about ${duration(left * batch.seconds)} left`);
    return words.join(", ");
  },
  jobWords(job) {
    if (job.state === "done") return weight(job.bytes);
    if (job.state !== "running") return job.state;
    if (!job.share && Object.keys(this.making).length) return "waits for what is still made ready";
    return job.share < 1 ? `${Math.round(job.share * 100)} %` : "being written";
  },
}));

function duration(seconds) {
  return seconds < 90 ? `${Math.max(1, Math.round(seconds))} s` : `${Math.round(seconds / 60)} min`;
}

function weight(bytes) {
  return bytes < 1e6 ? `${Math.round(bytes / 1000)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
}

Alpine.start();
