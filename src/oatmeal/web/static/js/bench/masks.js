// On the picture in Areas: brush, fade, ellipse, outline, alike, tones and colours, and what can be dragged afterwards.
import { ask, say } from "../api.js";
import { clamp, copy } from "./paths.js";
import { needed, placing, thinned } from "./places.js";
import { follow } from "./svg.js";
import { dragged } from "./pointer.js";
import { remembered } from "../told.js";

const MEMORY = "oatmeal-brush";
const USUAL = { radius: 0.04, hardness: 0, flow: 20, max: 100, hold: 0 };
const STEPS = { hardness: 10, flow: 5, max: 10, hold: 10 };
/** Under so many percent a stroke is hardly seen. */
const THIN = 10;
const SIZED = 1.2;
const WHEELED = 1.1;
const FINEST = 0.00015;
const MOST_PLACES = 1900;
const LEAST = 0.004;
const AROUND_TONE = 12;
const TOOLS = [
  { id: "strokes", words: "Brush", hint: "Paint on the picture, a coat a stroke; Alt or “erase” takes paint away. Wheel: size, with Ctrl zoom; Space moves the picture." },
  { id: "fade", words: "Fade", hint: "Drag from where it is full to where nothing is left." },
  { id: "ellipse", words: "Ellipse", hint: "Drag from the middle outward; with Shift a circle." },
  { id: "outline", words: "Outline", hint: "Draw round what is meant; the line closes by itself." },
  { id: "alike", words: "Alike", hint: "Stroke over what you mean, then over what you do not mean (Alt). Reach says how far from the strokes." },
  { id: "tones", words: "Tones", hint: "Click a tone in the picture; its range is set below." },
  { id: "colours", words: "Colours", hint: "Click a colour in the picture; its range is set below." },
];

/**
 * The tools of masks.
 * @param {Pick<import("./bench.js").Bench, "areas" | "crop" | "frame" | "parts" | "photograph" | "refs" | "sight" | "spots" | "vocabulary" | "work">} bench
 */
