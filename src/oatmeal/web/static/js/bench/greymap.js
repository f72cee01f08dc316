// The grey map: columns in hue order; height is the grey that a colour becomes. Picked colours stand
// at the right, and the foot moves the centres of the ranges.
import { clamp } from "./paths.js";
import { within } from "./settings.js";
import { codeOf, follow, grey, place, set, svg } from "./svg.js";

const WIDTH = 348;
const LEFT = 22;
const TOP = 10;
const FOOT = 174;
const STRIP = 184;
const HEIGHT = 200;
const KEYS = { ArrowUp: 1, ArrowDown: -1, PageUp: 5, PageDown: -5 };
const RARE = 0.02;
const PATIENCE_MS = 2000;

const height = (lightness) => FOOT - (clamp(lightness, 0, 100) / 100) * (FOOT - TOP);
const lightnessAt = (y) => ((FOOT - y) / (FOOT - TOP)) * 100;
const turn = (degrees) => ((degrees % 360) + 360) % 360;

/** The lightness that a trace gives for a lift, between its points in straight lines. */
function heightAt(trace, stops) {
  const next = trace.findIndex(([at]) => at >= stops);
  if (next <= 0) return trace[next < 0 ? trace.length - 1 : 0][1];
  const [[low, below], [high, above]] = [trace[next - 1], trace[next]];
  return below + ((stops - low) / (high - low)) * (above - below);
}

export class GreyMap {
  /**
   * A column is known by its name: a range, or the number of a picked colour.
   * @param {HTMLElement} holder
   * @param {import("./bench.js").Vocabulary} vocabulary
   * @param {{mix: () => any, lift: Function, move: Function, settle: Function, grasp: Function, spin: Function, centre: Function, focus: Function}} heard
   */
  constructor(holder, vocabulary, heard) {
    this.vocabulary = vocabulary;
    this.heard = heard;
    this.names = vocabulary.ranges;
    /** What is declared of every lift. */
    this.lift = vocabulary.settings["mix.lifts.red"];
    /** @type {any[]} */
    this.columns = [];
    /** @type {SVGElement[]} */
    this.foot = [];
    this.readings = vocabulary.codes;
    this.trace = null;
    this.aim = null;
    this.finish = null;
    /** The column that is being dragged and the lightness it stands at. @type {{at: number, now: number}|null} */
    this.held = null;
    this.picked = -1;
    this.drawing = svg("svg", { viewBox: `0 0 ${WIDTH} ${HEIGHT}`, role: "group", "aria-label": "Grey map" });
    holder.append(this.drawing);
    this.build([]);
  }

  get span() {
    return (WIDTH - LEFT) / (8 + this.picked);
  }

  middle(column) {
    return LEFT + (column + 0.5) * this.span;
  }

