// The scale: one drawing with histogram, curve and the handles for black, middle and white.
import { clamp, words } from "./paths.js";
import { endWithin, within } from "./settings.js";
import { follow, place, set, svg } from "./svg.js";
import { ARROWS_UP } from "./pointer.js";

const WIDTH = 348;
const HEIGHT = 226;
const PLOT = { left: 9, right: 339, top: 9, foot: 196 };
const ZONES = ["I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX"];

/** Where on the foot the grip for contrast stands: beside the middle, where points often are. */
const GRIP_AT = 0.5625;
const STEP = 1 / 255;
/** With Shift a step is this share of itself. */
const FINE = 0.2;
const READABLE = 0.97;

const atX = (x) => PLOT.left + x * (PLOT.right - PLOT.left);
const atY = (y) => PLOT.foot - y * (PLOT.foot - PLOT.top);
const ofX = (x) => clamp((x - PLOT.left) / (PLOT.right - PLOT.left), 0, 1);
const ofY = (y) => clamp((PLOT.foot - y) / (PLOT.foot - PLOT.top), 0, 1);

export class Scale {
  /**
   * @param {HTMLElement} holder
   * @param {import("./bench.js").Vocabulary} vocabulary
   * @param {{tone: () => any, curve: Function, levels: Function, zones: Function, contrast: Function, settle: Function, pick: Function}} heard
   */
  constructor(holder, vocabulary, heard) {
    this.heard = heard;
    this.vocabulary = vocabulary;
    this.settings = vocabulary.settings;
    this.zoneStops = this.settings["tone.zones.0"].high;
    this.picked = null;
    this.log = false;
    this.drawing = svg("svg", { viewBox: `0 0 ${WIDTH} ${HEIGHT}`, role: "group", "aria-label": "Scale from black to white" });
    const { left, right, top, foot } = PLOT;
    this.plot = svg("rect", { class: "well plot", x: left, y: top, width: right - left, height: foot - top, rx: 5 });
    this.drawing.append(this.plot);
    for (let step = 1; step < 10; step += 1) {
      const inert = { class: "rule", "pointer-events": "none" };
      this.drawing.append(
        svg("line", { ...inert, x1: atX(step / 10), x2: atX(step / 10), y1: top, y2: foot }),
        svg("line", { ...inert, x1: left, x2: right, y1: atY(step / 10), y2: atY(step / 10) }),
      );
    }
    const inert = { "pointer-events": "none" };
    this.before = svg("path", { class: "before", ...inert });
    this.now = svg("path", { class: "now", ...inert });
    this.whole = svg("path", { class: "whole", ...inert });
    this.line = svg("path", { class: "line", ...inert });
    this.points = svg("g");
    this.ticks = svg("g", { class: "ticks", ...inert });
    this.slope = svg("text", { class: "axis", x: left + 5, y: top + 26, ...inert });
    this.transfer = [];
    this.handles = {};
    this.drawing.append(
      this.before, this.now,
      svg("line", { class: "straight", x1: atX(0), y1: atY(0), x2: atX(1), y2: atY(1), ...inert }),
      this.whole, this.line, this.points, ...["black", "middle", "white"].map((name) => this.handle(name)),
      svg("text", { class: "axis", x: left + 5, y: top + 12, ...inert }, "up is lighter"),
      this.ticks, this.slope,
      svg("text", { class: "axis", x: left, y: HEIGHT - 2 }, "black"),
      svg("text", { class: "axis", x: (left + right) / 2, y: HEIGHT - 2, "text-anchor": "middle" }, "middle"),
      svg("text", { class: "axis", x: right, y: HEIGHT - 2, "text-anchor": "end" }, "white"),
    );
    this.plot.addEventListener("pointerdown", (event) => this.add(event));
    this.grip = this.contrastGrip();
    this.drawing.append(this.grip);
    this.zones = ZONES.map((zone, index) => this.zone(zone, index));
    this.zoneLayer = svg("g", { class: "zones" }, svg("line", { class: "level", x1: left, x2: right, y1: atY(0.5), y2: atY(0.5) }), ...this.zones);
    this.drawing.append(this.zoneLayer);
    this.showZones(false);
    holder.append(this.drawing);
  }

