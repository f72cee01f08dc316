// The field of light: cool to warm, magenta to green, with the light the photograph was taken in as a point.
import { clamp } from "./paths.js";
import { follow, place, set, svg } from "./svg.js";
import { ARROWS_UP } from "./pointer.js";

const WIDTH = 348;
const HEIGHT = 118;
const PLOT = { left: 4, right: 344, top: 4, foot: 98 };
const DAYLIGHT_MIRED = 1e6 / 6504;
const KELVIN = [10000, 6500, 5000, 4000, 3200, 2500];
const COARSE = 5;

/** Kelvin of a light that is so many mired warmer than daylight. @param {number} warmth */
export const kelvinOf = (warmth) => 1e6 / (DAYLIGHT_MIRED + warmth);

export class LightField {
  /**
   * @param {HTMLElement} holder
   * @param {Object<string, import("./settings.js").Setting>} settings
   * @param {{light: () => any, move: (warmth: number, tint: number) => void, settle: (when?: "soon") => void}} heard
   */
  constructor(holder, settings, heard) {
    this.heard = heard;
    this.warmth = settings["prepare.light.warmth"];
    this.tint = settings["prepare.light.tint"];
    const { left, right, top, foot } = PLOT;
    const inert = { "pointer-events": "none" };
    this.drawing = svg("svg", { viewBox: `0 0 ${WIDTH} ${HEIGHT}`, role: "group", "aria-label": "The light the photograph was taken in" });
    this.drawing.append(
      svg("defs", {}, ramp("cool-warm", false, ["cool", "mid", "warm"]), ramp("green-magenta", true, ["green", "none", "magenta"])),
      svg("rect", { x: left, y: top, width: right - left, height: foot - top, rx: 5, fill: "url(#cool-warm)", ...inert }),
    );
    this.plot = svg("rect", { class: "plot", x: left, y: top, width: right - left, height: foot - top, rx: 5, fill: "url(#green-magenta)" });
    this.drawing.append(
      this.plot,
      svg("line", { class: "rule", x1: left, x2: right, y1: this.atTint(0), y2: this.atTint(0), ...inert }),
      svg("line", { class: "rule", x1: this.atWarmth(0), x2: this.atWarmth(0), y1: top, y2: foot, ...inert }),
      ...KELVIN.map((kelvin) => svg("text", { class: "axis", x: this.atWarmth(1e6 / kelvin - DAYLIGHT_MIRED), y: HEIGHT - 5, "text-anchor": "middle", ...inert }, kelvin === 6500 ? "6500 K" : String(kelvin))),
      svg("text", { class: "axis inside", x: right - 6, y: top + 13, "text-anchor": "end", ...inert }, "warmer light →"),
      svg("text", { class: "axis inside", x: left + 6, y: top + 13, ...inert }, "↑ greener"),
    );
    this.point = svg("circle", {
      class: "lightpoint", r: 7, tabindex: 0, role: "slider", "aria-label": "light: warmth",
      "aria-valuemin": this.warmth.low, "aria-valuemax": this.warmth.high,
    });
    this.drawing.append(this.point);
    this.plot.addEventListener("pointerdown", (event) => this.grab(event));
    this.point.addEventListener("pointerdown", (event) => this.grab(event));
    this.point.addEventListener("keydown", (event) => this.key(event));
    holder.append(this.drawing);
  }

  atWarmth(warmth) {
    const { low, high } = this.warmth;
    return PLOT.left + ((warmth - low) / (high - low)) * (PLOT.right - PLOT.left);
  }

  atTint(tint) {
    const { low, high } = this.tint;
    return PLOT.foot - ((tint - low) / (high - low)) * (PLOT.foot - PLOT.top);
  }

  draw() {
    const { warmth, tint } = this.heard.light();
    set(this.point, {
      cx: this.atWarmth(warmth), cy: this.atTint(tint), "aria-valuenow": Math.round(warmth),
      "aria-valuetext": `${Math.round(kelvinOf(warmth))} kelvin, green ${Math.round(tint)}`,
    });
  }

  /** Move the light there, and with the pointer. */
  grab(event) {
    event.preventDefault();
    this.point.focus({ preventScroll: true });
    const begun = { ...this.heard.light() };
    const to = (next) => {
      const { x, y } = place(this.drawing, next);
      const { low, high } = this.warmth;
      const across = (x - PLOT.left) / (PLOT.right - PLOT.left);
      const up = (PLOT.foot - y) / (PLOT.foot - PLOT.top);
      this.move(low + across * (high - low), this.tint.low + up * (this.tint.high - this.tint.low));
    };
    to(event);
    follow(this.drawing, event, to, (last) => {
      if (last.type === "pointercancel") this.move(begun.warmth, begun.tint);
      this.heard.settle();
    });
  }

  move(warmth, tint) {
    this.heard.move(Math.round(clamp(warmth, this.warmth.low, this.warmth.high)), Math.round(clamp(tint, this.tint.low, this.tint.high)));
    this.draw();
  }

  key(event) {
    const by = ARROWS_UP[event.key];
    const { warmth, tint } = this.heard.light();
    if (event.key === "Delete" || event.key === "Backspace") this.move(0, 0);
    else if (by) {
      const far = event.shiftKey ? 1 / this.warmth.step : COARSE;
      this.move(warmth + by[0] * far * this.warmth.step, tint + by[1] * far * this.tint.step);
    } else return;
    event.preventDefault();
    event.stopPropagation();
    this.heard.settle("soon");
  }
}

/** A gradient of three colours, named by classes. */
function ramp(id, upright, classes) {
  const end = upright ? { x1: 0, y1: 0, x2: 0, y2: 1 } : { x1: 0, y1: 0, x2: 1, y2: 0 };
  return svg("linearGradient", { id, ...end }, ...classes.map((name, place_) => svg("stop", { class: `stop-${name}`, offset: place_ / 2 })));
}
