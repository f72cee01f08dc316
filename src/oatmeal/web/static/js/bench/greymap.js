// The grey map: eight columns in hue order; height is the grey that a colour becomes.
import { clamp } from "./paths.js";
import { codeOf, follow, grey, place, set, svg } from "./svg.js";

const WIDTH = 348;
const HEIGHT = 252;
const LEFT = 22;
const TOP = 10;
const FOOT = 242;
const SPAN = (WIDTH - LEFT) / 8;
const KEYS = { ArrowUp: 0.1, ArrowDown: -0.1, PageUp: 0.5, PageDown: -0.5 };

const height = (lightness) => FOOT - (clamp(lightness, 0, 100) / 100) * (FOOT - TOP);
const lightnessAt = (y) => ((FOOT - y) / (FOOT - TOP)) * 100;
const middle = (column) => LEFT + (column + 0.5) * SPAN;

export class GreyMap {
  /**
   * @param {HTMLElement} holder @param {string[]} names @param {any[]} readings
   * @param {{lift: (name: string) => number, move: Function, settle: Function, grasp: Function, spin: Function}} heard
   */
  constructor(holder, names, readings, heard) {
    Object.assign(this, { names, readings, heard });
    this.trace = null;
    this.aim = null;
    this.drawing = svg("svg", { viewBox: `0 0 ${WIDTH} ${HEIGHT}`, role: "group", "aria-label": "Grey map" });
    this.drawing.append(svg("rect", { class: "well", x: LEFT, y: 0, width: WIDTH - LEFT, height: HEIGHT, rx: 6 }));
    for (let step = 1; step < 10; step += 1) {
      const y = height(step * 10);
      this.drawing.append(svg("line", { class: "rule", x1: LEFT, x2: WIDTH, y1: y, y2: y }));
    }
    this.drawing.append(this.edge());
    this.own = svg("g");
    this.columns = names.map((name, place_) => this.column(name, place_));
    this.drawing.append(...this.columns.map((column) => column.group), this.own);
    this.own.setAttribute("pointer-events", "none");
    holder.append(this.drawing);
  }

  /** The black-to-white edge at the left. */
  edge() {
    const group = svg("g");
    for (let step = 0; step < 50; step += 1) {
      const fill = grey(codeOf(step * 2 + 1, this.readings));
      group.append(svg("rect", { x: 2, y: height(step * 2 + 2), width: 12, height: (FOOT - TOP) / 50 + 0.6, fill }));
    }
    return group;
  }

  column(name, place_) {
    const x = middle(place_);
    const parts = {
      lane: svg("rect", { class: "lane", x: x - SPAN / 2 + 1, y: 1, width: SPAN - 2, height: HEIGHT - 2, rx: 4 }),
      stem: svg("line", { class: `stem ${name}`, x1: x, x2: x }),
      hollow: svg("circle", { class: `hollow ${name}`, cx: x, r: 4.5 }),
      full: svg("circle", { class: `full ${name}`, cx: x, r: 11 }),
    };
    const group = svg("g", {
      class: "column", tabindex: 0, role: "slider", "aria-label": `${name} lift`, "aria-orientation": "vertical",
      "aria-valuemin": -4, "aria-valuemax": 4, "data-range": name,
    }, parts.lane, parts.stem, parts.hollow, parts.full);
    group.addEventListener("pointerdown", (event) => this.drag(name, event));
    group.addEventListener("keydown", (event) => this.key(name, event));
    group.addEventListener("wheel", (event) => {
      event.preventDefault();
      this.heard.spin(name, event.deltaY < 0 ? 0.1 : -0.1);
    }, { passive: false });
    return { name, group, ...parts };
  }

  /** Draw the figures of a frame. */
  show(figures) {
    figures.ranges.forEach((range, place_) => {
      const { group, stem, hollow, full } = this.columns[place_];
      const now = height(range.now);
      set(hollow, { cy: height(range.plain) });
      set(stem, { y1: height(range.plain), y2: now });
      set(full, { cy: now, fill: grey(codeOf(range.now, this.readings)) });
      group.classList.toggle("rare", range.share < 0.01);
      const lift = this.heard.lift(range.name);
      set(group, {
        "aria-valuenow": lift,
        "aria-valuetext": `${lift} stops, L* ${range.now.toFixed(0)}, plain ${range.plain.toFixed(0)}, ${(range.share * 100).toFixed(0)} percent of the picture`,
      });
    });
    this.own.replaceChildren(...figures.colours.map((own, index) => this.dot(own, index)));
  }

  dot(own, index) {
    const neutral = own.column === null;
    const sway = ((index * 7) % 5 - 2) * 2.2;
    return svg("circle", {
      class: "own", cx: neutral ? LEFT - 4 : clamp(middle(own.column) + sway, LEFT + 3, WIDTH - 4), cy: height(own.now),
      r: clamp(Math.sqrt(own.share) * 16, 2.2, 7), fill: own.colour, stroke: "#fbf8f2", "stroke-width": 0.8,
    });
  }

  drag(name, event) {
    if (event.button !== 0) return;
    event.preventDefault();
    const { group, full } = this.columns[this.names.indexOf(name)];
    group.focus({ preventScroll: true });
    group.classList.add("active");
    const start = place(this.drawing, event).y;
    const from = Number(full.getAttribute("cy"));
    const lift = this.heard.lift(name);
    this.trace = null;
    this.heard.grasp(name);
    let touched = false;
    follow(group, event, (next) => {
      const y = place(this.drawing, next).y;
      if (!touched && Math.abs(y - start) < 1.5) return;
      touched = true;
      const wanted = from + (y - start) * (next.shiftKey ? 0.2 : 1);
      this.aim = () => this.heard.move(name, this.stopsFor(wanted, lift, from));
      this.aim();
    }, () => {
      group.classList.remove("active");
      this.trace = null;
      this.aim = null;
      if (touched) this.heard.settle();
    });
  }

  /** Take in the heights that the held column has at every lift. */
  traced(points) {
    this.trace = points;
    this.aim?.();
  }

  /** The lift that brings a column to a height; from the trace once it is here. */
  stopsFor(y, lift, from) {
    const wanted = lightnessAt(y);
    if (!this.trace) return clamp(lift + (lightnessAt(y) - lightnessAt(from)) / 20, -4, 4);
    const points = this.trace;
    if (wanted <= points[0][1]) return -4;
    for (let i = 1; i < points.length; i += 1) {
      const [stops, above] = points[i];
      const [before, below] = points[i - 1];
      if (wanted <= above) return before + ((wanted - below) / Math.max(1e-6, above - below)) * (stops - before);
    }
    return 4;
  }

  key(name, event) {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key in KEYS) this.heard.spin(name, KEYS[event.key] * (event.shiftKey ? 0.2 : 1));
    else if (event.key === "Delete" || event.key === "Backspace") this.heard.spin(name, null);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
}
