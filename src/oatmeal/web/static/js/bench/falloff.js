// Falloff drawn as light from the middle to the corner, and as contours with a middle on the picture; burned edges as a small frame.
import { clamp } from "./paths.js";
import { follow, place, set, svg } from "./svg.js";
import { ARROWS } from "./pointer.js";

const WIDTH = 348;
const HEIGHT = 118;
const PLOT = { left: 8, right: 340, top: 12, foot: 100 };
const STOPS = 3;
const POINTS = 60;
const STEP = 5;
const FRAME = { left: 114, top: 22, width: 120, height: 80 };
const SIDES = ["top", "right", "bottom", "left"];

const smoother = (value) => {
  const t = clamp(value, 0, 1);
  return t * t * t * (t * (6 * t - 15) + 10);
};

/** Share of the falloff at a distance from the middle, 0 to 1. */
export function shareAt(distance, { midpoint, softness }) {
  const half = 0.05 + (0.45 * softness) / 100;
  const begin = midpoint / 100 - half;
  const at = (far) => smoother((far - begin) / (2 * half));
  return clamp((at(distance) - at(0)) / (at(1) - at(0)), 0, 1);
}

/**
 * The places of the framed picture, in shares of its sides, that lie so far on the way from the middle to the corner.
 * @param {any} falloff @param {{width: number, height: number}} size @param {number} distance
 */
export function contour({ roundness, centre }, { width, height }, distance) {
  const power = roundness >= 0 ? 2 : 2 - (6 * roundness) / 100;
  const circle = Math.max(roundness, 0) / 100;
  const even = Math.sqrt((width * height) / 4);
  const radii = [width / 2, height / 2].map((side) => side ** (1 - circle) * even ** circle);
  const middle = [centre[0] * width, centre[1] * height];
  const beyond = [Math.max(middle[0], width - middle[0]) / radii[0], Math.max(middle[1], height - middle[1]) / radii[1]];
  const far = (beyond[0] ** power + beyond[1] ** power) ** (1 / power) * distance;
  return Array.from({ length: POINTS }, (_, number) => {
    const turn = (number / POINTS) * 2 * Math.PI;
    const [cos, sin] = [Math.cos(turn), Math.sin(turn)];
    const scale = far / (Math.abs(cos) ** power + Math.abs(sin) ** power) ** (1 / power);
    return { x: (middle[0] + scale * cos * radii[0]) / width, y: (middle[1] + scale * sin * radii[1]) / height };
  });
}

/**
 * @typedef {object} Heard
 * @property {() => any} finish
 * @property {(part: string, values: any) => void} move
 * @property {(when?: "soon") => void} settle
 */

export class FalloffDrawing {
  /** @param {HTMLElement} holder @param {Heard} heard */
  constructor(holder, heard) {
    this.heard = heard;
    const { left, right } = PLOT;
    this.drawing = svg("svg", { viewBox: `0 0 ${WIDTH} ${HEIGHT}`, role: "group", "aria-label": "Falloff: light from the middle to the corner" });
    this.drawing.append(
      svg("rect", { class: "well", x: 0, y: 0, width: WIDTH, height: HEIGHT, rx: 5 }),
      svg("line", { class: "rule", x1: left, x2: right, y1: this.atStops(0), y2: this.atStops(0) }),
      svg("text", { class: "axis", x: left, y: HEIGHT - 5 }, "middle"), svg("text", { class: "axis", x: right, y: HEIGHT - 5, "text-anchor": "end" }, "corner"),
    );
    this.line = svg("path", { class: "curve" });
    this.told = svg("text", { class: "axis", x: right - 6, "text-anchor": "end" });
    this.grips = {
      midpoint: this.grip("where half of it is reached"), softness: this.grip("softness"), amount: this.grip("light in the corner"),
    };
    this.drawing.append(this.line, this.told, ...Object.values(this.grips));
    for (const [name, grip] of Object.entries(this.grips)) {
      grip.addEventListener("pointerdown", (event) => this.grab(event, name));
      grip.addEventListener("keydown", (event) => this.key(event, name));
    }
    holder.append(this.drawing);
  }

  grip(words) { return svg("circle", { class: "lightpoint", r: 6.5, tabindex: 0, role: "slider", "aria-label": words }); }
  atStops(stops) { return PLOT.top + ((1 - stops) / (STOPS + 1)) * (PLOT.foot - PLOT.top); }
  across(share) { return PLOT.left + share * (PLOT.right - PLOT.left); }