export function masking(bench) {
  const { brush: limits, new_parts: fresh } = bench.vocabulary;
  const where = placing(bench);
  const { pathOf, pointsOf, screens, scaleAt, anywhere, under } = where;
  /** @type {{areas: any, chosen: string, part: number}|null} */
  let begun = null;
  const round = (value) => Math.round(value * 1e5) / 1e5;
  const inReach = (/** @type {number} */ value) => round(clamp(value, -1, 2));
  return {
    tools: TOOLS,
    tool: "strokes",
    how: "add",
    erase: false,
    notMeant: false,
    brush: { ...USUAL, ...keptBrush(limits) },

    hint() {
      if (this.tool === "strokes" && this.brush.flow < THIN) return `A thin coat: ${this.brush.flow} % a stroke. Again over the same place, or raise flow.`;
      const hint = TOOLS.find(({ id }) => id === this.tool)?.hint ?? "";
      if (!bench.sight.touch) return hint;
      return this.tool === "strokes" ? "Rest a finger on the picture, then paint; “erase” takes paint away. Two fingers zoom." : hint.replace("Click", "Touch").replace(/^(Drag|Draw|Stroke)/, (word) => `Rest a finger, then ${word.toLowerCase()}`);
    },
    chooseTool(tool) {
      this.tool = tool;
      bench.spots.mode = "";
      bench.areas.draw();
    },
    /** True for the tools that stroke over the picture. */
    brushes() {
      return this.tool === "strokes" || this.tool === "alike";
    },
    /** True for the tools that draw a shape, which may begin and end beside the picture. */
    shapes() {
      return ["fade", "ellipse", "outline"].includes(this.tool);
    },
    /** The tool of a part that was chosen. */
    toolOf(kind) {
      if (TOOLS.some(({ id }) => id === kind)) this.tool = kind;
    },

    // the brush
    size() {
      return String(Math.round(2 * this.brush.radius * where.longest));
    },
    typeSize(event) {
      const number = Number(event.target.value.replace(",", "."));
      if (!Number.isFinite(number) || event.target.value.trim() === "") say("Type a number.");
      else this.setBrush("radius", number / where.longest / 2);
      event.target.value = this.size();
    },
    sizeBy(way) {
      this.setBrush("radius", this.brush.radius * (way > 0 ? SIZED : 1 / SIZED));
    },
    /** The wheel sizes the brush, with Ctrl it zooms. @param {WheelEvent} event */
    wheel(event) {
      if (event.ctrlKey || this.tool !== "strokes" || !bench.areas.works()) return false;
      this.setBrush("radius", this.brush.radius * (event.deltaY < 0 ? WHEELED : 1 / WHEELED));
      return true;
    },
    typeBrush(event, key) {
      const number = Number(event.target.value.replace(",", "."));
      if (!Number.isFinite(number) || event.target.value.trim() === "") say("Type a number.");
      else this.setBrush(key, number);
      event.target.value = String(this.brush[key]);
    },
    brushKey(event, key) {
      const way = { ArrowUp: 1, ArrowDown: -1 }[event.key];
      if (!way) return;
      event.preventDefault();
      if (key === "radius") this.sizeBy(way);
      else this.brushBy(key, way);
    },
    brushBy(key, way) {
      this.setBrush(key, this.brush[key] + way * (key === "flow" && this.brush.flow + way <= STEPS.flow ? 1 : STEPS[key]));
    },
    setBrush(key, value) {
      const [low, high] = limits[key];
      const kept = clamp(value, low, high);
      this.brush[key] = key === "radius" ? round(kept) : Math.round(kept);
      localStorage.setItem(MEMORY, JSON.stringify(this.brush));
      bench.parts.overlay.hover();
    },
    /** Radius of the brush on the screen; 0 where no brush is held. */
    shownRadius() {
      if (!bench.areas.works() || !this.brushes()) return 0;
      const middle = bench.parts.picture.pointer;
      return this.tool === "alike" ? 4 : this.brush.radius * scaleAt(middle ? where.placeAt(middle) : [0.5, 0.3]);
    },

    // gestures
    /** A press on the picture. @param {PointerEvent} event @param {{x: number, y: number}} at in shares of the framed picture */
    press(event, at) {
      bench.parts.picture.surround.focus({ preventScroll: true });
      if (this.tool === "tones" || this.tool === "colours") this.pick(at);
      else if (this.tool === "strokes") this.paint(event);
      else if (this.tool === "alike") this.stroke(event);
      else this.shape(event);
      return true;
    },
    begin() {
      begun = { areas: copy(bench.work.recipe.areas), chosen: bench.areas.chosen, part: bench.areas.part };
    },
    back() {
      if (!begun) return;
      bench.work.recipe.areas = begun.areas;
      bench.areas.chosen = begun.chosen;
      bench.areas.part = begun.part;
    },
    /** The gesture is over. @param {Event} ended @param {boolean} [worth] false: nothing came of it */
    done(ended, worth = true) {
      if (this.brushes() && ended.type !== "pointercancel") bench.parts.overlay.fade();
      else bench.parts.overlay.sketch(null);
      if (ended.type === "pointercancel" || !worth) this.back();
      bench.work.settle();
      bench.areas.draw();
    },
    /** The chosen area, or a new one. */
    target(kind) {
      return bench.areas.one() || bench.areas.make(kind);
    },
    /** The part of this kind that is drawn into: the chosen one, or a new one at the end. */
    partOf(area, kind, made = {}) {
      const { areas } = bench;
      const chosen = area.mask[areas.part];
      if (chosen?.kind === kind) return chosen;
      area.mask.push({ ...copy(fresh[kind]), how: area.mask.length ? this.how : "add", ...made });
      areas.part = area.mask.length - 1;
      return area.mask[areas.part];
    },
    /** Follow a gesture in places of the photograph. @param {PointerEvent} event @param {(points: number[][], event: PointerEvent, moved: boolean) => void} drawn @param {(ended: any, moved: boolean) => void} end */
    follow(event, drawn, end) {
      const { surround } = bench.parts.picture;
      const move = this.moveOf(bench.areas.one());
      const here = (/** @type {any} */ next) => anywhere(next).map((value, axis) => value - move[axis]);
      const points = [here(event)];
      let moved = false;
      drawn(points, event, false);
      follow(surround, event, (next) => {
        moved ||= dragged(event, next);
        if (!moved) return;
        for (const one of next.getCoalescedEvents?.() ?? []) points.push(here(one));
        points.push(here(next));
        drawn(points, next, true);
        bench.work.changing();
      }, (ended) => end(ended, moved));
    },
    paint(event) {
      this.begin();
      const area = this.target("strokes");
      if (!area) return;
      const part = this.partOf(area, "strokes");
      const number = part.strokes.length;
      const { radius } = this.brush;
      const stroke = { path: "", ...copy(this.brush), erase: this.erase !== event.altKey, pressure: "" };
      part.strokes.push(stroke);
      const pen = event.pointerType === "pen";
      const pressed = [];
      let all = [];
      const write = (points, places) => {
        // the recipe may have been replaced by what was saved meanwhile
        const own = bench.areas.mask()[bench.areas.part].strokes[number] ?? stroke;
        own.path = pathOf(places.map((place) => points[place]));
        own.pressure = pen ? places.map((place) => pressed[place]).join(" ") : "";
      };
      this.follow(event, (points, next, moved) => {
        while (pressed.length < points.length) pressed.push(Math.round(clamp(next.pressure, 0, 1) * 100));
        all = points;
        bench.parts.overlay.sketch(this.seen(points), this.shownRadius(), stroke.erase === area.values.exposure < 0);
        if (moved || points.length === 1) write(points, this.fewer(points, radius));
        if (!moved) bench.work.changing();
      }, (ended) => {
        write(all, this.fewer(all, radius));
        this.done(ended);
      });
    },
    /** Which places of a stroke are needed. */
    fewer(points, radius) {
      let within = Math.max(FINEST, radius * 0.02);
      let places = needed(points, within);
      while (places.length > MOST_PLACES) places = needed(points, within *= 2);
      return places;
    },
    stroke(event) {
      this.begin();
      const area = this.target("alike");
      if (!area) return;
      const part = this.partOf(area, "alike");
      const key = this.notMeant !== event.altKey ? "not" : "this";
      const number = part[key].length;
      part[key].push("");
      let all = [];
      const write = () => { part[key][number] = pathOf(thinned(all, 0.004).slice(0, MOST_PLACES)); };
      this.follow(event, (points, next, moved) => {
        all = points;
        write();
        bench.parts.overlay.sketch(this.seen(points), 2, true);
        if (!moved) bench.work.changing();
      }, (ended) => {
        write();
        this.done(ended);
      });
    },
    shape(event) {
      this.begin();
      const { tool } = this;
      const area = this.target(tool);
      if (!area) return;
      const chosen = bench.areas.part;
      if (area.mask[chosen]?.kind === tool && this.how === "add" && area.mask.length === 1) area.mask.splice(chosen, 1); // drawn anew
      bench.areas.part = -1;
      const part = this.partOf(area, tool, { fade: { from: [0, 0], to: [0, 0] }, ellipse: { centre: [0, 0], radii: [LEAST, LEAST] } }[tool]);
      let far = 0;
      this.follow(event, (points, next, moved) => {
        const [first, last] = [points[0], points[points.length - 1]];
        const by = last.map((value, axis) => value - first[axis]);
        far = Math.max(far, Math.hypot(...by));
        if (tool === "fade") Object.assign(part, { from: first.map(inReach), to: last.map(inReach) });
        else if (tool === "ellipse") {
          const reach = Math.hypot(...by);
          const radii = next.shiftKey ? [reach, reach] : by.map(Math.abs);
          Object.assign(part, { centre: first.map(inReach), radii: radii.map((value) => round(clamp(value, LEAST, 2))) });
        } else {
          part.path = pathOf(this.fewer(points, 0.01).map((place) => points[place]));
          bench.parts.overlay.sketch(this.seen(points), 1, true);
        }
        if (moved) bench.areas.draw();
      }, (ended) => this.done(ended, far > LEAST));
    },
    /** A tone or a colour under the pointer. */
    async pick(at) {
      const kind = this.tool;
      this.begin();
      bench.frame.waiting = true;
      try {
        const { frame, lens } = bench.work.recipe.prepare;
        const recipe = copy({ ...bench.work.rest, prepare: { ...bench.work.rest.prepare, frame, lens } });
        const found = await ask("POST", `/api/photographs/${bench.photograph.id}/spot`, { recipe, ...at });
        const area = this.target(kind);
        if (!area) {
          bench.frame.waiting = false;
          return;
        }
        const star = Math.round(found.lightness);
        const part = this.partOf(area, kind);
        if (kind === "tones") Object.assign(part, { low: clamp(star - AROUND_TONE, 0, 100), high: clamp(star + AROUND_TONE, 0, 100) });
        else if (part.colour) part.colour = found.colour;
        else part.hue = Math.round(found.hue) % 360;
        bench.work.settle();
        bench.areas.look();
      } catch (problem) {
        bench.frame.waiting = false;
        say(problem.message);
      }
    },
    /** By key: a dab under the pointer, or in the middle. */
    dab() {
      const { picture } = bench.parts;
      if (!picture.pointer && (this.brushes() || this.shapes())) {
        bench.spots.aimStroke();
        return;
      }
      const at = picture.pointer || picture.middle();
      if (this.tool === "tones" || this.tool === "colours") {
        this.pick(picture.shares(at));
        return;
      }
      this.drawWay([at]);
    },
    /** A stroke by keys while it is drawn. @param {{x: number, y: number}[]} way in pixels of the framed picture */
    sketchWay(way) {
      const points = way.map((point) => Object.values(bench.parts.picture.placeOf(point)));
      bench.parts.overlay.sketch(points, this.brushes() ? this.shownRadius() : 1, !this.erase);
    },
    /** What was drawn by keys: a stroke along the way, or a shape from its first place to its last; of one place a usual one. @param {{x: number, y: number}[]} way */
    drawWay(way) {
      this.begin();
      const { tool } = this;
      const area = this.target(tool);
      if (!area) return;
      const move = this.moveOf(area);
      const points = way.map((point) => where.placeAt(point).map((value, axis) => value - move[axis]));
      const path = () => pathOf(this.fewer(points, this.brush.radius).map((place) => points[place]));
      if (tool === "strokes") this.partOf(area, tool).strokes.push({ path: path(), ...copy(this.brush), erase: this.erase, pressure: "" });
      else if (tool === "alike") this.partOf(area, tool)[this.notMeant ? "not" : "this"].push(path());
      else {
        const [first, last] = [points[0], points[points.length - 1]];
        const by = last.map((value, axis) => value - first[axis]);
        const drawn = Math.hypot(...by) > LEAST;
        const [x, y] = first;
        bench.areas.part = -1;
        this.partOf(area, tool, {
          fade: { from: first.map(inReach), to: (drawn ? last : [x, y + 0.2]).map(inReach) },
          ellipse: { centre: first.map(inReach), radii: drawn ? by.map((value) => round(clamp(Math.abs(value), LEAST, 2))) : [0.12, 0.08] },
          outline: { path: points.length > 2 ? path() : pathOf([[x - 0.1, y - 0.07], [x + 0.1, y - 0.07], [x + 0.1, y + 0.07], [x - 0.1, y + 0.07]]) },
        }[tool]);
      }
      bench.work.settle();
      bench.areas.look();
    },
    toggleColourKind() {
      const part = bench.areas.thePart();
      if (part.colour) delete part.colour;
      else part.colour = "#808080";
      bench.work.settle();
    },
    toggleJoined() {
      const part = bench.areas.thePart();
      part.joined = !part.joined;
      bench.work.settle();
    },
    /** Take the last stroke of the chosen part away. */
    lastStroke() {
      const part = bench.areas.thePart();
      const strokes = part.kind === "strokes" ? part.strokes : part.not?.length ? part.not : part.this;
      strokes?.pop();
      bench.work.settle();
    },

    // handles
    /** By how much an area is moved, with its group. */
    moveOf(one) {
      const group = bench.areas.groups().find(({ id }) => id === one?.group);
      return [0, 1].map((axis) => (one?.move[axis] ?? 0) + (group?.move[axis] ?? 0));
    },
    /** Where places of the chosen area are seen. @param {number[][]} points */
    seen(points) {
      const [right, down] = this.moveOf(bench.areas.one());
      return screens(points.map(([x, y]) => [x + right, y + down]));
    },
    /** Where an area was begun; null for what was never drawn. @param {any} one */
    begunAt(one) {
      const part = one?.mask.find(({ on }) => on);
      const first = (/** @type {string} */ path) => (path ? pointsOf(path)[0] : null);
      const at = { strokes: () => first(part.strokes[0]?.path), alike: () => first(part.this.find(Boolean)), outline: () => first(part.path), fade: () => part.from, ellipse: () => part.centre }[part?.kind]?.();
      if (!at) return null;
      const move = this.moveOf(one);
      return screens([at.map((/** @type {number} */ value, /** @type {number} */ axis) => value + move[axis])])[0];
    },
    /** Lines and places of the chosen part that are drawn on the picture. */
    drawn() {
      const part = bench.areas.works() && !bench.areas.alone && bench.areas.one() ? bench.areas.thePart() : {};
      const lines = [];
      const handles = [];
      const handle = (id, point, words) => handles.push({ id, at: this.seen([point])[0], words });
      if (part.kind === "fade") {
        lines.push({ points: this.seen([part.from, part.to]), dashed: true });
        handle("from", part.from, "where the fade is full");
        handle("to", part.to, "where the fade ends");
      } else if (part.kind === "ellipse") {
        const { centre: [x, y], radii: [a, b], angle } = part;
        const [cos, sin] = [Math.cos((angle * Math.PI) / 180), Math.sin((angle * Math.PI) / 180)];
        handle("centre", [x, y], "middle of the ellipse; plus and minus size it");
        handle("across", [x + a * cos, y + a * sin], "width of the ellipse");
        handle("down", [x - b * sin, y + b * cos], "height of the ellipse");
        handle("turn", [x + (a + 0.03) * cos, y + (a + 0.03) * sin], "turn of the ellipse");
      } else if (part.kind === "alike") {
        for (const [key, dashed] of /** @type {[string, boolean][]} */ ([["this", false], ["not", true]])) {
          for (const path of part[key]) if (path) lines.push({ points: this.seen(pointsOf(path)), dashed, wide: true });
        }
      } else if (part.kind === "outline") {
        const points = pointsOf(part.path);
        lines.push({ points: this.seen([...points, points[0]]), dashed: true });
      }
      return { lines, handles };
    },
    /** Move a handle of the chosen part by CSS pixels from where it was when the gesture began. @param {string} id @param {number[]} by @param {number[]} from */
    moveHandle(id, by, from) {
      const part = bench.areas.thePart();
      const move = this.moveOf(bench.areas.one());
      const to = under({ x: from[0] + by[0], y: from[1] + by[1] }).map((value, axis) => value - move[axis]);
      if (id === "from" || id === "to") part[id] = to.map(inReach);
      else if (id === "centre") part.centre = to.map(inReach);
      else {
        const away = to.map((value, axis) => value - part.centre[axis]);
        const reach = clamp(Math.hypot(...away), LEAST, 2);
        if (id === "turn") part.angle = Math.round((Math.atan2(away[1], away[0]) * 1800) / Math.PI) / 10;
        else part.radii[id === "across" ? 0 : 1] = round(reach);
      }
      bench.work.changing();
      bench.areas.draw();
    },
    /** Larger or smaller by a factor. */
    sizeHandle(factor) {
      const part = bench.areas.thePart();
      if (part.kind !== "ellipse") return;
      part.radii = part.radii.map((value) => round(clamp(value * factor, LEAST, 2)));
      bench.work.changing();
      bench.areas.draw();
    },
    /** Move the whole area by CSS pixels. @param {number[]} by @param {number[]} from @param {number[]} begunMove */
    moveArea(by, from, begunMove) {
      const start = under({ x: from[0], y: from[1] });
      const to = under({ x: from[0] + by[0], y: from[1] + by[1] });
      const moved = (/** @type {number} */ axis) => round(clamp(begunMove[axis] + to[axis] - start[axis], -1, 1));
      bench.areas.one().move = [moved(0), moved(1)];
      bench.work.changing();
      bench.areas.draw();
    },
  };
}

/** The brush that was used last. */
function keptBrush(limits) {
  try {
    const found = remembered(MEMORY) ?? {};
    return Object.fromEntries(Object.entries(limits).flatMap(([key, [low, high]]) => (Number.isFinite(found[key]) ? [[key, clamp(found[key], low, high)]] : [])));
  } catch {
    return {};
  }
}
