// What lies on the picture in Areas: contours, lines and handles of the chosen part, the brush, a stroke being drawn.
import { brushAt, follow, set, svg } from "./svg.js";
import { ARROWS, dragged, nudged } from "./pointer.js";

const GROWN = 1.1;
const STEPS = 10000;

/**
 * What is drawn, and whom the overlay tells. Places are CSS pixels on the surround.
 * @typedef {object} Heard
 * @property {() => boolean} open
 * @property {() => {id: string, chosen: boolean, contours: Object<string, string[]>}[]} contours in shares of the framed picture
 * @property {() => {lines: {points: number[][], dashed: boolean, wide?: boolean}[], handles: {id: string, at: number[], words: string}[]}} part
 * @property {() => {at: number[], words: string}|null} anchor where the chosen area is taken hold of
 * @property {(share: {x: number, y: number}) => {x: number, y: number}} screen
 * @property {() => number} radius of the brush
 * @property {() => void} begin
 * @property {(id: string, by: number[], from: number[]) => void} move
 * @property {(factor: number) => void} size
 * @property {(by: number[], from: number[], copies: boolean) => void} carry
 * @property {() => void} grab the whole area, to be carried
 * @property {() => void} back
 * @property {(when?: "soon") => void} settle
 * @property {() => void} drop
 */

export class Overlay {
  /** @param {HTMLElement} holder @param {import("./view.js").View} view @param {Heard} heard */
  constructor(holder, view, heard) {
    this.holder = holder;
    this.heard = heard;
    this.view = view;
    /** @type {any} where the pointer was last */
    this.last = null;
    this.drawing = svg("svg", { class: "areaboard", role: "group", "aria-label": "Masks" });
    this.contours = svg("g", { "aria-hidden": "true" });
    this.lines = svg("g", { "aria-hidden": "true" });
    this.draft = svg("path", { class: "draft", visibility: "hidden" });
    this.draft.addEventListener("animationend", () => set(this.draft, { visibility: "hidden" }));
    this.handles = svg("g");
    this.anchor = svg("circle", { class: "anchor ring", r: 7, tabindex: 0, role: "button" });
    this.brush = svg("circle", { class: "brush", visibility: "hidden" });
    this.drawing.append(this.contours, this.lines, this.draft, this.handles, this.anchor, this.brush);
    holder.append(this.drawing);
    this.anchor.addEventListener("pointerdown", (event) => this.grab(event, null));
    this.anchor.addEventListener("keydown", (event) => this.key(event, null));
    view.surround.addEventListener("pointermove", (event) => this.hover(event));
    view.surround.addEventListener("pointerleave", () => brushAt(this.brush, null));
  }

  /** The brush follows the pointer. */
  hover(event = this.last) {
    if (!event) return;
    this.last = event;
    const radius = this.heard.open() && event.pointerType !== "touch" ? this.heard.radius() : 0;
    const over = !radius || event.target.closest?.("button, .ring, .pinboard, .history");
    brushAt(this.brush, over ? null : this.view.onSurround(event), Math.max(2, radius));
  }

  draw() {
    const open = this.heard.open();
    this.holder.hidden = !open;
    if (!open) return;
    this.contours.replaceChildren(...this.heard.contours().flatMap((one) => this.contour(one)));
    const { lines, handles } = this.heard.part();
    this.lines.replaceChildren(...lines.flatMap(({ points, dashed, wide }) => {
      const d = pathThrough(points);
      const kind = `line${dashed ? " dashed" : ""}${wide ? " wide" : ""}`;
      return [svg("path", { class: `halo${wide ? " wide" : ""}`, d }), svg("path", { class: kind, d })];
    }));
    while (this.handles.children.length > handles.length) this.handles.lastElementChild.remove();
    while (this.handles.children.length < handles.length) this.handles.append(this.newHandle());
    handles.forEach(({ id, at, words }, place) => {
      set(this.handles.children[place], { cx: at[0], cy: at[1], "data-handle": id, "aria-label": `${words}: drag or arrows` });
    });
    const anchor = this.heard.anchor();
    set(this.anchor, anchor ? { visibility: "visible", cx: anchor.at[0], cy: anchor.at[1], "aria-label": anchor.words } : { visibility: "hidden" });
  }

