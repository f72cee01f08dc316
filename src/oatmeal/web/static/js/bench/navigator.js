// The small overview of an enlarged picture, with a frame round what is seen.
import { follow } from "./svg.js";
import { context } from "../told.js";

const LONGEST = 150;

export class Navigator {
  /** @param {HTMLElement} holder with a canvas and a frame @param {any} picture */
  constructor(holder, picture) {
    this.holder = holder;
    this.picture = picture;
    const [canvas, frame] = holder.children;
    this.canvas = /** @type {HTMLCanvasElement} */ (canvas);
    this.frame = /** @type {HTMLElement} */ (frame);
    this.scale = 1;
    this.size();
    holder.addEventListener("pointerdown", (event) => this.press(event));
  }

  /** Take the shape of the picture. */
  size() {
    const { width, height } = this.picture.file;
    this.scale = LONGEST / Math.max(width, height);
    Object.assign(this.canvas, { width: Math.round(width * this.scale), height: Math.round(height * this.scale) });
  }

  press(event) {
    event.preventDefault();
    event.stopPropagation();
    const go = (next) => {
      const box = this.canvas.getBoundingClientRect();
      this.picture.moveTo({ x: (next.clientX - box.left) / this.scale, y: (next.clientY - box.top) / this.scale });
    };
    go(event);
    follow(this.holder, event, go, () => {});
  }

  /** Draw the whole frame small. */
  paint(layer) {
    if (this.picture.zoom === "fit" || !layer) return;
    const { width, height } = this.canvas;
    context(this.canvas).drawImage(this.picture.coarse, 0, 0, width, height);
  }

  lay() {
    const { view, zoom } = this.picture;
    const { left, top, right, bottom } = view.seen;
    const all = left === 0 && top === 0 && right === view.file.width && bottom === view.file.height;
    this.holder.hidden = zoom === "fit" || all;
    if (this.holder.hidden) return;
    const box = [left, top, right - left, bottom - top].map((value) => `${value * this.scale}px`);
    Object.assign(this.frame.style, { left: box[0], top: box[1], width: box[2], height: box[3] });
  }
}
