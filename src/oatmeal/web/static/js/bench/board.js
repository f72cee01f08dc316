// The board: the whole picture as it is set right, with the frame, and lines laid on it. Only the browser draws here,
// from the one picture it has, so that everything follows the pointer.
import { checked } from "./greys.js";
import { fits, largest, middles, nearest } from "./setright.js";
import { follow, set, svg } from "./svg.js";
import { ARROWS, dragged } from "./pointer.js";
import { context } from "../told.js";

const MARGIN = 26;
const SMALLEST = 0.03;
const HALVINGS = 24;
const HANDLE = 11;
const NUDGE = 0.005;
const FINE = 0.2;
const HANDLES = [[-1, -1], [0, -1], [1, -1], [1, 0], [1, 1], [0, 1], [-1, 1], [-1, 0]];
const NAMES = ["top left", "top", "top right", "right", "bottom right", "bottom", "bottom left", "left"];

/**
 * What the board shows, and whom it tells of drags.
 * @typedef {object} Heard
 * @property {() => import("./setright.js").Laid} laid
 * @property {() => any} frame the recipe's frame
 * @property {() => string} guides none, thirds or cross
 * @property {() => string} drawing what a press on the picture draws: level, plumb or horizontal line; or nothing
 * @property {(at: {x: number, y: number}) => boolean} picked a press while something is to be picked; true if it was
 * @property {(around: {x: number, y: number, a: number, b: number}, ratio: number|null) => void} moved
 * @property {(when?: "soon") => void} settle
 * @property {(kind: string, ends: {x: number, y: number}[]) => void} drawn
 * @property {(kind: string, line: number, end: number, at: {x: number, y: number}) => void} bent
 * @property {(kind: string, line: number) => void} dropped
 * @property {() => void} linesDone
 */

export class Board {
  /** @param {HTMLElement} holder @param {import("./view.js").View} view @param {Heard} heard */
  constructor(holder, view, heard) {
    this.holder = holder;
    this.view = view;
    this.heard = heard;
    this.canvas = /** @type {HTMLCanvasElement} */ (holder.querySelector("canvas"));
    /** Where the picture lies on the board. */
    this.at = { scale: 1, x: 0, y: 0 };
    /** The layer that is drawn, or null. */
    this.layer = null;
    this.held = false;
    this.drawing = svg("svg", { class: "frameboard", role: "group", "aria-label": "Frame" });
    this.dim = svg("path", { class: "dim", "fill-rule": "evenodd" });
    this.guides = svg("path", { class: "guides" });
    this.body = svg("rect", { class: "body", tabindex: 0, role: "group", "aria-label": "Frame: arrows move it, plus and minus size it, with Shift finely" });
    this.handles = HANDLES.map(([x, y], place) => svg("rect", { class: "handle", width: HANDLE, height: HANDLE, rx: 2, "data-at": `${x},${y}`, tabindex: 0, role: "slider", "aria-valuenow": 0, "aria-label": `${NAMES[place]} of the frame` }));
    this.lines = svg("g", { class: "lines" });
    this.draft = svg("line", { class: "draft", visibility: "hidden" });
    this.drawing.append(this.dim, this.guides, this.body, ...this.handles, this.lines, this.draft);
    holder.append(this.drawing);
    holder.addEventListener("pointerdown", (event) => this.press(event));
    this.handles.forEach((handle, place) => handle.addEventListener("keydown", (event) => this.handleKey(event, HANDLES[place])));
    this.body.addEventListener("keydown", (event) => this.key(event));
  }

  get shown() { return !this.holder.hidden; }

  /** Show a layer of the whole picture, or null: the board goes. */
  show(layer) {
    this.holder.hidden = !layer;
    if (layer && layer !== this.layer) this.paint(layer);
    this.layer = layer;
    if (layer) this.draw();
  }

  paint({ width, height, data, opacity }) {
    Object.assign(this.canvas, { width, height });
    const image = new ImageData(width, height);
    const out = image.data;
    const channels = data.length / (width * height);
    for (let i = 0, j = 0; i < out.length; i += 4, j += channels) {
      out[i] = data[j];
      out[i + 1] = data[channels === 1 ? j : j + 1];
      out[i + 2] = data[channels === 1 ? j : j + 2];
      out[i + 3] = 255;
    }
    if (opacity) checked(new Uint32Array(image.data.buffer), { width, height, size: { width, height } }, opacity);
    context(this.canvas).putImageData(image, 0, 0);
  }

