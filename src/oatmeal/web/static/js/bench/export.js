// The export panel: form of the file, its size before saving, download.
import { ask } from "../api.js";
import { clamp, typed } from "./paths.js";

/** Formats that hold 16 bits and lose nothing. */
const DEEP = ["png", "tiff"];
const MEMORY = "oatmeal-output";
const STANDARD = { format: "jpeg", depth: 8, quality: 92, size: 0 };
const WAIT_MS = 250;

/** The part of the bench that writes files; needs `saver`, `store` and `settleNow`. */
export function exporting(photograph, version) {
  return {
    exporting: false,
    output: { ...STANDARD },
    measured: null,
    exportError: "",
    exportName: "",
    exportReady: false,
    wishNumber: 0,

    async openExport() {
      this.output = { ...STANDARD, ...remembered() };
      this.exporting = true;
      this.exportReady = false;
      this.measured = null;
      this.$nextTick(() => this.$refs.exportClose.focus());
      await this.settleNow();
      this.measure(0);
    },
    closeExport() {
      this.exporting = false;
      this.wishNumber += 1;
      this.$refs.surround.focus();
    },
    isDeep(format) {
      return DEEP.includes(format);
    },
    isSingle(format) {
      return format === "jpeg" || this.isDeep(format);
    },
    setOutput(key, value) {
      this.output[key] = value;
      if (!this.isDeep(this.output.format)) this.output.depth = 8;
      this.measure();
    },
    setQuality(event) {
      this.output.quality = Number(event.target.value);
      this.measure();
    },
    setSize(event) {
      const longest = Math.max(photograph.width, photograph.height);
      const number = typed(event.target.value || "0");
      const full = !Number.isFinite(number) || number <= 0 || number >= longest;
      this.output.size = full ? 0 : Math.round(clamp(number, 16, longest));
      event.target.value = this.output.size || "";
      this.exportError = number > longest ? `The photograph has ${longest} px; it is never enlarged.` : "";
      this.measure();
    },
    qualityWords() {
      return this.isDeep(this.output.format) ? "PNG and TIFF lose nothing" : String(this.output.quality);
    },
    measure(wait = WAIT_MS) {
      localStorage.setItem(MEMORY, JSON.stringify(this.output));
      this.exportReady = false;
      this.wishNumber += 1;
      const wish = this.wishNumber;
      setTimeout(() => this.measureNow(wish), wait);
    },
    async measureNow(wish) {
      if (wish !== this.wishNumber) return;
      try {
        const made = await ask("POST", `/api/versions/${version}/finished`, this.output);
        if (wish !== this.wishNumber) return;
        this.measured = made;
        this.exportName = made.name;
        this.exportReady = true;
      } catch (problem) {
        if (wish !== this.wishNumber) return;
        this.measured = null;
        this.exportError = problem.message;
      }
    },
    exportWords() {
      if (!this.exportReady) return this.exportError ? "No file." : "Making the file to know its size …";
      const { width, height, bytes } = this.measured;
      return `${width} × ${height} px, ${this.output.depth}-bit grey, ${weight(bytes)}`;
    },
    exportAddress() {
      const { format, depth, quality, size } = this.output;
      const query = new URLSearchParams({ format, depth, quality });
      if (size) query.set("size", size);
      return `/versions/${version}/finished?${query}`;
    },
    downloaded(event) {
      if (!this.exportReady) event.preventDefault();
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

/** Bytes in words. */
function weight(bytes) {
  return bytes < 1e6 ? `${Math.round(bytes / 1000)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
}