  /** Contours of an area: dark and light lines that read on any grey, with their percentages. */
  contour({ chosen, contours }) {
    return Object.entries(contours).flatMap(([level, paths]) => {
      const lines = paths.map((path) => placesOf(path).map(([x, y]) => {
        const at = this.heard.screen({ x, y });
        return [at.x, at.y];
      }));
      const d = lines.map(pathThrough).join("");
      const kind = `${level === "50" ? " middle" : ""}${chosen ? "" : " other"}`;
      const drawn = [svg("path", { class: `halo${kind}`, d }), svg("path", { class: `contour${kind}`, d })];
      const longest = lines.reduce((best, line) => (line.length > best.length ? line : best), []);
      if (chosen && longest.length > 3) {
        const [x, y] = longest[Math.floor(longest.length / 8)];
        drawn.push(svg("text", { class: "level", x: x + 4, y: y + 4 }, level));
      }
      return drawn;
    });
  }

  newHandle() {
    const handle = svg("circle", { class: "handle ring", r: 6, tabindex: 0, role: "slider", "aria-valuenow": 0 });
    handle.addEventListener("pointerdown", (event) => this.grab(event, handle));
    handle.addEventListener("keydown", (event) => this.key(event, handle));
    return handle;
  }

  /** Drag a handle, or with none the whole area. */
  grab(event, handle) {
    if (event.button !== 0) return;
    event.preventDefault();
    event.stopPropagation();
    const element = handle || this.anchor;
    element.focus({ preventScroll: true });
    const id = element.getAttribute("data-handle");
    const from = [Number(element.getAttribute("cx")), Number(element.getAttribute("cy"))];
    this.heard.begin();
    let moved = false;
    follow(element, event, (next) => {
      const by = [next.clientX - event.clientX, next.clientY - event.clientY];
      if (!moved && !dragged(event, next)) return;
      if (!moved && !handle) this.heard.grab();
      if (handle) this.heard.move(id, by, from);
      else this.heard.carry(by, from, !moved && event.altKey);
      moved = true;
    }, (ended) => {
      if (!moved) return;
      if (ended.type === "pointercancel") this.heard.back();
      this.heard.settle();
    });
  }

  key(event, handle) {
    const element = handle || this.anchor;
    const by = ARROWS[event.key];
    const from = [Number(element.getAttribute("cx")), Number(element.getAttribute("cy"))];
    if (by) {
      const step = by.map((value) => value * nudged(event));
      if (handle) this.heard.move(element.getAttribute("data-handle"), step, from);
      else {
        this.heard.grab();
        this.heard.carry(step, from, false);
      }
    } else if (["+", "=", "-", "_"].includes(event.key)) this.heard.size(event.key === "+" || event.key === "=" ? GROWN : 1 / GROWN);
    else if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      event.stopPropagation();
      this.heard.drop();
      return;
    } else return;
    event.preventDefault();
    event.stopPropagation();
    this.heard.settle("soon");
  }

  /** The stroke that was drawn fades by and by. */
  fade() {
    if (window.matchMedia("(prefers-reduced-motion: reduce)").matches) this.sketch(null);
    else this.draft.classList.add("trace");
  }

  /** A stroke while it is drawn; null: it is done. @param {number[][]|null} points @param {number} [radius] @param {boolean} [light] */
  sketch(points, radius = 1, light = true) {
    if (!points) set(this.draft, { visibility: "hidden" });
    else set(this.draft, { visibility: "visible", class: `draft ${light ? "light" : "dark"}`, d: pathThrough(points.length > 1 ? points : [points[0], points[0]]), "stroke-width": 2 * Math.max(1, radius) });
  }
}

const pathThrough = (points) => (points.length ? `M${points.map(([x, y]) => `${x.toFixed(1)} ${y.toFixed(1)}`).join("L")}` : "");

/** Places of a contour in shares of the framed picture's sides. */
function placesOf(path) {
  const steps = path.split(" ");
  const found = [];
  for (let i = 0, x = 0, y = 0; i < steps.length; i += 2) {
    x += Number(steps[i]);
    y += Number(steps[i + 1]);
    found.push([x / STEPS, y / STEPS]);
  }
  return found;
}