  /** Scale and middle at which picture and frame are seen whole; they stay while something is dragged. */
  place() {
    if (this.held) return;
    const { around, right } = this.heard.laid();
    const corners = [...right.corners(), [around.x - around.a, around.y - around.b], [around.x + around.a, around.y + around.b]];
    const [xs, ys] = [corners.map(([x]) => x), corners.map(([, y]) => y)];
    const [left, top, low, high] = [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
    const { width, height } = this.view.size;
    const room = [width - 2 * MARGIN, height - 2 * MARGIN - this.view.foot];
    const scale = Math.min(room[0] / (low - left), room[1] / (high - top));
    this.at = { scale, x: width / 2 - ((left + low) / 2) * scale, y: (height - this.view.foot) / 2 - ((top + high) / 2) * scale };
  }

  /** Where a point of the canvas lies on the surround, and back. */
  /** @param {number[]} point */
  screen([x, y]) { return [this.at.x + x * this.at.scale, this.at.y + y * this.at.scale]; }
  canvasAt(event) {
    return this.canvasOf(this.view.onSurround(event));
  }

  /** The place of the picture under a place on the surround. @param {{x: number, y: number}} at */
  canvasOf({ x, y }) {
    return [(x - this.at.x) / this.at.scale, (y - this.at.y) / this.at.scale];
  }

  draw() {
    if (!this.shown) return;
    this.place();
    const laid = this.heard.laid();
    this.layPicture(laid);
    const { x, y, a, b } = laid.around;
    const [left, top] = this.screen([x - a, y - b]);
    const [width, height] = [2 * a * this.at.scale, 2 * b * this.at.scale];
    const { width: across, height: down } = this.view.size;
    set(this.dim, { d: `M0 0H${across}V${down}H0Z M${left} ${top}h${width}v${height}h${-width}Z` });
    set(this.body, { x: left, y: top, width, height });
    this.handles.forEach((handle, place) => {
      const [dx, dy] = HANDLES[place];
      set(handle, {
        x: left + ((dx + 1) / 2) * width - HANDLE / 2, y: top + ((dy + 1) / 2) * height - HANDLE / 2,
        "aria-valuenow": Math.round(laid.frame.size), "aria-valuetext": `${laid.width} by ${laid.height} pixels`,
      });
    });
    set(this.guides, { d: guidePath(this.heard.guides(), left, top, width, height) });
    this.drawLines(laid);
  }

  /** The picture itself, moved by the browser. */
  layPicture({ right }) {
    const { width, height } = this.canvas;
    const { scale, x, y } = this.at;
    const { file, matrix } = right;
    this.clip(right);
    const [fx, fy] = [file.width / width, file.height / height];
    const rows = matrix.map(([p, q, r]) => [p * fx, q * fy, r - (p * file.width + q * file.height) / 2]);
    const [one, two, three] = rows;
    const to = [0, 1, 2].map((k) => [scale * one[k] + x * three[k], scale * two[k] + y * three[k], three[k]]);
    const columns = [[to[0][0], to[0][1], 0, to[0][2]], [to[1][0], to[1][1], 0, to[1][2]], [0, 0, 1, 0], [to[2][0], to[2][1], 0, to[2][2]]];
    this.canvas.style.transform = `matrix3d(${columns.flat().map((value) => value.toPrecision(12)).join(",")})`;
  }

  /** A lens that is undone leaves bent sides: nothing lies beyond them. @param {import("./setright.js").SetRight} right */
  clip(right) {
    const { width, height } = this.canvas;
    const { file } = right;
    const spot = (/** @type {number[]} */ [x, y]) => `${((x / file.width + 0.5) * width).toFixed(1)}px ${((y / file.height + 0.5) * height).toFixed(1)}px`;
    this.canvas.style.clipPath = right.straight ? "" : `polygon(${right.border().map((point) => spot(right.freed(point))).join(",")})`;
  }

  /** Lines laid on the picture, with ends to drag. */
  drawLines(laid) {
    const frame = this.heard.frame();
    const wanted = [...frame.plumb.map((ends, line) => ["plumb", ends, line]), ...frame.level.map((ends, line) => ["level", ends, line])];
    while (this.lines.children.length > wanted.length) this.lines.lastElementChild.remove();
    while (this.lines.children.length < wanted.length) this.lines.append(this.newLine());
    const { width, height } = laid.right.file;
    wanted.forEach(([kind, ends, number], place) => {
      const group = this.lines.children[place];
      group.kind = kind;
      group.number = number;
      const [halo, line, ...grips] = group.children;
      const points = ends.map(([x, y]) => this.screen(laid.right.canvas([x * width, y * height])));
      for (const one of [halo, line]) set(one, { x1: points[0][0], y1: points[0][1], x2: points[1][0], y2: points[1][1] });
      grips.forEach((grip, end) => {
        set(grip, { cx: points[end][0], cy: points[end][1], "aria-label": `${kind === "plumb" ? "upright" : "level"} line ${number + 1}, end ${end + 1}: drag or arrows; Delete removes the line` });
      });
    });
  }

  newLine() {
    const group = svg("g", { class: "laidline" }, svg("line", { class: "halo" }), svg("line", { class: "thread" }));
    for (const end of [0, 1]) {
      const grip = svg("circle", { class: "grip", r: 6, tabindex: 0, role: "slider", "aria-valuenow": 0 });
      grip.addEventListener("keydown", (event) => this.lineKey(event, group, end));
      grip.addEventListener("pointerdown", (event) => this.grabLine(event, group, end));
      group.append(grip);
    }
    return group;
  }

  grabLine(event, group, end) {
    if (event.button !== 0) return;
    event.preventDefault();
    event.stopPropagation();
    const grip = event.currentTarget;
    grip.focus({ preventScroll: true });
    this.held = true;
    let moved = false;
    follow(grip, event, (next) => {
      moved ||= dragged(event, next);
      if (moved) this.heard.bent(group.kind, group.number, end, this.heard.laid().share(this.canvasAt(next)));
    }, () => {
      this.held = false;
      if (moved) this.heard.linesDone();
    });
  }

  lineKey(event, group, end) {
    const by = ARROWS[event.key];
    if (event.key === "Delete" || event.key === "Backspace") this.heard.dropped(group.kind, group.number);
    else if (by) {
      const laid = this.heard.laid();
      const [x, y] = this.heard.frame()[group.kind][group.number][end];
      const { width, height } = laid.right.file;
      const [across, down] = laid.right.canvas([x * width, y * height]);
      const step = Math.max(width, height) * NUDGE * (event.shiftKey ? FINE : 1);
      this.heard.bent(group.kind, group.number, end, laid.share([across + by[0] * step, down + by[1] * step]));
      this.heard.linesDone();
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }

  press(event) {
    if (event.button !== 0) return;
    event.preventDefault();
    event.stopPropagation();
    if (this.heard.drawing()) return this.drawLine(event);
    if (this.heard.picked(this.heard.laid().share(this.canvasAt(event)))) return undefined;
    const handle = event.target.closest(".handle");
    if (handle) return this.size(event, handle.dataset.at.split(",").map(Number));
    if (event.target === this.body) return this.move(event);
    return undefined;
  }

  /** Draw a line from here to where the pointer is let go. */
  drawLine(event) {
    const kind = this.heard.drawing();
    const from = this.canvasAt(event);
    const show = (to) => {
      const [[x1, y1], [x2, y2]] = [this.screen(from), this.screen(to)];
      set(this.draft, { x1, y1, x2, y2, visibility: "visible" });
    };
    let last = from;
    follow(this.drawing, event, (next) => {
      last = this.canvasAt(next);
      show(last);
    }, (ended) => {
      set(this.draft, { visibility: "hidden" });
      if (ended.type === "pointercancel") return;
      const laid = this.heard.laid();
      this.heard.drawn(kind, [laid.share(from), laid.share(last)]);
    });
  }

  /** A line by keys while it is drawn. @param {{x: number, y: number}} from on the surround @param {{x: number, y: number}} to */
  draftLine(from, to) {
    set(this.draft, { x1: from.x, y1: from.y, x2: to.x, y2: to.y, visibility: "visible" });
  }

  /** @param {string} kind @param {{x: number, y: number}} from @param {{x: number, y: number}} to */
  endLine(kind, from, to) {
    set(this.draft, { visibility: "hidden" });
    const laid = this.heard.laid();
    this.heard.drawn(kind, [from, to].map((at) => laid.share(this.canvasOf(at))));
  }

  move(event) {
    const begun = { ...this.heard.laid().around };
    const from = this.canvasAt(event);
    this.body.focus({ preventScroll: true });
    this.drag(this.body, event, begun, (next) => {
      const to = this.canvasAt(next);
      this.shift(begun, to[0] - from[0], to[1] - from[1]);
    });
  }

  /** The frame moved from where it was, as far as the picture goes. */
  shift(begun, x, y) {
    const { planes, frame } = this.heard.laid();
    let to = [begun.x + x, begun.y + y];
    if (frame.inside) to = nearest(middles(planes, begun.a * (1 - 1e-9), begun.a / begun.b), to);
    this.heard.moved({ ...begun, x: to[0], y: to[1] }, null);
  }

  /** Drag a handle: the opposite corner or side stays. */
  size(event, way) {
    const begun = { ...this.heard.laid().around };
    event.target.focus({ preventScroll: true });
    this.drag(event.target, event, begun, (next) => this.sizeTo(way, begun, this.canvasAt(next)));
  }

  /** Bring a corner or side of the frame, as it was, to a place; [dx, dy] says which. @param {number[]} way @param {any} begun @param {number[]} to */
  sizeTo([dx, dy], begun, [x, y]) {
    const { planes, frame, most } = this.heard.laid();
    const fixed = [begun.x - dx * begun.a, begun.y - dy * begun.b];
    const ratio = begun.a / begun.b;
    const least = SMALLEST * most;
    let [a, b] = [Math.max(0, (x - fixed[0]) * dx) / 2, Math.max(0, (y - fixed[1]) * dy) / 2];
    if (!frame.free) {
      // a corner follows the pointer along the diagonal
      a = dx && dy ? (begun.a * (a * begun.a + b * begun.b)) / (begun.a ** 2 + begun.b ** 2) : dx ? a : b * ratio;
      a = Math.max(a, least, least * ratio);
      b = a / ratio;
    } else [a, b] = [dx ? Math.max(a, least) : begun.a, dy ? Math.max(b, least) : begun.b];
    const at = (share) => {
      const [halfA, halfB] = [begun.a + share * (a - begun.a), begun.b + share * (b - begun.b)];
      return { x: fixed[0] + dx * halfA, y: fixed[1] + dy * halfB, a: halfA, b: halfB };
    };
    this.heard.moved(frame.inside ? farthest(planes, at) : at(1), frame.free ? a / b : null);
  }

  /** @param {KeyboardEvent} event @param {number[]} way */
  handleKey(event, [dx, dy]) {
    const by = ARROWS[event.key];
    if (!by) return;
    const { around, right } = this.heard.laid();
    const step = Math.max(right.file.width, right.file.height) * NUDGE * (event.shiftKey ? FINE : 1);
    this.sizeTo([dx, dy], { ...around }, [around.x + dx * around.a + by[0] * step, around.y + dy * around.b + by[1] * step]);
    event.preventDefault();
    event.stopPropagation();
    this.heard.settle("soon");
  }

  drag(element, event, begun, moved) {
    this.held = true;
    let far = false;
    follow(element, event, (next) => {
      far ||= dragged(event, next);
      if (far) moved(next);
    }, (ended) => {
      this.held = false;
      if (ended.type === "pointercancel") this.heard.moved(begun, this.heard.frame().free ? begun.a / begun.b : null);
      if (far) this.heard.settle();
      this.draw();
    });
  }

  /** Keep the scale while something elsewhere is dragged. */
  hold(on) {
    this.held = on;
    this.draw();
  }

  key(event) {
    const by = ARROWS[event.key];
    const { around, right, planes, most, frame } = this.heard.laid();
    const step = Math.max(right.file.width, right.file.height) * NUDGE * (event.shiftKey ? FINE : 1);
    if (by) this.shift({ ...around }, by[0] * step, by[1] * step);
    else if (["+", "=", "-", "_"].includes(event.key)) {
      const grown = event.key === "+" || event.key === "=" ? step : -step;
      const ratio = around.a / around.b;
      const a = Math.min(Math.max(around.a + grown, SMALLEST * most), frame.inside ? largest(planes, ratio) : 2 * most);
      const [x, y] = frame.inside ? nearest(middles(planes, a * (1 - 1e-9), ratio), [around.x, around.y]) : [around.x, around.y];
      this.heard.moved({ x, y, a, b: a / ratio }, null);
    } else return;
    event.preventDefault();
    event.stopPropagation();
    this.heard.settle("soon");
  }
}

/** The farthest of a row of rectangles, from one inside (0) to the wanted one (1), that lies inside. */
function farthest(planes, at) {
  if (fits(planes, at(1))) return at(1);
  let [low, high] = [0, 1];
  for (let step = 0; step < HALVINGS; step += 1) {
    const middle = (low + high) / 2;
    if (fits(planes, at(middle))) low = middle;
    else high = middle;
  }
  return at(low);
}

function guidePath(kind, left, top, width, height) {
  const shares = { thirds: [1 / 3, 2 / 3], cross: [0.5] }[kind] || [];
  return shares.map((share) => `M${left + share * width} ${top}v${height} M${left} ${top + share * height}h${width}`).join(" ");
}
