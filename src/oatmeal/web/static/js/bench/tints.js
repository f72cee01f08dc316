// A strip for one tint of a toned print: along lies the hue, upward the strength; the tint is a point.
import { clamp } from "./paths.js";
import { follow, place, set, svg } from "./svg.js";
import { ARROWS_UP } from "./pointer.js";

const WIDTH = 348;
const HEIGHT = 54;
const PLOT = { left: 4, right: 344, top: 3, foot: 51 };
/** The strip ends at this strength; more can be typed. */
const TOP = 60;
const LOUD = 60;
const HUE_STEP = 2;
/** With Shift a step is this share of itself. */
const FINE = 0.2;

export class TintStrip {
  /**
   * @param {HTMLElement} holder @param {string} name lights or darks @param {string[]} hues colours round the circle
   * @param {{tint: () => {hue: number, strength: number}, move: (hue: number, strength: number, loud: number) => void, settle: (when?: "soon") => void}} heard
   */
  constructor(holder, name, hues, heard) {
    this.heard = heard;
    const { left, right, top, foot } = PLOT;
    const box = { x: left, y: top, width: right - left, height: foot - top, rx: 5 };
    this.drawing = svg("svg", { viewBox: `0 0 ${WIDTH} ${HEIGHT}`, role: "group", "aria-label": `Colour of the ${name}` });
    const stops = [...hues, hues[0]].map((colour, number) => svg("stop", { offset: number / hues.length, "stop-color": colour }));
    const fade = [["0", 0.05], ["1", 1]].map(([offset, opacity]) => svg("stop", { class: "stop-paper", offset, "stop-opacity": opacity }));
    this.drawing.append(
      svg("defs", {}, svg("linearGradient", { id: `hues-${name}` }, ...stops), svg("linearGradient", { id: `pale-${name}`, x1: 0, y1: 0, x2: 0, y2: 1 }, ...fade)),
      svg("rect", { ...box, fill: `url(#hues-${name})`, "pointer-events": "none" }),
    );
    this.plot = svg("rect", { ...box, class: "plot", fill: `url(#pale-${name})` });
    this.point = svg("circle", { class: "lightpoint", r: 7, tabindex: 0, role: "slider", "aria-label": `hue of the ${name}`, "aria-valuemin": 0, "aria-valuemax": 360 });
    this.drawing.append(this.plot, this.point);
    for (const part of [this.plot, this.point]) part.addEventListener("pointerdown", (event) => this.grab(event));
    this.point.addEventListener("keydown", (event) => this.key(event));
    holder.append(this.drawing);
  }

  draw() {
    const { hue, strength } = this.heard.tint();
    const { left, right, top, foot } = PLOT;
    set(this.point, {
      cx: left + (hue / 360) * (right - left), cy: foot - (Math.min(strength, TOP) / TOP) * (foot - top),
      "aria-valuenow": Math.round(hue), "aria-valuetext": `${Math.round(hue)} degrees, strength ${Math.round(strength)}`,
    });
  }

  /** The tint follows the pointer; with Shift its hue is shown at full strength. */
  grab(event) {
    if (event.button !== 0) return;
    event.preventDefault();
    this.point.focus({ preventScroll: true });
    const begun = { ...this.heard.tint() };
    const to = (next) => {
      const { x, y } = place(this.drawing, next);
      const { left, right, top, foot } = PLOT;
      const up = ((foot - y) / (foot - top)) * TOP;
      this.move(((x - left) / (right - left)) * 360, up, next.shiftKey ? LOUD : 0);
    };
    to(event);
    follow(this.drawing, event, to, (last) => {
      if (last.type === "pointercancel") this.move(begun.hue, begun.strength, 0);
      this.heard.settle();
    });
  }

  move(hue, strength, loud) {
    this.heard.move(Math.round(clamp(hue, 0, 360)), Math.round(clamp(strength, 0, 100)), loud);
    this.draw();
  }

  key(event) {
    const by = ARROWS_UP[event.key];
    const { hue, strength } = this.heard.tint();
    if (event.key === "Delete" || event.key === "Backspace") this.move(hue, 0, 0);
    else if (by) {
      const far = event.shiftKey ? FINE : 1;
      this.move((hue + by[0] * far * HUE_STEP + 360) % 360, strength + by[1] * far, 0);
    } else return;
    event.preventDefault();
    event.stopPropagation();
    this.heard.settle("soon");
  }
}