  /** Contrast is the slope: a grip in the middle of the curve turns it. */
  contrastGrip() {
    const mark = svg("path", {
      class: "grip", d: "M0 -8L5 0L0 8L-5 0Z", tabindex: 0, role: "slider", "aria-label": "contrast",
      "aria-valuemin": this.settings["tone.contrast"].low, "aria-valuemax": this.settings["tone.contrast"].high,
    }, svg("title", {}, "Contrast: drag up for more, down for less"));
    const turn = (value) => {
      this.heard.contrast(within(this.settings["tone.contrast"], Math.round(value)));
      this.draw();
    };
    mark.addEventListener("pointerdown", (event) => {
      if (event.button !== 0) return;
      event.preventDefault();
      event.stopPropagation();
      mark.focus({ preventScroll: true });
      const begun = this.heard.tone().contrast;
      const from = event.clientY;
      follow(mark, event, (next) => turn(begun + (from - next.clientY) * (next.shiftKey ? 0.2 : 1)), () => this.heard.settle());
    });
    mark.addEventListener("keydown", (event) => {
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      const by = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 10, PageDown: -10 }[event.key];
      if (by) turn(this.heard.tone().contrast + by);
      else if (event.key === "Delete" || event.key === "Backspace") turn(0);
      else return;
      event.preventDefault();
      event.stopPropagation();
      this.heard.settle("soon");
    });
    return mark;
  }

  /** Show or hide the handles of the nine zones; they lie over the curve. */
  showZones(shown) {
    this.zoneLayer.style.display = shown ? "" : "none";
    this.points.style.display = shown ? "none" : "";
    this.grip.style.display = shown ? "none" : "";
    this.plot.style.pointerEvents = shown ? "none" : "";
  }

  zone(name, index) {
    const x = atX(this.vocabulary.zone_codes[index] / 255);
    const mark = svg("g", {
      class: "zone", tabindex: 0, role: "slider", "aria-label": `zone ${name}, stops`, "aria-valuemin": -this.zoneStops, "aria-valuemax": this.zoneStops,
    }, svg("line", { x1: x, x2: x, y1: atY(0.5) }), svg("circle", { cx: x, r: 7 }), svg("text", { x, "text-anchor": "middle" }, name));
    mark.addEventListener("pointerdown", (event) => {
      if (event.button !== 0) return;
      event.preventDefault();
      mark.focus({ preventScroll: true });
      follow(mark, event, (next) => this.putZone(index, (ofY(place(this.drawing, next).y) - 0.5) * 2 * this.zoneStops), () => this.heard.settle());
    });
    mark.addEventListener("keydown", (event) => {
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      const by = { ArrowUp: 0.1, ArrowDown: -0.1, PageUp: 0.5, PageDown: -0.5 }[event.key];
      if (by) this.putZone(index, this.heard.tone().zones[index] + by);
      else if (event.key === "Delete" || event.key === "Backspace") this.putZone(index, 0);
      else return;
      event.preventDefault();
      event.stopPropagation();
      this.heard.settle("soon");
    });
    return mark;
  }

  putZone(index, stops) {
    const zones = [...this.heard.tone().zones];
    zones[index] = within(this.settings[`tone.zones.${index}`], stops);
    this.heard.zones(zones);
    this.draw();
  }

  handle(name) {
    const { low, high } = this.settings[`tone.levels.${name}`];
    const mark = svg("path", {
      class: `handle ${name}`, tabindex: 0, role: "slider", "aria-label": `${name} point`,
      "aria-valuemin": low, "aria-valuemax": high, d: "M0 2 L7 14 L-7 14 Z",
    });
    mark.addEventListener("pointerdown", (event) => {
      if (event.button !== 0) return;
      event.preventDefault();
      mark.focus({ preventScroll: true });
      follow(mark, event, (next) => this.heard.levels(this.levelsAt(name, ofX(place(this.drawing, next).x))), () => this.heard.settle());
    });
    mark.addEventListener("keydown", (event) => this.nudge(name, event));
    this.handles[name] = mark;
    return mark;
  }

  /** Levels with one handle at x (0 to 1 along the foot). */
  levelsAt(name, x) {
    const levels = { ...this.heard.tone().levels };
    if (name !== "middle") levels[name] = endWithin(this.vocabulary, levels, name, Math.round(x * 255));
    else {
      const part = clamp((x * 255 - levels.black) / (levels.white - levels.black), 0.002, 0.933);
      levels.middle = within(this.settings["tone.levels.middle"], Math.log(part) / Math.log(0.5));
    }
    return levels;
  }

  nudge(name, event) {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const levels = { ...this.heard.tone().levels };
    const by = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1, PageUp: 10, PageDown: -10 }[event.key];
    if (by !== undefined) {
      if (name === "middle") levels.middle = within(this.settings["tone.levels.middle"], levels.middle + by * 0.02);
      else levels[name] = endWithin(this.vocabulary, levels, name, levels[name] + by);
    } else if (event.key === "Delete" || event.key === "Backspace") levels[name] = this.settings[`tone.levels.${name}`].rest;
    else return;
    event.preventDefault();
    event.stopPropagation();
    this.heard.levels(levels);
    this.heard.settle("soon");
  }

  /** Draw the settings: points and handles. */
  draw() {
    const { curve, levels, contrast } = this.heard.tone();
    this.slope.textContent = `contrast ${words(contrast, true)}`;
    const beside = Math.round((this.transfer.length - 1) * GRIP_AT);
    const level = this.transfer.length ? this.transfer[beside] : GRIP_AT;
    set(this.grip, { transform: `translate(${atX(GRIP_AT)} ${atY(level)})`, "aria-valuenow": contrast });
    const middle = levels.black + (levels.white - levels.black) * 0.5 ** levels.middle;
    for (const [name, code] of Object.entries({ black: levels.black, middle, white: levels.white })) {
      set(this.handles[name], {
        transform: `translate(${atX(code / 255)} ${PLOT.foot})`, "aria-valuenow": levels[name],
        "aria-valuetext": `${name} ${levels[name]}`,
      });
    }
    this.heard.tone().zones.forEach((stops, index) => {
      const y = atY(0.5 + stops / (2 * this.zoneStops));
      const [stem, knob, label] = this.zones[index].children;
      set(stem, { y2: y });
      set(knob, { cy: y });
      set(label, { y: y + 3.5 });
      set(this.zones[index], { "aria-valuenow": stops, "aria-valuetext": `${stops} stops` });
    });
    if (this.points.childElementCount !== curve.length) this.points.replaceChildren(...curve.map((_, index) => this.point(index)));
    curve.forEach(([x, y], index) => {
      set(this.points.children[index], {
        cx: atX(x), cy: atY(y), class: index === this.picked ? "point active" : "point",
        "aria-valuetext": `in ${Math.round(x * 255)}, out ${Math.round(y * 255)}`, "aria-valuenow": Math.round(y * 255),
      });
    });
  }

  /** Draw what was measured: both histograms and the curve through its points. */
  show(figures) {
    this.before.setAttribute("d", outline(figures.before, this.log));
    this.now.setAttribute("d", outline(figures.histogram, this.log));
    const last = figures.curve.length - 1;
    const drawn = (values) => values.map((y, i) => `${i ? "L" : "M"}${atX(i / last).toFixed(1)} ${atY(y).toFixed(1)}`).join("");
    this.line.setAttribute("d", drawn(figures.curve));
    this.whole.setAttribute("d", drawn(figures.transfer));
    this.transfer = figures.transfer;
    this.draw();
  }

  /** Mark where finished codes stand on the combined curve: the meter's and the pins'. */
  mark(readings) {
    const last = this.transfer.length - 1;
    this.ticks.replaceChildren(...readings.flatMap(({ code, name }) => {
      const at = this.transfer.findIndex((y) => y >= code / 255);
      if (at < 0) return [];
      const [x, y] = [atX(at / last), atY(this.transfer[at])];
      const line = svg("line", { x1: x, x2: x, y1: y - 7, y2: y + 7 });
      return name ? [line, svg("text", { class: "axis", x: x + 3, y: y - 5 }, name)] : [line];
    }));
  }

  point(index) {
    const mark = svg("circle", { r: 6, tabindex: 0, role: "slider", "aria-label": `curve point ${index + 1}`, "aria-valuemin": 0, "aria-valuemax": 255 });
    mark.addEventListener("pointerdown", (event) => this.drag(index, event));
    mark.addEventListener("focus", () => this.pick(index));
    mark.addEventListener("dblclick", () => this.remove(index));
    mark.addEventListener("keydown", (event) => this.key(index, event));
    return mark;
  }

  pick(index) {
    this.picked = index;
    this.heard.pick(index);
    this.draw();
  }

  add(event) {
    if (event.button !== 0) return;
    const curve = this.heard.tone().curve.map((point) => [...point]);
    const at = place(this.drawing, event);
    const x = ofX(at.x);
    if (curve.length >= 16 || curve.some(([other]) => Math.abs(other - x) < 2 * STEP)) return;
    event.preventDefault();
    curve.push([x, ofY(at.y)]);
    curve.sort((one, other) => one[0] - other[0]);
    const index = curve.findIndex(([other]) => other === x);
    this.heard.curve(curve);
    this.draw();
    this.points.children[index].focus({ preventScroll: true });
    this.follow(index, event);
  }

  /** A further point in the middle between one and the next. */
  insert(index) {
    const curve = this.heard.tone().curve.map((point) => [...point]);
    const from = Math.min(index, curve.length - 2);
    const [[x0, y0], [x1, y1]] = [curve[from], curve[from + 1]];
    if (curve.length >= 16 || x1 - x0 < 4 * STEP) return;
    curve.splice(from + 1, 0, [(x0 + x1) / 2, (y0 + y1) / 2]);
    this.heard.curve(curve);
    this.draw();
    this.points.children[from + 1].focus({ preventScroll: true });
    this.heard.settle("soon");
  }

  drag(index, event) {
    if (event.button !== 0) return;
    event.preventDefault();
    event.stopPropagation();
    this.points.children[index].focus({ preventScroll: true });
    this.follow(index, event);
  }

  follow(index, event) {
    follow(this.points.children[index], event, (next) => {
      const at = place(this.drawing, next);
      this.put(index, ofX(at.x), ofY(at.y));
    }, () => this.heard.settle());
  }

  /** Move a point; it stays between its neighbours. */
  put(index, x, y) {
    const curve = this.heard.tone().curve.map((point) => [...point]);
    const low = index ? curve[index - 1][0] + STEP : 0;
    const high = index < curve.length - 1 ? curve[index + 1][0] - STEP : 1;
    curve[index] = [clamp(x, low, high), clamp(y, 0, 1)];
    this.heard.curve(curve);
    this.draw();
  }

  key(index, event) {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key in ARROWS_UP) {
      const [x, y] = this.heard.tone().curve[index];
      const by = STEP * (event.shiftKey ? FINE : 1);
      this.put(index, x + ARROWS_UP[event.key][0] * by, y + ARROWS_UP[event.key][1] * by);
      this.heard.settle("soon");
    } else if (event.key === "Delete" || event.key === "Backspace") this.remove(index);
    else if (event.key === "Insert") this.insert(index);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  remove(index = this.picked) {
    const curve = this.heard.tone().curve.map((point) => [...point]);
    if (index === null || curve.length < 3) return;
    curve.splice(index, 1);
    this.picked = null;
    this.heard.pick(null);
    this.heard.curve(curve);
    this.draw();
    this.heard.settle();
  }
}

/** A histogram as a closed path; spikes are cut off, so that the rest stays readable. */
function outline(raw, log) {
  const counts = log ? raw.map((count) => Math.log1p(count)) : raw;
  const sorted = [...counts].sort((one, other) => one - other);
  const most = Math.max(1, sorted[Math.floor(sorted.length * READABLE)]) * 1.2;
  const along = counts.map((count, i) => `L${atX(i / 255).toFixed(1)} ${atY(Math.min(1, count / most) * 0.85).toFixed(1)}`);
  return `M${atX(0)} ${atY(0)}${along.join("")}L${atX(1)} ${atY(0)}Z`;
}
