// Two ribbons of hue: above, as photographed; below, as the mix sees it. A thread leads each range from one to the other.
import { follow, place, set, svg } from "./svg.js";
import { dragged } from "./pointer.js";

const WIDTH = 348;
const HEIGHT = 236;
const PLOT = { left: 6, right: 342 };
const BARS = { top: 4, foot: 46 };
const ABOVE = { top: 48, foot: 60 };
const BELOW = { top: 180, foot: 192 };
const COLUMNS = 8;
const BIN = 10;
const KEYS = { ArrowLeft: ["hue", -1], ArrowRight: ["hue", 1], ArrowUp: ["bright", 0.1], ArrowDown: ["bright", -0.1], PageUp: ["strength", 10], PageDown: ["strength", -10] };
const FINE = 0.2;

/** Where hues lie in even columns of the ranges, and back; unrolled round the circle. */
export class HueColumns {
  /** @param {Object<string, number>} centres of the ranges in degrees */
  constructor(centres) {
    this.centres = Object.values(centres);
  }

  centre(column) {
    const round = Math.floor(column / COLUMNS);
    return this.centres[column - round * COLUMNS] + 360 * round;
  }

  column(hue) {
    let low = Math.floor((hue - this.centres[0]) / 360) * COLUMNS;
    while (this.centre(low + 1) <= hue) low += 1;
    return low + (hue - this.centre(low)) / (this.centre(low + 1) - this.centre(low));
  }

  hue(column) {
    const low = Math.floor(column);
    return this.centre(low) + (column - low) * (this.centre(low + 1) - this.centre(low));
  }
}

export class Ribbons {
  /**
   * @param {HTMLElement} holder
   * @param {import("./bench.js").Vocabulary} vocabulary
   * @param {{threads: () => any, chosen: () => string, choose: (name: string) => void, move: (name: string, key: string, value: number) => void, reset: (name: string) => void, settle: (when?: "soon") => void}} heard
   */
  constructor(holder, vocabulary, heard) {
    this.heard = heard;
    this.shares = "";
    this.names = vocabulary.ranges;
    this.columns = new HueColumns(vocabulary.centres);
    const colour = (hue) => vocabulary.hues[Math.floor((((hue % 360) + 360) % 360) / 4)];
    const inert = { "pointer-events": "none" };
    const stops = Array.from({ length: 65 }, (_, k) => svg("stop", { offset: k / 64, "stop-color": colour(this.columns.hue((k / 64) * COLUMNS - 0.5)) }));
    this.drawing = svg("svg", { viewBox: `0 0 ${WIDTH} ${HEIGHT}`, role: "group", "aria-label": "Threads: where each colour goes before it becomes grey" });
    this.bars = svg("g", inert);
    this.drawing.append(
      svg("defs", {}, svg("linearGradient", { id: "hue-ribbon" }, ...stops)),
      this.bars,
      ...[ABOVE, BELOW].map(({ top, foot }) => svg("rect", { x: PLOT.left, width: PLOT.right - PLOT.left, y: top, height: foot - top, rx: 3, fill: "url(#hue-ribbon)", ...inert })),
    );
    this.parts = this.names.map((name, column) => {
      const tint = colour(vocabulary.centres[name]);
      const path = svg("path", { class: "way", stroke: tint, ...inert });
      const grasp = svg("path", { class: "grasp" });
      const dot = svg("circle", { class: "from", cx: this.x(column), cy: (ABOVE.top + ABOVE.foot) / 2, r: 3, ...inert });
      const foot = svg("circle", { class: "foot", r: 7, cy: (BELOW.top + BELOW.foot) / 2, fill: tint, tabindex: 0, role: "slider", "aria-label": `${name} thread: arrows lead its hue and its brightness, Page up and down its strength, Delete puts it back`, "aria-valuemin": -90, "aria-valuemax": 90 });
      const word = svg("text", { class: "axis name", x: this.x(column), y: HEIGHT - 24, "text-anchor": "middle" }, name);
      const value = svg("text", { class: "axis value", x: this.x(column), y: HEIGHT - 8, "text-anchor": "middle" });
      for (const element of [foot, grasp]) element.addEventListener("pointerdown", (event) => this.grab(event, name));
      for (const element of [word, value]) element.addEventListener("pointerdown", () => { foot.focus(); heard.choose(name); });
      foot.addEventListener("focus", () => heard.choose(name));
      foot.addEventListener("keydown", (event) => this.key(event, name));
      this.drawing.append(grasp, path, dot, word, value);
      return { name, column, path, grasp, foot, word, value };
    });
    this.drawing.append(
      svg("text", { class: "axis told", x: PLOT.right - 2, y: ABOVE.foot + 14, "text-anchor": "end", ...inert }, "as photographed"),
      svg("text", { class: "axis told", x: PLOT.right - 2, y: BELOW.top - 6, "text-anchor": "end", ...inert }, "as the mix sees it"),
      ...this.parts.map(({ foot }) => foot), // feet lie over all threads
    );
    holder.append(this.drawing);
  }

