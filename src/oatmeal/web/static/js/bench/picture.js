// The picture on its surround: layers to canvas, a compared picture over or beside it, marks for clipping.
import { Gestures } from "./gestures.js";
import { checked, fill, finished, packed } from "./greys.js";
import { Navigator } from "./navigator.js";
import { View } from "./view.js";
import { context } from "../told.js";

const STRIPE = 4;
const NEVER = "button:not(.pin), select, .ring, .tag, .notice, .pinboard, .stripbar, .history, .wall, .navigator, .divider, .board";

const HALF = 96;
const OUTLINE = (190 << 24) | (235 << 16) | (245 << 8) | 250;
const LOW_MARK = [packed(63, 75, 134), packed(140, 152, 214)];
const HIGH_MARK = [packed(169, 87, 31), packed(255, 190, 130)];

/**
 * A compared picture: a layer of the present one (`layer`), or frames of another recipe.
 * or the colour original with a frame of its `own`: the whole of it, fitted into its pane.
 * @typedef {{layer?: string, whole?: Object<string, any>, part?: Object<string, any>, own?: boolean}} Other
 */

/** What stands round a picture, in pixels of the file. @typedef {{gap: number, line: number, mat: number, foot: number, lineGrey: string, matGrey: string}} Mount */

/** @param {Mount|null} one */
const aroundOf = (one) => (one ? { side: one.gap + one.line + one.mat, foot: one.gap + one.line + one.foot } : { side: 0, foot: 0 });

export class Picture {
  /**
   * @param {HTMLElement} surround
   * @param {Object<string, HTMLElement>} parts pane and aside (each with two canvases: the whole frame and
   *   the part seen at a larger zoom), over (the outline), mount and othermount (line and mat), thirds, divider, navigator
   * @param {{width: number, height: number}} framed size of the photograph as it is framed
   * @param {{moved: () => void, read: (point: any) => void, press: (event: any, at: any) => boolean, beyond: (event: any) => boolean, wheel: (event: any) => boolean, zoomed: () => void}} heard
   */
  constructor(surround, parts, framed, heard) {
    const file = { width: framed.width, height: framed.height };
    this.surround = surround;
    this.parts = parts;
    this.file = file;
    this.heard = heard;
    const [coarse, fine] = parts.pane.querySelectorAll("canvas");
    const [otherCoarse, otherFine] = parts.aside.querySelectorAll("canvas");
    /** The whole frame and the part seen at a larger zoom, of this picture and of the one it is compared with. */
    this.coarse = coarse;
    this.fine = fine;
    this.otherCoarse = otherCoarse;
    this.otherFine = otherFine;
    this.over = /** @type {HTMLCanvasElement} */ (parts.over);
    this.view = new View(surround, file);
    this.whole = {};
    this.part = {};
    /** What holds the drawn layers, each with the one it shows. @type {any[]} */
    this.canvases = [coarse, fine, otherCoarse, otherFine];
    /** How the photograph is framed in the newest frame. */
    this.framing = "";
    /** Layers of the whole picture that a frame is laid on. @type {Object<string, any>} */
    this.open = {};
    this.marks = null;
    this.layer = "grey";
    this.averaged = 1;
    /** @type {Other|null} what it is compared with */
    this.compared = null;
    /** @type {Other|null} what faces it in a comparison, if not the present picture */
    this.facing = null;
    /** @type {Other|null} what is shown in its place for a moment */
    this.instead = null;
    this.flipped = false;
    /** What stands round the present one and the one it is compared with. @type {(Mount|null)[]} */
    this.mounts = [null, null];
    this.divider = 0.5;
    this.thirds = false;
    this.navigator = new Navigator(parts.navigator, this);
    this.gestures = new Gestures(surround, this, NEVER);
    surround.addEventListener("pointermove", (event) => this.read(event));
    surround.addEventListener("pointerleave", () => { this.pointer = null; heard.read(null); });
    new ResizeObserver(() => this.resized()).observe(surround);
  }