  /** Set the map up for so many columns. */
  build(picked) {
    this.picked = picked.length;
    const own = 8 * this.span;
    const well = [svg("rect", { class: "well", x: LEFT, y: 0, width: own, height: FOOT + 6, rx: 6 })];
    if (this.picked) well.push(svg("rect", { class: "well", x: LEFT + own + 3, y: 0, width: this.picked * this.span - 3, height: FOOT + 6, rx: 6 }));
    for (let step = 1; step < 10; step += 1) well.push(svg("line", { class: "rule", x1: LEFT, x2: WIDTH, y1: height(step * 10), y2: height(step * 10) }));
    this.own = svg("g", { "pointer-events": "none" });
    this.columns = [...this.names, ...picked.map((_, number) => number)].map((name, at) => this.column(name, at));
    this.foot = this.names.map((name, at) => this.centre(name, at));
    this.drawing.replaceChildren(...well, this.edge(), ...this.columns.map(({ group }) => group), this.own, ...this.hues(), ...this.foot);
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

  column(name, at) {
    const x = this.middle(at);
    const range = typeof name === "string";
    const tint = range ? name : "own-colour";
    const small = Math.min(11, this.span * 0.36);
    const parts = {
      lane: svg("rect", { class: "lane", x: x - this.span / 2 + 1, y: 1, width: this.span - 2, height: FOOT + 4, rx: 4 }),
      stem: svg("line", { class: `stem ${tint}`, x1: x, x2: x }),
      hollow: svg("circle", { class: `hollow ${tint}`, cx: x, r: Math.min(4.5, small) }),
      full: svg("circle", { class: `full ${tint}`, cx: x, r: small }),
    };
    const group = svg("g", {
      class: "column", tabindex: 0, role: "slider", "aria-label": range ? `${name} lift` : `picked colour ${name + 1} lift`,
      "aria-orientation": "vertical", "aria-valuemin": this.lift.low, "aria-valuemax": this.lift.high, "data-range": range ? name : `picked-${name}`,
    }, parts.lane, parts.stem, parts.hollow, parts.full);
    group.addEventListener("pointerdown", (event) => this.drag(name, at, event));
    group.addEventListener("keydown", (event) => this.key(name, event));
    group.addEventListener("focus", () => this.heard.focus(name));
    group.addEventListener("blur", () => this.heard.focus(null));
    group.addEventListener("wheel", (event) => {
      event.preventDefault();
      this.heard.spin(name, event.deltaY < 0 ? this.lift.step : -this.lift.step);
    }, { passive: false });
    return { name, group, ...parts };
  }

  /** Draw the figures of a frame. */
  show(figures) {
    const { picked } = this.heard.mix();
    if (picked.length !== this.picked) this.build(picked);
    [...figures.ranges, ...figures.picked].forEach((own, at) => {
      if (at < this.columns.length) this.fill(this.columns[at], own, this.held?.at === at ? this.held.now : own.now);
    });
    picked.forEach((one, number) => {
      const { stem, hollow, full, group } = this.columns[8 + number];
      for (const part of [stem, hollow, full]) part.style.stroke = one.colour;
      group.classList.toggle("off", !one.on);
    });
    this.own.replaceChildren(...figures.colours.map((own, index) => this.dot(own, index)));
    this.layFoot();
  }

  /** Draw a column's figures; `now` is where it stands. */
  fill(column, own, now) {
    const { name, group, stem, hollow } = column;
    set(hollow, { cy: height(own.plain) });
    set(stem, { y1: height(own.plain) });
    this.put(column, now);
    group.classList.toggle("rare", typeof name === "string" && own.share < RARE);
    const lift = this.heard.lift(name);
    set(group, {
      "aria-valuenow": lift,
      "aria-valuetext": `${lift} stops, L* ${own.now.toFixed(0)}, plain ${own.plain.toFixed(0)}, ${(own.share * 100).toFixed(0)} percent of the picture`,
    });
  }

  /** Put a column's full dot at a lightness. */
  put({ stem, full }, lightness) {
    set(stem, { y2: height(lightness) });
    set(full, { cy: height(lightness), fill: grey(codeOf(lightness, this.readings)) });
  }

  dot(own, index) {
    const neutral = own.column === null;
    const sway = ((index * 7) % 5 - 2) * 2.2;
    const right = LEFT + 8 * this.span - 4;
    return svg("circle", {
      class: "own", cx: neutral ? LEFT - 4 : clamp(this.middle(own.column) + sway, LEFT + 3, right), cy: height(own.now),
      r: clamp(Math.sqrt(own.share) * 16, 2.2, 7), fill: own.colour, stroke: "var(--oat-0)", "stroke-width": 0.8,
    });
  }

  /** Light up columns while their ranges are moved from elsewhere. */
  light(names) {
    for (const { name, group } of this.columns) group.classList.toggle("active", names.includes(name));
  }

  drag(name, at, event) {
    if (event.button !== 0) return;
    event.preventDefault();
    const { group, full } = this.columns[at];
    group.focus({ preventScroll: true });
    group.classList.add("active");
    const start = place(this.drawing, event).y;
    const from = Number(full.getAttribute("cy"));
    const lift = this.heard.lift(name);
    this.finish?.();
    this.trace = null;
    this.heard.grasp(name);
    let touched = false;
    follow(group, event, (next) => {
      const { y } = place(this.drawing, next);
      if (!touched && Math.abs(y - start) < 1.5) return;
      touched = true;
      const wanted = from + (y - start) * (next.shiftKey ? 0.2 : 1);
      this.aim = () => {
        const stops = this.stopsFor(wanted, lift, from);
        this.heard.move(name, stops);
        this.stand(at, stops);
      };
      this.aim();
    }, () => {
      group.classList.remove("active");
      if (!touched || this.trace) this.letGo(touched);
      else {
        // let go before the heights were known: the column goes where it was put once they are
        const timer = setTimeout(() => this.finish?.(), PATIENCE_MS);
        this.finish = () => {
          clearTimeout(timer);
          this.finish = null;
          this.letGo(true);
        };
      }
    });
  }

  /** Let a held column stand at once where a lift will bring it, as the trace tells. */
  stand(at, stops) {
    if (!this.trace?.length) return;
    this.held = { at, now: heightAt(this.trace, stops) };
    this.put(this.columns[at], this.held.now);
  }

  letGo(touched) {
    this.held = null;
    this.trace = null;
    this.aim = null;
    if (touched) this.heard.settle();
  }

  /** Take in the heights that the held column has at every lift. */
  traced(points) {
    this.trace = points;
    this.aim?.();
    this.finish?.();
  }

  /** The lift that brings a column to a height; from the trace once it is here. */
  stopsFor(y, lift, from) {
    const wanted = lightnessAt(y);
    if (!this.trace?.length) return within(this.lift, lift + (wanted - lightnessAt(from)) / 20);
    const points = this.trace;
    if (wanted <= points[0][1]) return this.lift.low;
    for (let i = 1; i < points.length; i += 1) {
      const [stops, above] = points[i];
      const [before, below] = points[i - 1];
      if (wanted <= above) return before + ((wanted - below) / Math.max(1e-6, above - below)) * (stops - before);
    }
    return this.lift.high;
  }

  key(name, event) {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key in KEYS) this.heard.spin(name, KEYS[event.key] * this.lift.step * (event.shiftKey ? 0.2 : 1));
    else if (event.key === "Delete" || event.key === "Backspace") this.heard.spin(name, null);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  // the foot: hues along the columns, and a mark for each centre

  /** The hue that stands at a place of the foot (in columns) when all centres are at rest. */
  hueAt(column) {
    const low = Math.floor(column);
    const { centres } = this.vocabulary;
    const here = centres[this.names[(low + 8) % 8]];
    const next = centres[this.names[(low + 9) % 8]];
    return turn(here + turn(next - here) * (column - low));
  }

  columnOf(hue) {
    const { centres } = this.vocabulary;
    for (let at = -1; at < 8; at += 1) {
      const here = centres[this.names[(at + 8) % 8]];
      const wide = turn(centres[this.names[(at + 9) % 8]] - here);
      const far = turn(hue - here);
      const column = at + far / wide;
      if (far < wide && column >= -0.5 && column < 7.5) return column;
    }
    return 0;
  }

  hues() {
    const parts = 72;
    return Array.from({ length: parts }, (_, part) => svg("rect", {
      x: LEFT + (part / parts) * 8 * this.span, y: STRIP, width: (8 * this.span) / parts + 0.5, height: 5,
      fill: this.vocabulary.hues[Math.round(this.hueAt(((part + 0.5) / parts) * 8 - 0.5) / 4) % 90], "pointer-events": "none",
    }));
  }

  centre(name, at) {
    const mark = svg("path", {
      class: "centre", d: `M0 ${STRIP + 1}L5 ${STRIP + 12}L-5 ${STRIP + 12}Z`, tabindex: 0, role: "slider",
      "aria-label": `${name} centre`, "aria-valuemin": 0, "aria-valuemax": 360, "data-centre": name,
    }, svg("title", {}, `Centre of ${name}: drag to where the picture’s colour is`));
    mark.addEventListener("pointerdown", (event) => {
      if (event.button !== 0) return;
      event.preventDefault();
      mark.focus({ preventScroll: true });
      follow(mark, event, (next) => {
        const column = clamp((place(this.drawing, next).x - LEFT) / this.span - 0.5, -0.49, 7.49);
        this.putCentre(at, this.hueAt(column));
      }, () => this.heard.settle());
    });
    mark.addEventListener("keydown", (event) => {
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      const by = { ArrowLeft: -1, ArrowRight: 1, ArrowDown: -1, ArrowUp: 1 }[event.key];
      if (by) this.putCentre(at, this.heard.mix().centres[name] + by * (event.shiftKey ? 0.2 : 1));
      else if (event.key === "Delete" || event.key === "Backspace") this.putCentre(at, this.vocabulary.centres[name]);
      else return;
      event.preventDefault();
      event.stopPropagation();
      this.heard.settle("soon");
    });
    return mark;
  }

  /** Move a centre; it stays between its neighbours. */
  putCentre(at, hue) {
    const { centres } = this.heard.mix();
    const before = centres[this.names[(at + 7) % 8]];
    const room = turn(centres[this.names[(at + 1) % 8]] - before);
    let far = turn(hue - before);
    const now = turn(centres[this.names[at]] - before);
    if (far > room) far = now < room / 2 ? this.vocabulary.centre_gap : room - this.vocabulary.centre_gap;
    this.heard.centre(this.names[at], Math.round(turn(before + clamp(far, this.vocabulary.centre_gap, room - this.vocabulary.centre_gap)) * 10) / 10);
    this.layFoot();
  }

  layFoot() {
    const { centres } = this.heard.mix();
    this.names.forEach((name, at) => set(this.foot[at], {
      transform: `translate(${this.middle(this.columnOf(centres[name]))} 0)`, "aria-valuenow": centres[name],
      "aria-valuetext": `${centres[name]} degrees`,
    }));
  }
}