  x(column) { return PLOT.left + ((column + 0.5) / COLUMNS) * (PLOT.right - PLOT.left); }
  columnAt(x) { return ((x - PLOT.left) / (PLOT.right - PLOT.left)) * COLUMNS - 0.5; }

  /** Shares of the picture at each hue, in even parts of the circle. @param {number[]} shares */
  show(shares) {
    if (String(shares) === this.shares) return;
    this.shares = String(shares);
    const most = Math.max(0.001, ...shares);
    this.bars.replaceChildren(...shares.map((share, bin) => {
      const [left, right] = [bin * BIN, (bin + 1) * BIN].map((hue) => this.columns.column(hue));
      const shift = left < -0.5 ? COLUMNS : left >= COLUMNS - 0.5 ? -COLUMNS : 0;
      const height = Math.sqrt(share / most) * (BARS.foot - BARS.top);
      return svg("rect", { x: this.x(left + shift) + 0.5, width: Math.max(0, this.x(right) - this.x(left) - 1), y: BARS.foot - height, height, opacity: 0.55 });
    }));
    this.tintBars();
  }

  /** A bar has one colour: that of its middle. */
  tintBars() {
    const stops = [...this.drawing.querySelectorAll("stop")];
    for (const bar of this.bars.children) {
      const middle = (Number(bar.getAttribute("x")) + Number(bar.getAttribute("width")) / 2 - PLOT.left) / (PLOT.right - PLOT.left);
      const stop = stops[Math.round(Math.min(1, Math.max(0, middle)) * (stops.length - 1))];
      bar.setAttribute("fill", stop.getAttribute("stop-color"));
    }
  }

  draw() {
    const threads = this.heard.threads();
    const chosen = this.heard.chosen();
    for (const { name, column, path, grasp, foot, word, value } of this.parts) {
      const { hue, strength, bright } = threads[name];
      const from = this.x(column);
      const to = this.x(this.columns.column(this.columns.centre(column) + hue));
      const middle = (ABOVE.foot + BELOW.top) / 2;
      // hues go round: what leaves the ribbon at one end comes in at the other
      const seen = this.columnAt(to) - COLUMNS * Math.floor((this.columnAt(to) + 0.5) / COLUMNS);
      const shift = this.x(seen) - to;
      const d = [...new Set([0, shift])].map((by) => `M${from + by} ${ABOVE.foot} C${from + by} ${middle} ${to + by} ${middle} ${to + by} ${BELOW.top}`).join(" ");
      set(path, { d, "stroke-width": 0.8 + (strength / 100) * 3.2 });
      set(grasp, { d });
      set(foot, { cx: to + shift, "aria-valuenow": hue, "aria-valuetext": `led by ${hue} degrees, strength ${strength} percent, brightness ${bright} stops` });
      const changed = hue !== 0 || strength !== 100 || bright !== 0;
      word.classList.toggle("chosen", name === chosen);
      foot.classList.toggle("chosen", name === chosen);
      value.classList.toggle("changed", changed);
      value.textContent = `${String(Math.round(hue * 10) / 10).replace("-", "−")}°`;
    }
  }

  grab(event, name) {
    if (event.button !== 0) return;
    event.preventDefault();
    const foot = this.parts.find((part) => part.name === name)?.foot;
    foot.focus({ preventScroll: true });
    this.heard.choose(name);
    const begun = { ...this.heard.threads()[name] };
    const column = this.names.indexOf(name);
    let at = this.columns.column(this.columns.centre(column) + begun.hue);
    let last = event;
    let moved = false;
    follow(this.drawing, event, (next) => {
      moved ||= dragged(event, next);
      if (!moved) return;
      at += (this.columnAt(place(this.drawing, next).x) - this.columnAt(place(this.drawing, last).x)) * (next.shiftKey ? FINE : 1);
      last = next;
      this.heard.move(name, "hue", this.columns.hue(at) - this.columns.centre(column));
    }, (ended) => {
      if (ended.type === "pointercancel") this.heard.move(name, "hue", begun.hue);
      if (moved) this.heard.settle();
    });
  }

  key(event, name) {
    const by = KEYS[event.key];
    if (event.key === "Delete" || event.key === "Backspace") this.heard.reset(name);
    else if (by) {
      const [key, step] = by;
      this.heard.move(name, key, this.heard.threads()[name][key] + step * (event.shiftKey ? FINE : 1));
    } else return;
    event.preventDefault();
    event.stopPropagation();
    this.heard.settle("soon");
  }
}