  /** The photograph as it is framed now; its size may change with the recipe. @param {[number, number]} size */
  frameAs([width, height]) {
    if (width === this.file.width && height === this.file.height) return;
    const middle = this.shares(this.view.centre);
    Object.assign(this.file, { width, height });
    this.view.centre = this.point(middle);
    this.view.keepInside();
    this.navigator.size();
  }

  /**
   * What stands round the picture and round the one it is compared with, or nothing.
   * @param {Mount|null} widths @param {Mount|null} [other]
   */
  mount(widths, other = null) {
    if (JSON.stringify([widths, other]) === JSON.stringify(this.mounts)) return;
    this.mounts = [widths, other];
    const sides = [widths, other].map((one) => aroundOf(one));
    this.arrange({ around: { side: Math.max(...sides.map(({ side }) => side)), foot: Math.max(...sides.map(({ foot }) => foot)) } });
  }

  layMounts() {
    const { pane, otherPane, beside } = this.view;
    const alone = !beside || Boolean(this.instead) || this.flipped;
    this.layMount(this.parts.mount, this.facing?.own ? null : this.mounts[0], [0, 0]);
    this.layMount(this.parts.othermount, alone || this.compared?.own ? null : this.mounts[1], [otherPane.x - pane.x, otherPane.y - pane.y]);
  }

  /** @param {HTMLElement} mount @param {Mount|null} widths @param {number[]} by how far its pane lies from the present one */
  layMount(mount, widths, by) {
    mount.hidden = !widths;
    if (!widths) return;
    const { gap, line, mat, matGrey, lineGrey } = widths;
    const { scale } = this.view;
    const origin = { x: this.view.origin.x + by[0], y: this.view.origin.y + by[1] };
    const around = aroundOf(widths);
    const { width, height } = this.file;
    place(mount, origin.x - around.side * scale, origin.y - around.side * scale, (width + 2 * around.side) * scale, (height + around.side + around.foot) * scale);
    mount.style.background = matGrey;
    const [ring] = /** @type {HTMLCollectionOf<HTMLElement>} */ (mount.children);
    place(ring, mat * scale, mat * scale, (width + 2 * (gap + line)) * scale, (height + 2 * (gap + line)) * scale);
    ring.style.border = `${line * scale}px solid ${lineGrey}`;
  }

  /** A point of the framed picture in shares of its sides, and back. */
  shares({ x, y }) { return { x: x / this.file.width, y: y / this.file.height }; }
  point({ x, y }) { return { x: x * this.file.width, y: y * this.file.height }; }

  get zoom() { return this.view.zoom; }
  get side() { return this.view.side; }
  get region() { return this.view.region; }

  resized() {
    this.view.measure();
    this.view.keepInside();
    this.lay();
    this.heard.moved();
  }

  /** Take in an arrived frame. */
  show(frame) {
    const { prepare } = frame.wish.recipe;
    const framing = framingOf(prepare);
    if (frame.region && this.framing !== framing) this.whole = {}; // of another frame: nothing of it lies here
    this.framing = framing;
    const target = frame.region ? this.part : this.whole;
    const sized = { width: frame.width, height: frame.height, region: frame.region, side: frame.wish.side };
    for (const [name, data] of Object.entries(frame.layers)) {
      if (["touched", "zoned", "kept"].includes(name)) this.outline({ ...sized, data });
      else if (name === "grey") target.grey = { ...finished(frame), side: frame.wish.side, made: madeOf(name, prepare) };
      else if (name !== "print") target[name] = { ...sized, data, made: madeOf(name, prepare) };
    }
    if (frame.layers.opacity) for (const canvas of this.canvases) canvas.drawn = null;
    this.paint();
  }

  /** Take in the whole picture that a frame is laid on. */
  showOpen(frame) {
    const { prepare } = frame.wish.recipe;
    const { opacity, ...layers } = frame.layers;
    const { width, height } = frame;
    for (const [name, data] of Object.entries(layers)) {
      this.open[name] = { width, height, side: frame.wish.side, data, made: openMadeOf(prepare), opacity: opacity && { width, height, data: opacity } };
    }
  }

