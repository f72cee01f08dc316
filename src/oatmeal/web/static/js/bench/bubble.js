// The spirit level: its bubble is dragged to where the picture stands level.
import { clamp } from "./paths.js";
import { follow, place, set, svg } from "./svg.js";

const WIDTH = 348;
const HEIGHT = 54;
const TUBE = { left: 4, right: 344, top: 3, foot: 33 };
const REACH = 10;
const STEP = 0.05;
const FINE = 0.2;
const KEYS = { ArrowLeft: -1, ArrowRight: 1, ArrowDown: -1, ArrowUp: 1 };

export class Bubble {
  /**
   * @param {HTMLElement} holder
   * @param {import("./settings.js").Setting} setting of the angle
   * @param {{angle: () => number, move: (degrees: number) => void, hold: (on: boolean) => void, settle: (when?: "soon") => void}} heard
   */
  constructor(holder, setting, heard) {
    this.setting = setting;
    this.heard = heard;
    const { left, right, top, foot } = TUBE;
    const inert = { "pointer-events": "none" };
    this.drawing = svg("svg", { viewBox: `0 0 ${WIDTH} ${HEIGHT}`, role: "group", "aria-label": "Spirit level" });
    this.tube = svg("rect", { class: "tube", x: left, y: top, width: right - left, height: foot - top, rx: 15 });
    this.bubble = svg("ellipse", {
      class: "bubble", cy: (top + foot) / 2, rx: 21, ry: 11, tabindex: 0, role: "slider", "aria-label": "level",
      "aria-valuemin": setting.low, "aria-valuemax": setting.high,
    });
    this.drawing.append(this.tube);
    for (let degrees = -REACH; degrees <= REACH; degrees += 1) {
      const far = degrees % 5 === 0;
      this.drawing.append(svg("line", { class: "tick", x1: this.at(degrees), x2: this.at(degrees), y1: foot + 2, y2: foot + (far ? 8 : 5), ...inert }));
      if (far) this.drawing.append(svg("text", { class: "axis", x: this.at(degrees), y: HEIGHT - 2, "text-anchor": "middle", ...inert }, `${String(degrees).replace("-", "−")}°`));
    }
    for (const side of [-1, 1]) this.drawing.append(svg("line", { class: "mark", x1: this.at(0) + side * 24, x2: this.at(0) + side * 24, y1: top, y2: foot, ...inert }));
    this.drawing.append(this.bubble);
    for (const element of [this.tube, this.bubble]) element.addEventListener("pointerdown", (event) => this.grab(event));
    this.bubble.addEventListener("keydown", (event) => this.key(event));
    holder.append(this.drawing);
  }

  at(degrees) {
    const { left, right } = TUBE;
    const room = 24;
    return left + room + ((clamp(degrees, -REACH, REACH) + REACH) / (2 * REACH)) * (right - left - 2 * room);
  }

  draw() {
    const angle = this.heard.angle();
    set(this.bubble, { cx: this.at(angle), "aria-valuenow": angle, "aria-valuetext": `${angle.toFixed(2)} degrees` });
  }

  grab(event) {
    if (event.button !== 0) return;
    event.preventDefault();
    this.bubble.focus({ preventScroll: true });
    const begun = this.heard.angle();
    let last = place(this.drawing, event).x;
    let angle = begun;
    const perPixel = (2 * REACH) / (this.at(REACH) - this.at(-REACH));
    this.heard.hold(true);
    follow(this.drawing, event, (next) => {
      const { x } = place(this.drawing, next);
      angle += (x - last) * perPixel * (next.shiftKey ? FINE : 1);
      last = x;
      this.move(angle);
    }, (ended) => {
      if (ended.type === "pointercancel") this.move(begun);
      this.heard.hold(false);
      if (this.heard.angle() !== begun) this.heard.settle();
    });
  }

  move(degrees) {
    const steps = Math.round(clamp(degrees, this.setting.low, this.setting.high) / STEP);
    this.heard.move(Number((steps * STEP).toFixed(2)));
    this.draw();
  }

  key(event) {
    const by = KEYS[event.key];
    if (event.key === "Delete" || event.key === "Backspace") this.move(0);
    else if (by) this.move(this.heard.angle() + by * (event.shiftKey ? STEP : this.setting.step));
    else return;
    event.preventDefault();
    event.stopPropagation();
    this.heard.settle("soon");
  }
}
