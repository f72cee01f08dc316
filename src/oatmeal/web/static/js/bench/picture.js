// The picture on its surround: greys to canvas, fit and 100 %, panning, marks for clipping.
import { follow } from "./svg.js";

const MARGIN = 20;
const NOT_PICTURE = "button, input, select, .notice, .pinboard, .stripbar";
const STRIPE = 4;

const packed = (red, green, blue) => (255 << 24) | (blue << 16) | (green << 8) | red;
const GREYS = Uint32Array.from({ length: 256 }, (_, code) => packed(code, code, code));
const HALF = 96;
const OUTLINE = (190 << 24) | (235 << 16) | (245 << 8) | 250;
const LOW_MARK = [packed(63, 75, 134), packed(140, 152, 214)];
const HIGH_MARK = [packed(169, 87, 31), packed(255, 190, 130)];

export class Picture {
  /**
   * @param {HTMLElement} surround
   * @param {{coarse: HTMLCanvasElement, fine: HTMLCanvasElement, over: HTMLCanvasElement}} canvases the
   *   whole frame, the part seen at 100 %, and the outline over both
   * @param {{width: number, height: number}} file
   * @param {{moved: () => void, read: (point: any) => void, press: (event: any, at: any) => boolean}} heard
   */
  constructor(surround, canvases, file, heard) {
    Object.assign(this, canvases, { surround, file, heard });
    this.zoom = "fit";
    this.centre = { x: file.width / 2, y: file.height / 2 };
    this.whole = {};
    this.part = {};
    this.marks = null;
    this.layer = "grey";
    this.averaged = 1;
    surround.addEventListener("pointermove", (event) => this.read(event));
    surround.addEventListener("pointerleave", () => heard.read(null));
    surround.addEventListener("pointerdown", (event) => this.press(event));
    new ResizeObserver(() => { this.lay(); heard.moved(); }).observe(surround);
  }

  get density() { return window.devicePixelRatio || 1; }

  /** CSS pixels for one pixel of the file. */
  get scale() {
    if (this.zoom !== "fit") return 1 / this.density;
    const box = this.surround.getBoundingClientRect();
    const room = [box.width - 2 * MARGIN, box.height - 2 * MARGIN - 24];
    return Math.max(0.01, Math.min(room[0] / this.file.width, room[1] / this.file.height));
  }

  /** Where the file's top left corner lies on the surround, in CSS pixels. */
  get origin() {
    const box = this.surround.getBoundingClientRect();
    if (this.zoom === "fit") {
      return {
        x: (box.width - this.file.width * this.scale) / 2,
        y: (box.height - 24 - this.file.height * this.scale) / 2,
      };
    }
    return {
      x: Math.round(box.width / 2 - this.centre.x * this.scale),
      y: Math.round(box.height / 2 - this.centre.y * this.scale),
    };
  }

  /** Longer side, in device pixels, that a whole frame needs. */
  get side() {
    const wanted = Math.max(this.file.width, this.file.height) * this.scale * this.density;
    return this.zoom === "fit" ? Math.max(200, Math.round(wanted)) : 1024;
  }

  /** The rectangle of the file that is in view, whole pixels. */
  get region() {
    if (this.zoom === "fit") return null;
    const box = this.surround.getBoundingClientRect();
    const { x, y } = this.origin;
    const left = Math.max(0, Math.floor(-x / this.scale));
    const top = Math.max(0, Math.floor(-y / this.scale));
    const right = Math.min(this.file.width, Math.ceil((box.width - x) / this.scale));
    const bottom = Math.min(this.file.height, Math.ceil((box.height - y) / this.scale));
    return [left, top, Math.max(1, right - left), Math.max(1, bottom - top)];
  }

  /** Take in an arrived frame. */
  show(frame) {
    const target = frame.region ? this.part : this.whole;
    const sized = { width: frame.width, height: frame.height, region: frame.region };
    for (const [name, data] of Object.entries(frame.layers)) {
      if (name === "touched") this.outline({ ...sized, data });
      else target[name] = { ...sized, data };
    }
    this.paint();
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
    this.over.getContext("2d").putImageData(image, 0, 0);
    this.lay();
  }

  /** True if a layer of what is in view is at hand. */
  has(name) {
    const layer = (this.zoom === "fit" ? this.whole : this.part)[name];
    if (!layer) return false;
    return this.zoom === "fit" || String(layer.region) === String(this.region);
  }

  paint() {
    this.draw(this.coarse, this.whole[this.layer] || this.whole.grey);
    const part = this.zoom === "fit" ? null : this.part[this.layer];
    this.fine.hidden = !part;
    if (part) this.draw(this.fine, part);
    this.lay();
  }

