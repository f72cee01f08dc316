// Where the picture lies on the surround: zoom, panning, and the panes of a comparison.

/** Fit, or pixels of the screen for one pixel of the file. */
/** @type {("fit"|number)[]} */
export const ZOOMS = ["fit", 0.5, 1];

/** What a step closer or farther comes to, and the ends of what can be typed. */
export const STEPS = [...ZOOMS, 2, 4, 8];
export const CLOSEST = 8;
export const FARTHEST = 0.05;

const MARGIN = 20;
const FOOT = 24;
/** Longer side of a frame that the server renders whole, and the most pixels of a part. */
const LARGEST_WHOLE = 2048;
const LARGEST_PART = 16_000_000;
const COARSE_SIDE = 1024;

export class View {
  /** @param {HTMLElement} surround @param {{width: number, height: number}} file */
  constructor(surround, file) {
    this.surround = surround;
    this.file = file;
    /** @type {"fit"|number} */
    this.zoom = "fit";
    this.centre = { x: file.width / 2, y: file.height / 2 };
    /** Two panes side by side; else one. */
    this.beside = false;
    /** CSS pixels at the right and at the foot that something else covers. */
    this.right = 0;
    this.foot = FOOT;
    this.margin = MARGIN;
    /** Size of the surround in CSS pixels: as it was measured, and before that as it is expected. */
    this.measured = { width: 0, height: 0 };
    this.expected = { width: 0, height: 0 };
    /** The last event that was asked for, and where. @type {{event: any, x: number, y: number}} */
    this.pointed = { event: null, x: 0, y: 0 };
    /** What stands round the picture, in pixels of the file. */
    this.around = { side: 0, foot: 0 };
  }

  get density() { return window.devicePixelRatio || 1; }

  /** Ask the page how large the surround is. It lays itself out for that: only when the size may have changed. */
  measure() {
    const { width, height } = this.surround.getBoundingClientRect();
    this.measured = { width, height };
  }

  get surroundSize() {
    if (!this.measured.width && !this.expected.width) this.measure();
    return this.measured.width ? this.measured : this.expected;
  }

  /** False as long as nobody knows how large the surround will be. */
  get known() { return this.surroundSize.width > 0; }

  /** What is free of the surround, in CSS pixels. */
  get size() {
    const { width, height } = this.surroundSize;
    return { width: Math.max(1, width - this.right), height };
  }

  /**
   * Where a pointer is from the surround's top left corner on, in CSS pixels. The page is asked once for each event:
   * what others who hear of it have written since moves no corner.
   * @param {{clientX: number, clientY: number}} event
   */
  onSurround(event) {
    if (event !== this.pointed.event) {
      const { left, top } = this.surround.getBoundingClientRect();
      this.pointed = { event, x: event.clientX - left, y: event.clientY - top };
    }
    const { x, y } = this.pointed;
    return { x, y };
  }

  /** The part of the surround that holds the present picture, in CSS pixels. */
  get pane() {
    const { width, height } = this.size;
    if (!this.beside) return { x: 0, y: 0, width, height };
    return width >= height
      ? { x: width / 2, y: 0, width: width / 2, height }
      : { x: 0, y: height / 2, width, height: height / 2 };
  }

  /** The part that holds the picture it is compared with. */
  get otherPane() {
    return { ...this.pane, x: 0, y: 0 };
  }

  /** CSS pixels for one pixel of the file. */
  get scale() {
    return this.zoom === "fit" ? this.fitting(this.file) : this.zoom / this.density;
  }

  /** The scale at which a file fits, the present one with what stands round it. */
  fitting(file) {
    const { pane } = this;
    const { side, foot } = file === this.file ? this.around : { side: 0, foot: 0 };
    const room = [pane.width - 2 * this.margin, pane.height - 2 * this.margin - this.foot];
    const fits = Math.min(room[0] / (file.width + 2 * side), room[1] / (file.height + side + foot));
    return Math.max(0.01, Math.min(fits, 1 / this.density)); // nothing is enlarged unasked
  }

  /** Where the file's top left corner lies on the surround, in CSS pixels. */
  get origin() {
    const { pane, scale, density } = this;
    if (this.zoom === "fit") {
      return {
        x: pane.x + (pane.width - this.file.width * scale) / 2,
        y: pane.y + (pane.height - this.foot - (this.file.height + this.around.foot - this.around.side) * scale) / 2,
      };
    }
    const whole = (value) => Math.round(value * density) / density;
    return {
      x: whole(pane.x + pane.width / 2 - this.centre.x * scale),
      y: whole(pane.y + pane.height / 2 - this.centre.y * scale),
    };
  }