  draw() {
    const { falloff } = this.heard.finish();
    const stops = (STOPS * falloff.amount) / 100;
    const at = (/** @type {number} */ far) => this.atStops(clamp(stops * shareAt(far, falloff), -STOPS, 1));
    const points = Array.from({ length: 81 }, (_, number) => `${this.across(number / 80).toFixed(1)} ${at(number / 80).toFixed(1)}`);
    set(this.line, { d: `M${points.join("L")}` });
    const middle = clamp(falloff.midpoint / 100, 0, 1);
    const begins = clamp(middle - 0.05 - (0.45 * falloff.softness) / 100, 0, 1);
    set(this.grips.midpoint, { cx: this.across(middle), cy: at(middle), "aria-valuenow": Math.round(falloff.midpoint) });
    set(this.grips.softness, { cx: this.across(begins), cy: at(begins), "aria-valuenow": Math.round(falloff.softness) });
    set(this.grips.amount, { cx: this.across(1), cy: at(1), "aria-valuenow": Math.round(falloff.amount) });
    set(this.told, { y: clamp(at(1) + 18, 10, PLOT.foot) });
    this.told.textContent = falloff.amount ? `${stops > 0 ? "+" : "\u2212"}${Math.abs(stops).toFixed(1)} stops` : "";
  }

  to(name, x, y) {
    const { falloff } = this.heard.finish();
    const share = clamp((x - PLOT.left) / (PLOT.right - PLOT.left), 0, 1);
    if (name === "amount") {
      const stops = 1 - ((y - PLOT.top) / (PLOT.foot - PLOT.top)) * (STOPS + 1);
      this.heard.move("falloff", { amount: Math.round(clamp((stops / STOPS) * 100, -100, 33)) });
    } else if (name === "midpoint") this.heard.move("falloff", { midpoint: Math.round(share * 100) });
    else this.heard.move("falloff", { softness: Math.round(clamp(((falloff.midpoint / 100 - share - 0.05) / 0.45) * 100, 0, 100)) });
    this.draw();
  }

  grab(event, name) {
    if (event.button !== 0) return;
    event.preventDefault();
    event.currentTarget.focus({ preventScroll: true });
    const begun = { ...this.heard.finish().falloff };
    follow(event.currentTarget, event, (next) => {
      const { x, y } = place(this.drawing, next);
      this.to(name, x, y);
    }, (last) => {
      if (last.type === "pointercancel") this.heard.move("falloff", begun);
      this.heard.settle();
    });
  }

  key(event, name) {
    const by = ARROWS[event.key];
    if (!by) return;
    const step = (by[0] - by[1]) * (event.shiftKey ? 1 : STEP);
    const now = this.heard.finish().falloff[name];
    this.heard.move("falloff", { [name]: clamp(Math.round(now + (name === "softness" ? -step : step)), name === "amount" ? -100 : 0, 100) });
    this.draw();
    event.preventDefault();
    event.stopPropagation();
    this.heard.settle("soon");
  }
}

export class BurnedFrame {
  /** @param {HTMLElement} holder @param {Heard & {choose: (side: string) => void, chosen: () => string}} heard */
  constructor(holder, heard) {
    this.heard = heard;
    const { left, top, width, height } = FRAME;
    this.drawing = svg("svg", { viewBox: `0 0 ${WIDTH} ${HEIGHT + 6}`, role: "group", "aria-label": "Burned edges" });
    this.drawing.append(svg("rect", { class: "paper", x: left, y: top, width, height }));
    this.parts = Object.fromEntries(SIDES.map((side) => {
      const shade = svg("polygon", { class: "shade" });
      const words = svg("text", { class: "axis", "text-anchor": { left: "end", right: "start" }[side] || "middle" });
      const grip = svg("circle", { class: "lightpoint", r: 6, tabindex: 0, role: "slider", "aria-label": `${side} edge: inward its reach, along it the light` });
      grip.addEventListener("pointerdown", (event) => this.grab(event, side));
      grip.addEventListener("keydown", (event) => this.key(event, side));
      grip.addEventListener("focus", () => heard.choose(side));
      this.drawing.append(shade, words);
      return [side, { shade, words, grip }];
    }));
    this.drawing.append(...SIDES.map((side) => this.parts[side].grip));
    holder.append(this.drawing);
  }