  /** True if that is at hand as these settings of Prepare make it. The grey depends on more: never. */
  hasOpen(name, prepare) {
    const layer = this.open[name];
    return name !== "grey" && Boolean(layer) && layer.made === openMadeOf(prepare) && layer.side >= this.view.fitSide(layer);
  }

  /** Draw a soft outline round what is touched; null takes it away. */
  outline(layer) {
    this.touched = layer;
    this.over.hidden = !layer;
    if (!layer) return;
    const { width, height, data } = layer;
    Object.assign(this.over, { width, height });
    const image = new ImageData(width, height);
    const out = new Uint32Array(image.data.buffer);
    for (let y = 1; y < height - 1; y += 1) {
      for (let i = y * width + 1, end = i + width - 2; i < end; i += 1) {
        if (data[i] < HALF) continue;
        const inside = data[i - 1] >= HALF && data[i + 1] >= HALF && data[i - width] >= HALF && data[i + width] >= HALF;
        if (!inside) out[i] = OUTLINE;
      }
    }
    context(this.over).putImageData(image, 0, 0);
    this.lay();
  }

  /**
   * True if a layer of what is in view is at hand, at the size that is wanted and of the same colours.
   * @param {string} name @param {any} prepare the Prepare step of the recipe
   */
  has(name, prepare) {
    const { region, side } = this;
    const layer = (region ? this.part : this.whole)[name];
    if (!layer || layer.made !== madeOf(name, prepare)) return false;
    return region ? String(layer.region) === String(region) : layer.side === side;
  }

  /** The compared picture that is shown now, if any. */
  get other() { return this.instead || this.compared; }

  /**
   * Layers of a compared picture: the whole frame, and the part at a larger zoom.
   * @param {Other|null} other @returns {{whole?: any, part?: any}}
   */
  layersOf(other) {
    if (!other) return {};
    if (other.layer) return { whole: this.whole[other.layer], part: this.part[other.layer] };
    const { whole = {}, part = {} } = other;
    return other.own ? { whole: whole.colour } : { whole: whole.grey, part: part.grey };
  }

  otherLayers() { return this.layersOf(this.other); }

  /** What is drawn in the picture's own pane. */
  ownLayers() {
    if (this.facing && this.layersOf(this.facing).whole) return this.layersOf(this.facing);
    return { whole: this.whole[this.layer] || this.whole.grey, part: this.part[this.layer] };
  }

  paint() {
    const own = this.ownLayers();
    this.drawPair([this.coarse, this.fine], own, (this.layer === "grey" || this.layer === "prepared") && !this.facing);
    const other = this.otherLayers();
    this.parts.aside.hidden = !other.whole;
    if (other.whole) this.drawPair([this.otherCoarse, this.otherFine], other, false);
    this.lay();
    this.navigator.paint(own.whole);
  }

  /** @param {any[]} canvases @param {{whole?: any, part?: any}} layers @param {boolean} marked */
  drawPair([coarse, fine], { whole, part }, marked) {
    this.draw(coarse, whole, marked);
    const close = this.region ? part : null;
    coarse.hidden = !whole;
    fine.hidden = !close;
    if (close) this.draw(fine, close, marked);
  }

  draw(canvas, layer, marked) {
    const marks = marked ? this.marks : null;
    if (!layer || (canvas.drawn === layer && canvas.marks === marks)) return;
    Object.assign(canvas, { drawn: layer, marks });
    const { width, height, data } = layer;
    if (canvas.width !== width || canvas.height !== height) Object.assign(canvas, { width, height });
    const image = new ImageData(width, height);
    const out = new Uint32Array(image.data.buffer);
    fill(out, layer);
    const opacity = [this.part.opacity, this.whole.opacity].find((one) => one && covers(one, layer));
    if (opacity) checked(out, { ...layer, size: this.file }, opacity);
    if (marks) this.mark(out, data, width);
    context(canvas).putImageData(image, 0, 0);
  }

