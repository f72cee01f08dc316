// How finished files are written: the choices that both export dialogs offer.
import { remembered } from "./told.js";

const CM_AN_INCH = 2.54;

/**
 * The part of a page with the form; `formChanged()` of the page is called after a change.
 * @param {string} memory where the last choice is kept
 */
export function forming(memory) {
  const place = /** @type {HTMLElement} */ (document.querySelector("[data-form]"));
  /** What the server declares: what the form begins with, formats that hold 16 bits or one channel, limits. */
  const told = JSON.parse(place.dataset.form ?? "null");
  const { standard } = told;
  return {
    form: { ...standard },

    recallForm() {
      this.form = { ...standard, ...keptForm(memory) };
    },
    isDeep() {
      return told.deep.includes(this.form.format);
    },
    isSingle() {
      return told.single.includes(this.form.format);
    },
    setForm(key, value) {
      this.form[key] = value;
      if (!this.isDeep()) this.form.depth = 8;
      localStorage.setItem(memory, JSON.stringify(this.form));
      this.formChanged();
    },
    qualityWords() {
      return this.isDeep() ? "nothing is lost" : "";
    },
    typeQuality(event) {
      const [low, high] = told.qualities;
      const number = Math.round(Number(event.target.value.replace(",", ".")));
      if (Number.isFinite(number) && event.target.value.trim()) this.setForm("quality", Math.min(high, Math.max(low, number)));
      event.target.value = this.form.quality;
    },
    /** The size in the chosen unit. */
    sizeShown() {
      const { size, unit, resolution } = this.form;
      if (!size) return "";
      return unit === "px" ? String(size) : String(Math.round((size / resolution) * CM_AN_INCH * 10) / 10);
    },
    setSize(event) {
      const number = Number(event.target.value.replace(",", "."));
      const pixels = this.form.unit === "px" ? number : (number / CM_AN_INCH) * this.form.resolution;
      this.setForm("size", Number.isFinite(pixels) && pixels >= told.smallest ? Math.round(pixels) : 0);
      event.target.value = this.sizeShown();
    },
    /** A size in centimetres keeps its centimetres at another resolution. */
    setResolution(event) {
      const number = Math.round(Number(event.target.value));
      const before = this.form.resolution;
      const [low, high] = told.resolutions;
      const next = number >= low && number <= high ? number : before;
      if (this.form.unit === "cm" && this.form.size) this.form.size = Math.round((this.form.size / before) * next);
      this.setForm("resolution", next);
      event.target.value = next;
    },
    /** What the server is told. */
    formSent() {
      const { unit: _, ...sent } = this.form;
      return sent;
    },
  };
}

function keptForm(memory) {
  try {
    return remembered(memory) ?? {};
  } catch {
    return {};
  }
}
