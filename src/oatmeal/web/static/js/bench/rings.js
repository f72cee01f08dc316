// Rings on the picture: spots, where the chosen one is healed from, and specks that are proposed.
import { brushAt, follow, set, svg } from "./svg.js";
import { ARROWS, dragged, nudged } from "./pointer.js";

const LEAST_PX = 4;
const GROWN = 1.1;

/**
 * What the rings read, and what they let others hear. Places are CSS pixels on the surround.
 * @typedef {object} Heard
 * @property {() => boolean} open
 * @property {() => {points: number[][], radius: number, source: number[], on: boolean, chosen: boolean}[]} spots
 * @property {() => {points: number[][], radius: number, chosen: boolean}[]} specks
 * @property {() => number} radius of the next spot
 * @property {(number: number) => void} choose
 * @property {(number: number, by: number[]) => void} move by CSS pixels from where it was when it was grabbed
 * @property {(number: number, by: number[]) => void} lead the source, alike
 * @property {(number: number, factor: number) => void} size times what it was when it was grabbed
 * @property {(number: number) => void} grab
 * @property {(when?: "soon") => void} settle
 * @property {() => void} back
 * @property {(number: number) => void} drop
 * @property {(number: number) => void} toggle
 * @property {(number: number) => void} confirm
 * @property {(number: number) => void} dismiss
 */

export class Rings {
  /** @param {HTMLElement} holder @param {import("./view.js").View} view @param {Heard} heard */
  constructor(holder, view, heard) {
    this.holder = holder;
    this.view = view;
    this.heard = heard;
    this.drawing = svg("svg", { class: "spotboard", role: "group", "aria-label": "Spots" });
    this.spots = svg("g");
    this.specks = svg("g");
    this.draft = svg("path", { class: "draft", visibility: "hidden" });
    this.brush = svg("circle", { class: "brush", visibility: "hidden" });
    this.drawing.append(this.draft, this.specks, this.spots, this.brush);
    holder.append(this.drawing);
    view.surround.addEventListener("pointermove", (event) => this.hover(event));
    view.surround.addEventListener("pointerleave", () => brushAt(this.brush, null));
  }

  /** The size of the next spot follows the pointer. */
  hover(event) {
    const over = !this.heard.open() || event.pointerType === "touch" || event.target.closest(".ring, button, .pinboard, .history");
    if (over) brushAt(this.brush, null);
    else brushAt(this.brush, this.view.onSurround(event), Math.max(LEAST_PX / 2, this.heard.radius()));
  }

  draw() {
    const open = this.heard.open();
    this.holder.hidden = !open;
    if (!open) return;
    this.lay(this.spots, this.heard.spots(), (number) => this.newSpot(number), (group, spot, number) => this.laySpot(group, spot, number));
    this.lay(this.specks, this.heard.specks(), (number) => this.newSpeck(number), (group, speck) => this.laySpeck(group, speck));
  }

  lay(holder, all, make, put) {
    while (holder.children.length > all.length) holder.lastElementChild.remove();
    while (holder.children.length < all.length) holder.append(make(holder.children.length));
    all.forEach((one, number) => put(holder.children[number], one, number));
  }

  newSpot(number) {
    const source = svg("path", { class: "source", tabindex: 0, role: "slider", "aria-valuenow": 0, "aria-label": `source of spot ${number + 1}: drag or arrows` });
    const halo = svg("path", { class: "halo" });
    const body = svg("path", { class: "spot", tabindex: 0, role: "button", "aria-label": `spot ${number + 1}: arrows move it, plus and minus size it, Enter switches it, Delete removes it` });
    const handle = svg("circle", { class: "handle", r: 5, "aria-hidden": "true" });
    const group = svg("g", { class: "ring" }, halo, source, body, handle);
    body.addEventListener("pointerdown", (event) => this.drag(event, number, "move"));
    source.addEventListener("pointerdown", (event) => this.drag(event, number, "lead"));
    handle.addEventListener("pointerdown", (event) => this.resize(event, number));
    body.addEventListener("focus", () => this.heard.choose(number));
    body.addEventListener("keydown", (event) => this.key(event, number, "move"));
    source.addEventListener("keydown", (event) => this.key(event, number, "lead"));
    return group;
  }

  /** @param {any} group @param {any} spot @param {number} number */
  laySpot(group, { points, radius, source, on, chosen }, number) {
    const [halo, from, body, handle] = group.children;
    const shown = Math.max(LEAST_PX, radius);
    const moved = points.map(([x, y]) => [x + source[0], y + source[1]]);
    group.setAttribute("class", `ring${chosen ? " chosen" : ""}${on ? "" : " off"}`);
    set(halo, { d: around(points, shown) });
    set(body, { d: around(points, shown), "data-spot": number });
    for (const one of [from, handle]) one.setAttribute("visibility", chosen ? "visible" : "hidden");
    if (!chosen) return;
    set(from, { d: around(moved, shown) });
    const last = points[points.length - 1];
    set(handle, { cx: last[0] + shown * Math.SQRT1_2, cy: last[1] + shown * Math.SQRT1_2 });
  }