  /** Stripes over what clips: falling ones on black, rising ones on white. */
  mark(out, data, width) {
    const { low_code: low, high_code: high } = this.marks;
    const channels = data.length / out.length;
    for (let i = 0; i < out.length; i += 1) {
      let least = data[i * channels];
      let most = least;
      for (let j = 1; j < channels; j += 1) {
        least = Math.min(least, data[i * channels + j]);
        most = Math.max(most, data[i * channels + j]);
      }
      if (least > low && most < high) continue;
      const x = i % width;
      const y = (i - x) / width;
      if (least <= low) out[i] = LOW_MARK[((x - y) & (2 * STRIPE - 1)) < STRIPE ? 0 : 1];
      else out[i] = HIGH_MARK[((x + y) & (2 * STRIPE - 1)) < STRIPE ? 0 : 1];
    }
  }

  /** Put everything where it belongs. */
  lay() {
    const { view } = this;
    const { pane } = view;
    const covering = Boolean(this.instead) || this.flipped;
    const otherPane = view.beside && !covering ? view.otherPane : pane;
    place(this.parts.pane, pane.x, pane.y, pane.width, pane.height);
    place(this.parts.aside, otherPane.x, otherPane.y, otherPane.width, otherPane.height);
    const own = this.ownLayers();
    const other = this.otherLayers();
    if (this.facing?.own && own.whole) this.layWhole(this.coarse, own.whole);
    else this.layPair([this.coarse, this.fine], own.part);
    if (other.whole && this.other?.own) this.layWhole(this.otherCoarse, other.whole);
    else if (other.whole) this.layPair([this.otherCoarse, this.otherFine], other.part);
    if (this.touched) this.layOne(this.over, this.touched.region, { x: 0, y: 0 });
    this.layMounts();
    this.layDivider(covering);
    this.layThirds();
    this.surround.classList.toggle("closeup", this.zoom !== "fit");
    this.surround.classList.toggle("enlarged", this.zoom !== "fit" && view.scale * view.density > 1);
    this.navigator.lay();
  }

  layPair([coarse, fine], part) {
    const { pane } = this.view;
    this.layOne(coarse, null, pane);
    if (part && !fine.hidden) this.layOne(fine, part.region, pane);
  }

  /** Lay a canvas of another shape, fitted, in the middle of its pane. */
  layWhole(canvas, { width, height }) {
    const { view } = this;
    const scale = view.fitting({ width, height });
    const { pane } = view;
    place(canvas, (pane.width - width * scale) / 2, (pane.height - view.foot - height * scale) / 2, width * scale, height * scale);
  }

  /** Lay a canvas over its part of the file; `from` is the corner of what holds it. */
  layOne(canvas, region, from) {
    const { x, y } = this.view.origin;
    const { scale } = this.view;
    const [left, top, width, height] = region || [0, 0, this.file.width, this.file.height];
    place(canvas, x - from.x + left * scale, y - from.y + top * scale, width * scale, height * scale);
  }

  /** The line of the split: between the edges of what is seen of the picture. */
  layDivider(covering) {
    const split = Boolean(this.compared) && !this.view.beside && !covering;
    this.parts.divider.hidden = !split;
    this.parts.aside.style.clipPath = "";
    if (!split) return;
    const { left, right, top, bottom } = this.shownEdges();
    const at = left + this.divider * (right - left);
    this.parts.aside.style.clipPath = `inset(0 ${this.view.pane.width - at}px 0 0)`;
    place(this.parts.divider, at - 14, top, 28, bottom - top);
  }

  /** Edges of the picture on the surround as far as they are seen, in CSS pixels. */
  shownEdges() {
    const { pane } = this.view;
    const low = this.view.placeOf({ x: 0, y: 0 });
    const high = this.view.placeOf({ x: this.file.width, y: this.file.height });
    return {
      left: Math.max(pane.x, low.x), top: Math.max(pane.y, low.y),
      right: Math.min(pane.x + pane.width, high.x), bottom: Math.min(pane.y + pane.height, high.y),
    };
  }

  /** @param {number} share where the divider stands, 0 to 1 */
  setDivider(share) {
    this.divider = Math.min(1, Math.max(0, share));
    this.lay();
  }