  /** Longer side, in device pixels, that a whole frame needs. */
  get side() {
    return this.zoom === "fit" ? this.fitSide(this.file) : this.region ? COARSE_SIDE : this.zoomedSide;
  }

  get zoomedSide() {
    return Math.min(LARGEST_WHOLE, Math.round(Math.max(this.file.width, this.file.height) * Number(this.zoom)));
  }

  /** The same for a file that fits. */
  fitSide(file) {
    return Math.max(200, Math.round(Math.max(file.width, file.height) * this.fitting(file) * this.density));
  }

  /** What a frame depends on of the view: the same for two views that need the same frame. */
  get key() { return `${this.side} ${this.region}`; }

  /** The rectangle of the file that is in view, whole pixels; null where a whole frame does. */
  get region() {
    if (this.zoom === "fit" || (this.zoom < 1 && Math.max(this.file.width, this.file.height) * this.zoom <= LARGEST_WHOLE)) return null;
    const { left, top, right, bottom } = this.seen;
    const part = [left, top, Math.max(1, right - left), Math.max(1, bottom - top)];
    return part[2] * part[3] > LARGEST_PART ? null : part;
  }

  /** Edges of what is in view, in whole pixels of the file. */
  get seen() {
    const { pane, scale } = this;
    const { x, y } = this.origin;
    return {
      left: Math.max(0, Math.floor((pane.x - x) / scale)),
      top: Math.max(0, Math.floor((pane.y - y) / scale)),
      right: Math.min(this.file.width, Math.ceil((pane.x + pane.width - x) / scale)),
      bottom: Math.min(this.file.height, Math.ceil((pane.y + pane.height - y) / scale)),
    };
  }

  /**
   * @param {"fit"|number} zoom
   * @param {{x: number, y: number}} [anchor] a point of the file that stays where it is on the screen
   */
  setZoom(zoom, anchor) {
    const at = anchor && this.placeOf(anchor);
    this.zoom = zoom;
    if (anchor && at && zoom !== "fit") {
      const { pane, scale } = this;
      this.centre = {
        x: anchor.x - (at.x - pane.x - pane.width / 2) / scale,
        y: anchor.y - (at.y - pane.y - pane.height / 2) / scale,
      };
    }
    this.keepInside();
  }

  /** Move what is seen by CSS pixels. */
  moveBy(x, y) {
    this.centre = { x: this.centre.x + x / this.scale, y: this.centre.y + y / this.scale };
    this.keepInside();
  }

  keepInside() {
    const { pane, scale } = this;
    const { side, foot } = this.around;
    const inside = (/** @type {number} */ at, /** @type {number} */ size, /** @type {number} */ room, /** @type {number} */ beyond) => {
      const half = Math.min(size + side + beyond, room / scale) / 2;
      return Math.min(size + beyond - half, Math.max(half - side, at));
    };
    const { x, y } = this.centre;
    this.centre = { x: inside(x, this.file.width, pane.width, side), y: inside(y, this.file.height, pane.height, foot) };
  }

  /** Where a pointer is, in the file's pixels; null outside the picture. In both panes alike. */
  locate(event) {
    const { pane } = this;
    const at = this.onSurround(event);
    if (this.beside && at.x < pane.x) at.x += pane.x;
    if (this.beside && at.y < pane.y) at.y += pane.y;
    const { x, y } = this.pointAt(at);
    const inPane = at.x >= pane.x && at.y >= pane.y && at.x < pane.x + pane.width && at.y < pane.y + pane.height;
    return inPane && x >= 0 && y >= 0 && x < this.file.width && y < this.file.height ? { x, y } : null;
  }

  /** Where a point of the file lies on the surround, in CSS pixels. */
  placeOf(point) {
    const { x, y } = this.origin;
    return { x: x + point.x * this.scale, y: y + point.y * this.scale };
  }

  /** The point of the file at a place on the surround, in CSS pixels, inside the picture or not. */
  pointAt({ x, y }) {
    const { origin, scale } = this;
    return { x: (x - origin.x) / scale, y: (y - origin.y) / scale };
  }

  /** The point of the file in the middle of what is seen. */
  middle() {
    return this.zoom === "fit" ? { x: this.file.width / 2, y: this.file.height / 2 } : { ...this.centre };
  }
}