  newSpeck(number) {
    const body = svg("path", { class: "speck", tabindex: 0, role: "button", "aria-label": `likely speck ${number + 1}: Enter heals it, Delete leaves it` });
    const group = svg("g", { class: "ring" }, body);
    body.addEventListener("pointerdown", (event) => {
      if (event.button !== 0) return;
      event.preventDefault();
      event.stopPropagation();
      if (event.altKey) this.heard.dismiss(number);
      else this.heard.confirm(number);
    });
    body.addEventListener("keydown", (event) => {
      if (event.key === "Enter" || event.key === " ") this.heard.confirm(number);
      else if (event.key === "Delete" || event.key === "Backspace") this.heard.dismiss(number);
      else return;
      event.preventDefault();
      event.stopPropagation();
    });
    return group;
  }

  /** @param {any} group @param {any} speck */
  laySpeck(group, { points, radius, chosen }) {
    group.setAttribute("class", `ring${chosen ? " chosen" : ""}`);
    set(group.firstElementChild, { d: around(points, Math.max(LEAST_PX + 2, radius)) });
  }

  /** Drag a spot, or its source. */
  drag(event, number, what) {
    if (event.button !== 0) return;
    event.preventDefault();
    event.stopPropagation();
    const element = event.currentTarget;
    this.heard.choose(number);
    element.focus({ preventScroll: true });
    this.heard.grab(number);
    let moved = false;
    follow(element, event, (next) => {
      moved ||= dragged(event, next);
      if (moved) this.heard[what](number, [next.clientX - event.clientX, next.clientY - event.clientY]);
    }, (ended) => {
      if (!moved) return;
      if (ended.type === "pointercancel") this.heard.back();
      this.heard.settle();
    });
  }

  resize(event, number) {
    if (event.button !== 0) return;
    event.preventDefault();
    event.stopPropagation();
    const { left, top } = this.drawing.getBoundingClientRect();
    const { points, radius } = this.heard.spots()[number];
    const [x, y] = points[points.length - 1];
    this.heard.grab(number);
    follow(event.currentTarget, event, (next) => {
      const far = Math.hypot(next.clientX - left - x, next.clientY - top - y);
      this.heard.size(number, Math.max(1, far) / Math.max(LEAST_PX, radius));
    }, (ended) => {
      if (ended.type === "pointercancel") this.heard.back();
      this.heard.settle();
    });
  }

  key(event, number, what) {
    const by = ARROWS[event.key];
    if (by) {
      const step = nudged(event);
      this.heard.grab(number);
      this.heard[what](number, [by[0] * step, by[1] * step]);
      this.heard.settle("soon");
    } else if (["+", "=", "-", "_"].includes(event.key)) {
      this.heard.grab(number);
      this.heard.size(number, event.key === "+" || event.key === "=" ? GROWN : 1 / GROWN);
      this.heard.settle("soon");
    } else if (event.key === "Delete" || event.key === "Backspace") this.heard.drop(number);
    else if (event.key === "Enter" || event.key === " ") this.heard.toggle(number);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  /** A stroke while it is drawn. @param {number[][]|null} points */
  sketch(points) {
    if (!points) set(this.draft, { visibility: "hidden" });
    else set(this.draft, { visibility: "visible", d: `M${points.map((point) => point.join(" ")).join("L")}`, "stroke-width": 2 * Math.max(LEAST_PX / 2, this.heard.radius()) });
  }

  focus(number) {
    this.spots.children[number]?.querySelector(".spot").focus({ preventScroll: true });
  }
}

/** The outline of what lies within a radius of a path. */
function around(points, radius) {
  const circle = ([x, y]) => `M${x - radius} ${y}a${radius} ${radius} 0 1 0 ${2 * radius} 0a${radius} ${radius} 0 1 0 ${-2 * radius} 0Z`;
  if (points.length === 1) return circle(points[0]);
  const left = [];
  const right = [];
  points.forEach((point, place) => {
    const before = points[Math.max(0, place - 1)];
    const after = points[Math.min(points.length - 1, place + 1)];
    const far = Math.hypot(after[0] - before[0], after[1] - before[1]) || 1;
    const [x, y] = [(-(after[1] - before[1]) / far) * radius, ((after[0] - before[0]) / far) * radius];
    left.push([point[0] + x, point[1] + y]);
    right.unshift([point[0] - x, point[1] - y]);
  });
  const arc = `A${radius} ${radius} 0 0 0 `;
  const line = (all) => all.map((point) => point.join(" ")).join("L");
  return `M${line(left)}${arc}${line([right[0]])}L${line(right)}${arc}${line([left[0]])}Z`;
}