  /** Let the divider follow a pointer. */
  divideAt(event) {
    const { left, right } = this.shownEdges();
    this.setDivider((this.view.onSurround(event).x - left) / (right - left));
  }

  layThirds() {
    this.parts.thirds.hidden = !this.thirds;
    if (this.thirds) this.layOne(this.parts.thirds, null, { x: 0, y: 0 });
  }

  /** @param {"fit"|number} zoom @param {{x: number, y: number}} [anchor] in the file's pixels */
  setZoom(zoom, anchor) {
    this.view.setZoom(zoom, anchor);
    this.part = {};
    for (const other of [this.compared, this.facing]) if (other?.part) other.part = {};
    this.paint();
    this.heard.zoomed();
    this.heard.moved();
  }

  moveBy(x, y) {
    if (this.zoom === "fit") return;
    this.view.moveBy(x, y);
    this.lay();
    this.heard.moved();
  }

  /** Bring a point of the file to the middle. */
  moveTo(point) {
    this.view.centre = { ...point };
    this.view.keepInside();
    this.lay();
    this.heard.moved();
  }

  /** Change something of the view that moves the picture. */
  arrange(changes) {
    Object.assign(this.view, changes);
    this.view.keepInside();
    this.paint();
    this.heard.moved();
  }

  locate(event) { return this.view.locate(event); }
  placeOf(point) { return this.view.placeOf(point); }
  middle() { return this.view.middle(); }

  read(event) {
    this.pointer = event.target.closest(NEVER) ? null : this.locate(event);
    this.heard.read(this.pointer ? this.values(this.pointer) : null);
  }

  /** The codes under a point: grey, plain and compared (one number), colour and prepared (three), where at hand. */
  values(point) {
    const found = {};
    const here = (part, whole) => sample(this.region ? part : null, point, this.file, this.averaged) ?? sample(whole, point, this.file, this.averaged);
    for (const name of ["grey", "plain", "colour", "prepared"]) found[name] = here(this.part[name], this.whole[name]);
    const other = this.compared && !this.instead ? this.otherLayers() : {};
    const compared = here(other.part, other.whole);
    found.compared = typeof compared === "number" ? compared : null;
    return found;
  }
}

/** What of Prepare a layer of the framed picture was made with. */
function madeOf(name, prepare) {
  return name === "colour" || name === "opacity" ? framingOf(prepare) : JSON.stringify(prepare);
}

/** What of Prepare decides where a pixel lies. */
function framingOf({ on, frame, lens }) {
  return JSON.stringify({ on, frame, lens });
}

/** The same for the whole picture that a frame is laid on. */
function openMadeOf({ frame: _, ...rest }) {
  return JSON.stringify(rest);
}

/** Whether a part of the picture, or all of it, holds another. */
function covers({ region }, layer) {
  return !region || String(region) === String(layer.region);
}

function sample(layer, point, file, side) {
  if (!layer) return null;
  const [left, top, width, height] = layer.region || [0, 0, file.width, file.height];
  const x = Math.floor(((point.x - left) / width) * layer.width);
  const y = Math.floor(((point.y - top) / height) * layer.height);
  if (x < 0 || y < 0 || x >= layer.width || y >= layer.height) return null;
  const channels = layer.data.length / (layer.width * layer.height);
  const half = side >> 1;
  const sums = new Array(channels).fill(0);
  let count = 0;
  for (let row = Math.max(0, y - half); row <= Math.min(layer.height - 1, y + half); row += 1) {
    for (let column = Math.max(0, x - half); column <= Math.min(layer.width - 1, x + half); column += 1) {
      const at = (row * layer.width + column) * channels;
      for (let channel = 0; channel < channels; channel += 1) sums[channel] += layer.data[at + channel];
      count += 1;
    }
  }
  const means = sums.map((sum) => Math.round(sum / count));
  return channels === 1 ? means[0] : means;
}

function place(element, x, y, width, height) {
  Object.assign(element.style, { left: `${x}px`, top: `${y}px`, width: `${width}px`, height: `${height}px` });
}
