// Looking: zoom, layers, marks for clipping, the meter.
import { percent } from "./paths.js";
import { grey } from "./svg.js";

const PAN_STEP = 80;

/** The part of the bench that shows; `parts()` gives the picture. */
export function looking(parts) {
  return {
    zoom: "fit",
    showing: "grey",
    marks: false,
    clipping: null,
    reading: null,

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
    clippingToggle() {
      const { picture } = parts();
      this.marks = !this.marks;
      picture.marks = this.marks ? this.clipping : null;
      picture.paint();
    },
    clippingWords() {
      if (!this.clipping) return "Clipping";
      return `Clipping: black ${percent(this.clipping.low)} · white ${percent(this.clipping.high)}`;
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
    },
    readingOf(layer, what) {
      const code = this.reading?.[layer];
      if (typeof code !== "number") return "";
      const value = this.vocabulary.codes[code][what];
      return typeof value === "number" ? String(Math.round(value)) : value;
    },
  };
}
