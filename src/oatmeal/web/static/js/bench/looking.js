// Looking: zoom, layers, marks for clipping, the meter.
import { percent } from "./paths.js";
import { grey } from "./svg.js";

const PAN_STEP = 80;

/** The part of the bench that shows; `parts()` gives the picture. */
export function looking(parts) {
  return {
    zoom: "fit",
    showing: "grey",
    markBlacks: false,
    markWhites: false,
    clipping: null,
    reading: null,
    averaged: 1,

    zoomToggle() {
      const { picture } = parts();
      const near = picture.pointer;
      picture.setZoom(picture.zoom === "fit" ? "full" : "fit", near ? { ...near } : undefined);
      this.zoom = picture.zoom;
    },
    zoomWords() {
      return this.zoom === "fit" ? "Fit" : "100 %";
    },
    dragWords() {
      return this.dragLifts ? "Dragging lifts" : "Dragging moves";
    },
    /** Mark both ends, or neither. */
    clippingToggle() {
      const on = !(this.markBlacks || this.markWhites);
      this.markBlacks = on;
      this.markWhites = on;
      this.paintMarks();
    },
    blacksToggle() {
      this.markBlacks = !this.markBlacks;
      this.paintMarks();
    },
    whitesToggle() {
      this.markWhites = !this.markWhites;
      this.paintMarks();
    },
    paintMarks() {
      const { picture } = parts();
      picture.marks = this.marksNow();
      picture.paint();
    },
    /** The codes from which pixels are marked, or null. */
    marksNow() {
      if (!this.clipping || !(this.markBlacks || this.markWhites)) return null;
      const { low_code: low, high_code: high } = this.clipping;
      return { low_code: this.markBlacks ? low : -1, high_code: this.markWhites ? high : 256 };
    },
    blackWords() {
      return this.clipping ? `Black clips ${percent(this.clipping.low)}` : "Black clips";
    },
    whiteWords() {
      if (!this.clipping) return "White clips";
      const { high, areas } = this.clipping;
      const where = high < 0.00005 ? "" : areas > high / 2 ? ", in areas" : ", in small spots";
      return `White clips ${percent(high)}${where}`;
    },
    show(layer) {
      const { picture } = parts();
      this.showing = layer;
      picture.layer = layer;
      picture.paint();
    },
    showingWords() {
      return { colour: "colour original", plain: "plain conversion", grey: "" }[this.showing];
    },
    release() {
      if (this.showing !== "grey") this.show("grey");
    },
    panBy(event) {
      const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
      if (!by || this.zoom === "fit") return false;
      const far = PAN_STEP * (event.shiftKey ? 4 : 1);
      parts().picture.moveBy(by[0] * far, by[1] * far);
      return true;
    },

    meter(codes) {
      const { meterColour, meterPlain, meterNow } = this.$refs;
      this.reading = codes;
      const known = (code) => (typeof code === "number" ? grey(code) : "transparent");
      meterColour.style.background = codes?.colour ? `rgb(${codes.colour.join(" ")})` : "transparent";
      meterPlain.style.background = known(codes?.plain);
      meterNow.style.background = known(codes?.grey);
      this.markScale();
    },
    /** The meter and the pins ride on the scale as ticks. */
    markScale() {
      const marks = this.pinReadings.map(({ code }, number) => ({ code, name: String(number + 1) }));
      if (typeof this.reading?.grey === "number") marks.push({ code: this.reading.grey, name: "" });
      parts().scale?.mark(marks);
    },
    setAverage(side) {
      parts().picture.averaged = side;
      this.averaged = side;
      const { picture } = parts();
      if (picture.pointer) this.meter(picture.values(picture.pointer));
    },
    readingOf(layer, what) {
      const code = this.reading?.[layer];
      if (typeof code !== "number") return "";
      const value = this.vocabulary.codes[code][what];
      return typeof value === "number" ? String(Math.round(value)) : value;
    },
  };
}