  draw(canvas, layer) {
    if (!layer) return;
    const { width, height, data } = layer;
    if (canvas.width !== width || canvas.height !== height) Object.assign(canvas, { width, height });
    const context = canvas.getContext("2d");
    const image = new ImageData(width, height);
    const out = new Uint32Array(image.data.buffer);
    if (data.length === 3 * out.length) {
      for (let i = 0, j = 0; i < out.length; i += 1, j += 3) out[i] = packed(data[j], data[j + 1], data[j + 2]);
    } else {
      for (let i = 0; i < out.length; i += 1) out[i] = GREYS[data[i]];
      if (this.marks && layer === (canvas === this.fine ? this.part : this.whole).grey) this.mark(out, data, width);
    }
    context.putImageData(image, 0, 0);
  }

  /** Stripes over what clips: falling ones on black, rising ones on white. */
  mark(out, data, width) {
    const { low_code: low, high_code: high } = this.marks;
    for (let i = 0; i < out.length; i += 1) {
      if (data[i] > low && data[i] < high) continue;
      const x = i % width;
      const y = (i - x) / width;
      if (data[i] <= low) out[i] = LOW_MARK[((x - y) & (2 * STRIPE - 1)) < STRIPE ? 0 : 1];
      else out[i] = HIGH_MARK[((x + y) & (2 * STRIPE - 1)) < STRIPE ? 0 : 1];
    }
  }

  /** Put the canvases where they belong. */
  lay() {
    const { x, y } = this.origin;
    const scale = this.scale;
    place(this.coarse, x, y, this.file.width * scale, this.file.height * scale);
    const part = this.part[this.layer];
    if (part && this.zoom !== "fit") {
      const [left, top, width, height] = part.region;
      place(this.fine, x + left * scale, y + top * scale, width * scale, height * scale);
    }
    if (this.touched) {
      const [left, top, width, height] = this.touched.region || [0, 0, this.file.width, this.file.height];
      place(this.over, x + left * scale, y + top * scale, width * scale, height * scale);
    }
    this.surround.classList.toggle("closeup", this.zoom !== "fit");
  }

  /** @param {"fit"|"full"} zoom @param {{x: number, y: number}} [centre] in the file's pixels */
  setZoom(zoom, centre) {
    this.zoom = zoom;
    this.part = {};
    if (centre) this.centre = centre;
    this.keepInside();
    this.paint();
    this.heard.moved();
  }

  moveBy(x, y) {
    if (this.zoom === "fit") return;
    this.centre = { x: this.centre.x + x / this.scale, y: this.centre.y + y / this.scale };
    this.keepInside();
    this.lay();
    this.heard.moved();
  }

  keepInside() {
    const box = this.surround.getBoundingClientRect();
    for (const [axis, size, room] of [["x", this.file.width, box.width], ["y", this.file.height, box.height]]) {
      const half = Math.min(size, room / this.scale) / 2;
      this.centre[axis] = Math.min(size - half, Math.max(half, this.centre[axis]));
    }
  }

  press(event) {
    if (event.button !== 0 || event.target.closest(NOT_PICTURE)) return;
    const at = this.locate(event);
    if (at && this.heard.press(event, at)) return;
    if (this.zoom !== "fit") this.pan(event);
  }

  pan(event) {
    this.surround.focus();
    this.surround.classList.add("panning");
    let last = event;
    follow(this.surround, event, (next) => {
      this.moveBy(last.clientX - next.clientX, last.clientY - next.clientY);
      last = next;
    }, () => this.surround.classList.remove("panning"));
  }

  /** Where a pointer is, in the file's pixels; null outside the picture. */
  locate(event) {
    const box = this.surround.getBoundingClientRect();
    const x = (event.clientX - box.left - this.origin.x) / this.scale;
    const y = (event.clientY - box.top - this.origin.y) / this.scale;
    return x >= 0 && y >= 0 && x < this.file.width && y < this.file.height ? { x, y } : null;
  }

  read(event) {
    this.pointer = event.target.closest("button:not(.pin), .notice, .pinboard, .stripbar") ? null : this.locate(event);
    this.heard.read(this.pointer ? this.values(this.pointer) : null);
  }

  /** Where a point of the file lies on the surround, in CSS pixels. */
  placeOf(point) {
    const { x, y } = this.origin;
    return { x: x + point.x * this.scale, y: y + point.y * this.scale };
  }

  /** The point of the file in the middle of what is seen. */
  middle() {
    return this.zoom === "fit" ? { x: this.file.width / 2, y: this.file.height / 2 } : { ...this.centre };
  }

  /** The codes under a point: grey, plain (one number) and colour (three), where at hand. */
  values(point) {
    const found = {};
    for (const name of ["grey", "plain", "colour"]) {
      const part = this.zoom === "fit" ? null : this.part[name];
      found[name] = sample(part, point, this.file, this.averaged) ?? sample(this.whole[name], point, this.file, this.averaged);
    }
    return found;
  }
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

function place(canvas, x, y, width, height) {
  Object.assign(canvas.style, { left: `${x}px`, top: `${y}px`, width: `${width}px`, height: `${height}px` });
}