  draw() {
    const { burned } = this.heard.finish();
    const { left, top, width, height } = FRAME;
    const inner = Object.fromEntries(SIDES.map((side) => [side, ((burned[side].amount ? burned[side].reach : 0) / 100) * (side === "top" || side === "bottom" ? height : width)]));
    const corner = (/** @type {boolean} */ onRight, /** @type {boolean} */ below) => [onRight ? left + width - inner.right : left + inner.left, below ? top + height - inner.bottom : top + inner.top];
    const outer = (/** @type {boolean} */ onRight, /** @type {boolean} */ below) => [onRight ? left + width : left, below ? top + height : top];
    const ends = { top: [[false, false], [true, false]], right: [[true, false], [true, true]], bottom: [[true, true], [false, true]], left: [[false, true], [false, false]] };
    const words = { top: [left + width / 2, top - 8], right: [left + width + 10, top + height / 2 + 4], bottom: [left + width / 2, top + height + 15], left: [left - 10, top + height / 2 + 4] };
    for (const side of SIDES) {
      const { amount, reach } = burned[side];
      const [[a, b], [c, d]] = /** @type {[boolean, boolean][]} */ (ends[side]);
      const points = [outer(a, b), outer(c, d), corner(c, d), corner(a, b)];
      set(this.parts[side].shade, { points: points.map((point) => point.join(",")).join(" "), class: `shade ${amount > 0 ? "light" : "dark"}`, "fill-opacity": Math.min(0.85, Math.abs(amount) / 100 + 0.05) * (amount ? 1 : 0) });
      const middle = [(corner(a, b)[0] + corner(c, d)[0]) / 2, (corner(a, b)[1] + corner(c, d)[1]) / 2];
      set(this.parts[side].grip, { cx: middle[0], cy: middle[1], class: `lightpoint${this.heard.chosen() === side ? " chosen" : ""}`, "aria-valuenow": Math.round(amount), "aria-valuetext": `${Math.round(amount)}, reach ${Math.round(reach)} percent` });
      set(this.parts[side].words, { x: words[side][0], y: words[side][1] });
      const stops = (STOPS * amount) / 100;
      this.parts[side].words.textContent = amount ? `${stops > 0 ? "+" : "\u2212"}${Math.abs(stops).toFixed(1)} · ${Math.round(reach)} %` : "0";
    }
  }

  /** Drag a side's handle inward: its reach; a side that was at rest becomes darker by as much. */
  grab(event, side) {
    if (event.button !== 0) return;
    event.preventDefault();
    event.currentTarget.focus({ preventScroll: true });
    const begun = JSON.parse(JSON.stringify(this.heard.finish().burned));
    const rested = !begun[side].amount;
    const { left, top, width, height } = FRAME;
    follow(event.currentTarget, event, (next) => {
      const { x, y } = place(this.drawing, next);
      const inward = { top: (y - top) / height, bottom: (top + height - y) / height, left: (x - left) / width, right: (left + width - x) / width }[side];
      const reach = Math.round(clamp(inward, 0, 1) * 100);
      this.heard.move("burned", { [side]: { ...begun[side], reach, amount: rested ? -Math.min(60, reach) : begun[side].amount } });
      this.draw();
    }, (last) => {
      if (last.type === "pointercancel") this.heard.move("burned", begun);
      this.heard.settle();
    });
  }

  key(event, side) {
    const by = ARROWS[event.key];
    const now = this.heard.finish().burned[side];
    if (event.key === "Delete" || event.key === "Backspace") this.heard.move("burned", { [side]: { ...now, amount: 0 } });
    else if (by) {
      const step = event.shiftKey ? 1 : STEP;
      const upright = side === "top" || side === "bottom";
      const inward = (upright ? by[1] : by[0]) * (side === "bottom" || side === "right" ? -1 : 1);
      const along = upright ? by[0] : -by[1];
      this.heard.move("burned", { [side]: { ...now, reach: clamp(now.reach + inward * step, 0, 100), amount: clamp(now.amount + along * step, -100, 100) } });
    } else return;
    this.draw();
    event.preventDefault();
    event.stopPropagation();
    this.heard.settle("soon");
  }
}
