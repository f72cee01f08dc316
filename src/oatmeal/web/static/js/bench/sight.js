// Looking: zoom, layers, surround, marks for clipping, the meter.
import { clamp, percent, typed } from "./paths.js";
import { counted, drawHistogram } from "./histogram.js";
import { grey } from "./svg.js";
import { nextTick } from "./ticks.js";
import { CLOSEST, FARTHEST, ZOOMS } from "./view.js";

const PAN_STEP = 80;
const SURROUNDS = ["grey", "white", "black"];
const SHOWN_AS = "oatmeal-surround";
const GAP = -2;
const DIFFERENCES = 22;

/**
 * How the picture is looked at.
 * @param {Pick<import("./bench.js").Bench, "areas" | "compare" | "crop" | "drawer" | "finish" | "history" | "light" | "parts" | "pins" | "refs" | "spots" | "vocabulary" | "work">} bench
 */
export function seeing(bench) {
  return {
    /** Fit, or pixels of the screen for one of the file. @type {"fit"|number} */
    zoom: "fit",
    zooms: ZOOMS,
    showing: "grey",
    markBlacks: false,
    markWhites: false,
    /** @type {any} */
    clipping: null,
    /** Shares of red, green and blue that clip, while the colour picture is shown. @type {{low: number[], high: number[]}|null} */
    channels: null,
    /** @type {any} */
    reading: null,
    averaged: 1,
    /** Fingers are what is used: words speak of touching. */
    touch: window.matchMedia("(pointer: coarse)").matches,
    around: SURROUNDS.find((one) => one === localStorage.getItem(SHOWN_AS)) ?? "grey",
    alone: false,
    thirds: false,
    // zoom
    zoomTo(zoom) {
      const { picture } = bench.parts;
      picture.setZoom(zoom, picture.pointer ? { ...picture.pointer } : picture.middle());
    },
    /** Pixels of the screen for a hundred of the file. */
    percent: 100,
    measureZoom() {
      const { view } = bench.parts.picture;
      if (this.zoom !== view.zoom) bench.work.tell(`Zoom ${this.zoomName(view.zoom)}${view.zoom === "fit" ? "" : " %"}`);
      this.zoom = view.zoom;
      this.percent = Math.round(view.scale * view.density * 100);
    },
    /** @param {Event & {target: HTMLInputElement}} event */
    typeZoom(event) {
      const number = typed(event.target.value);
      if (Number.isFinite(number) && number > 0) this.zoomTo(clamp(number / 100, FARTHEST, CLOSEST));
      event.target.value = String(this.percent);
    },
    zoomToggle() {
      this.zoomTo(this.zoom === "fit" ? 1 : "fit");
    },
    zoomStep(way) {
      const { picture } = bench.parts;
      picture.gestures.step(way, picture.pointer);
    },
    zoomName(zoom) {
      return zoom === "fit" ? "Fit" : String(zoom * 100);
    },
    dragWords() {
      const does = { mix: "lifts", tone: "moves tones", areas: "draws" }[bench.work.step] || "strokes";
      return `Dragging ${bench.spots.dragLifts ? does : "moves"}`;
    },
    panBy(event) {
      const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
      if (!by || this.zoom === "fit") return false;
      const far = PAN_STEP * (event.shiftKey ? 4 : 1);
      bench.parts.picture.moveBy(by[0] * far, by[1] * far);
      return true;
    },
    // what is round the picture, and over it
    chooseSurround(around) {
      this.around = around;
      localStorage.setItem(SHOWN_AS, around);
    },
    nextSurround() {
      this.chooseSurround(SURROUNDS[(SURROUNDS.indexOf(this.around) + 1) % SURROUNDS.length]);
    },
    toggleAlone() {
      this.alone = !this.alone;
      nextTick(() => this.arrange());
    },
    toggleThirds() {
      this.thirds = !this.thirds;
      bench.parts.picture.thirds = this.thirds;
      bench.parts.picture.lay();
    },
    /** Give the picture the room that panels leave. */
    arrange() {
      const { picture } = bench.parts;
      const { chips, differences } = bench.refs;
      bench.finish.mount();
      picture.view.measure();
      const under = chips.offsetHeight + (bench.compare.comparing ? differences.offsetHeight || DIFFERENCES : 0) + GAP;
      const beside = bench.history.historyOpen ? bench.refs.history : bench.drawer.shown ? bench.drawer.pane() : null;
      const covers = beside && !this.alone ? beside.offsetWidth : 0;
      const below = covers >= picture.surround.offsetWidth; // on a phone it comes from the foot
      const right = below ? 0 : covers;
      const foot = below && beside ? beside.offsetHeight : under;
      picture.arrange({ right, foot: this.alone ? 0 : foot, margin: this.alone ? 0 : 20, beside: bench.compare.comparing && bench.compare.compareMode === "beside" });
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
      const { picture } = bench.parts;
      picture.marks = this.marksNow();
      picture.paint();
      const marked = [this.markBlacks && "blacks", this.markWhites && "whites"].filter(Boolean);
      bench.work.tell(marked.length ? `Marked: ${marked.join(" and ")} that clip` : "Nothing is marked");
    },
    /** The codes from which pixels are marked, or null. */
    marksNow() {
      if (this.channels) return this.markBlacks || this.markWhites ? { low_code: this.markBlacks ? 0 : -1, high_code: this.markWhites ? 255 : 256 } : null;
      if (!this.clipping || !(this.markBlacks || this.markWhites)) return null;
      const { low_code: low, high_code: high } = this.clipping;
      return { low_code: this.markBlacks ? low : -1, high_code: this.markWhites ? high : 256 };
    },
    /** What the histogram counts: what is shown, the whole of it. @param {any} [open] the whole picture that a frame is laid on */
    count(open) {
      const { picture } = bench.parts;
      this.measureZoom();
      const layer = open ?? picture.whole[this.showing] ?? picture.whole.grey;
      if (!layer?.data) return;
      const found = counted(layer);
      this.channels = found.counts.length > 1 ? { low: found.low, high: found.high } : null;
      drawHistogram(bench.refs.histogram, found);
    },
    /** The colour picture or the greys are shown: what clips of them can be told. */
    tellsClipping() {
      return bench.light.layer() === "grey" || (bench.light.layer() === "prepared" && this.channels !== null);
    },
    histogramWords() {
      return this.channels ? "Histogram of red, green and blue" : "Histogram of the greys";
    },
    /** @param {number[]} shares of red, green and blue */
    channelWords(shares) {
      return ["R", "G", "B"].map((name, channel) => `${name} ${(shares[channel] * 100).toFixed(1)}`).join(" ");
    },
    blackWords() {
      if (this.channels) return `Black clips ${this.channelWords(this.channels.low)} %`;
      return this.clipping ? `Black clips ${percent(this.clipping.low)}` : "Black clips";
    },
    whiteWords() {
      if (this.channels) return `White clips ${this.channelWords(this.channels.high)} %`;
      if (!this.clipping) return "White clips";
      const { high, areas } = this.clipping;
      const where = high < 0.00005 ? "" : areas > high / 2 ? ", in areas" : ", in spots";
      return `White clips ${percent(high)}${where}`;
    },
    show(layer) {
      const { picture } = bench.parts;
      this.showing = layer;
      picture.layer = layer;
      this.count();
      picture.marks = this.marksNow();
      picture.paint();
    },
    showingWords() {
      if (bench.compare.withoutStep) return `without ${bench.areas.isOpen() ? bench.areas.withoutWords() : bench.compare.withoutStep === "prepare" && bench.crop.mayBeOut() ? bench.crop.group : bench.vocabulary.steps.find(({ id }) => id === bench.compare.withoutStep)?.title}`;
      return { colour: "colour original", plain: "plain conversion", prepared: "prepared colour", mask: "mask alone", edges: "where it is sharpened", grey: "" }[this.showing];
    },
    meter(codes) {
      const { meterColour, meterPlain, meterNow } = bench.refs;
      this.reading = codes;
      const known = (code) => (typeof code === "number" ? grey(code) : "transparent");
      const seen = this.showing === "prepared" ? codes?.prepared : codes?.colour;
      meterColour.style.background = seen ? `rgb(${seen.join(" ")})` : "transparent";
      meterPlain.style.background = known(codes?.plain);
      meterNow.style.background = known(codes?.grey);
      this.markScale();
    },
    /** The meter and the pins ride on the scale as ticks. */
    markScale() {
      const marks = bench.pins.pinReadings.flatMap((reading, number) => (reading ? [{ code: reading.code, name: String(number + 1) }] : []));
      if (typeof this.reading?.grey === "number") marks.push({ code: this.reading.grey, name: "" });
      bench.parts.scale?.mark(marks);
    },
    setAverage(side) {
      bench.parts.picture.averaged = side;
      this.averaged = side;
      const { picture } = bench.parts;
      if (picture.pointer) this.meter(picture.values(picture.pointer));
    },
    readingOf(layer, what) {
      const code = this.reading?.[layer];
      if (typeof code !== "number") return "";
      const value = bench.vocabulary.codes[code][what];
      return typeof value === "number" ? String(Math.round(value)) : value;
    },
  };
}
