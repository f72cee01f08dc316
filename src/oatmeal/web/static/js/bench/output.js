// The export panel: form of the file, its size and a part of it before saving, download.
import { ask, say, send } from "../api.js";
import { forming } from "../form.js";
import { bind } from "./panels.js";
import { nextTick } from "./ticks.js";

const MEMORY = "oatmeal-output";
const WAIT_MS = 250;
const LOOK = { width: 480, height: 150 };

/**
 * The export panel: form of the file, its size and a part of it before saving, download.
 * @param {Pick<import("./bench.js").Bench, "finish" | "frame" | "parts" | "photograph" | "refs" | "version" | "vocabulary" | "work">} bench
 */
export function outputting(bench) {
  const version = bench.version.id;
  const form = forming(MEMORY);
  return {
    ...form,
    /** One channel holds greys alone. */
    isSingle() {
      return form.isSingle.call(this) && !bench.finish.coloured;
    },
    /** Why a file has three channels. */
    channelWords() {
      return bench.finish.coloured ? "RGB: the print has colour, and one channel holds greys alone" : "";
    },
    /** What becomes of transparent parts. */
    opacityWords() {
      if (!bench.frame.transparent) return "";
      const kept = bench.vocabulary.transparent_formats.includes(this.form.format);
      return kept ? "Parts of the photograph are transparent, and stay so in this format." : "Parts of the photograph are transparent; this format cannot hold that: they become paper white.";
    },
    exporting: false,
    /** @type {any} */
    measured: null,
    exportError: "",
    exportName: "",
    exportReady: false,
    wishNumber: 0,
    lookAddress: "",
    lookPlace: { x: 0.5, y: 0.5 },
    async openExport() {
      this.recallForm();
      bind("export");
      this.exporting = true;
      this.exportReady = false;
      this.measured = null;
      nextTick(() => bench.refs.exportClose.focus());
      await bench.work.settleNow();
      this.measure(0);
    },
    closeExport() {
      this.exporting = false;
      this.wishNumber += 1;
      bench.refs.surround.focus();
    },
    formChanged() {
      this.measure();
    },
    measure(wait = WAIT_MS) {
      this.exportReady = false;
      this.wishNumber += 1;
      const wish = this.wishNumber;
      const { width: across, height: down } = bench.parts.picture.file;
      const longest = Math.max(across, down);
      this.exportError = this.form.size > longest ? `The photograph has ${longest} px; it is never enlarged.` : "";
      setTimeout(() => this.measureNow(wish), wait);
    },
    async measureNow(wish) {
      if (wish !== this.wishNumber) return;
      try {
        const made = await ask("POST", `/api/versions/${version}/finished`, this.formSent());
        if (wish !== this.wishNumber) return;
        this.measured = made;
        this.exportName = made.name;
        this.exportReady = true;
        await this.look(wish);
      } catch (problem) {
        if (wish !== this.wishNumber) return;
        this.measured = null;
        this.exportError = problem.message;
      }
    },
    /** Show a part of the file as it was written, pixel for pixel. */
    async look(wish) {
      const density = window.devicePixelRatio || 1;
      const part = { width: Math.round(LOOK.width * density), height: Math.round(LOOK.height * density) };
      const reply = await send("POST", `/api/versions/${version}/finished/look`, { ...this.formSent(), ...this.lookPlace, ...part });
      const picture = await reply.blob();
      if (wish !== this.wishNumber) return;
      if (this.lookAddress) URL.revokeObjectURL(this.lookAddress);
      this.lookAddress = URL.createObjectURL(picture);
    },
    /** Bring the place that was clicked to the middle. */
    lookAt(event) {
      if (!this.measured) return;
      const box = event.target.getBoundingClientRect();
      const density = window.devicePixelRatio || 1;
      const by = (at, size, whole) => ((at - size / 2) * density) / whole;
      const moved = {
        x: this.lookPlace.x + by(event.clientX - box.left, box.width, this.measured.width),
        y: this.lookPlace.y + by(event.clientY - box.top, box.height, this.measured.height),
      };
      this.lookPlace = { x: Math.min(1, Math.max(0, moved.x)), y: Math.min(1, Math.max(0, moved.y)) };
      this.look(this.wishNumber);
    },
    exportWords() {
      if (!this.exportReady) return this.exportError ? "No file." : "Making the file to know its size …";
      const { width, height, bytes } = this.measured;
      const kind = this.form.channels === "grey" && this.isSingle() ? "grey" : bench.finish.coloured ? "RGB" : "neutral RGB";
      return `${width} × ${height} px, ${this.form.depth}-bit ${kind}, ${weight(bytes)}`;
    },
    exportAddress() {
      return `/versions/${version}/finished?${new URLSearchParams(this.formSent())}`;
    },
    /** Beside the original that another program handed over. */
    async exportBack() {
      try {
        const { path } = await ask("POST", `/api/versions/${version}/finished/back`, this.formSent());
        this.closeExport();
        say(`Written as ${path}.`);
      } catch (problem) {
        this.exportError = problem.message;
      }
    },
    downloaded(event) {
      if (!this.exportReady) event.preventDefault();
    },
  };
}

/** Bytes in words. */
function weight(bytes) {
  return bytes < 1e6 ? `${Math.round(bytes / 1000)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
}
