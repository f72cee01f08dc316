// Finish: from a grey picture to a print: sharpness, grain, the colour of the print, its edges.
import { Frames } from "./frames.js";
import { finished } from "./greys.js";
import { contour } from "./falloff.js";
import { at, clamp, copy, same } from "./paths.js";
import { follow, set, svg } from "./svg.js";
import { ARROWS, dragged } from "./pointer.js";

const GROUP = "oatmeal-finish-group";
/** The parts of each group. @type {Object<string, string[]>} */
const PARTS = {
  sharpness: ["sharpness"], grain: ["grain"], colour: ["toning", "kept"], edges: ["falloff", "burned"],
  surface: ["glow", "dust", "scratches", "paper", "border"],
};
const ZONES = ["0", "I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX", "X"];
const PATCH = { width: 174, height: 110 };
const PATCH_SIDE = 1024;
const STEP = 0.02;

/** A grey of this lightness, as a style sheet says it. */
const greyOf = (/** @type {number} */ star) => {
  const light = star > 8 ? ((star + 16) / 116) ** 3 : (star * 27) / 24389;
  const code = Math.round(255 * (light > 0.0031308 ? 1.055 * light ** (1 / 2.4) - 0.055 : 12.92 * light));
  return `rgb(${code} ${code} ${code})`;
};

/**
 * The step Finish.
 * @param {Pick<import("./bench.js").Bench, "compare" | "frame" | "kept" | "light" | "parts" | "photograph" | "refs" | "sight" | "spots" | "strips" | "vocabulary" | "work">} bench
 */
export function finishing(bench) {
  const { id } = bench.photograph;
  /** @type {Frames|null} */
  let patches = null;
  /** What lies on the picture: the falloff's middle and its contours. @type {any} */
  let drawn = null;
  return {
    group: Object.keys(PARTS).find((one) => one === sessionStorage.getItem(GROUP)) || "colour",
    side: "top",
    /** The edge mask is shown while its setting is held. */
    masking: false,
    /** A hue is being chosen: its strength meanwhile, by name. @type {{name: string, strength: number}|null} */
    loud: null,
    /** The print's colours of the 256 greys, where it is toned. @type {number[][]|null} */
    palette: null,
    /** The print is no pure grey. */
    coloured: false,
    patchTrouble: "",

    isOpen(group) {
      return bench.work.step === "finish" && (!group || this.group === group);
    },
    all() {
      return bench.work.recipe.finish;
    },
    openGroup(group) {
      this.group = group;
      sessionStorage.setItem(GROUP, group);
      this.look();
    },
    groupOn(group) {
      return PARTS[group].every((part) => this.all()[part].on);
    },
    groupChanged(group) {
      return PARTS[group].some((part) => !same(this.all()[part], bench.work.rest.finish[part]));
    },
    /** Take a group out and put it back, to judge it alone. */
    switchGroup() {
      const on = !this.groupOn(this.group);
      for (const part of PARTS[this.group]) this.all()[part].on = on;
      bench.work.settle();
      this.draw();
    },
    /** Whether a setting is of the open group. @param {string} path */
    inGroup(path) {
      return PARTS[this.group].some((part) => `${path}.`.startsWith(`finish.${part}.`));
    },
    resetGroup() {
      for (const part of PARTS[this.group]) this.all()[part] = copy(bench.work.rest.finish[part]);
      bench.work.settle();
      this.draw();
    },
    /** What stands here is drawn anew. */
    draw() {
      const { parts } = bench;
      if (!parts.lights) return;
      this.mount();
      this.drawMiddle();
      if (!this.isOpen()) return;
      for (const one of [parts.lights, parts.darks, parts.falloff, parts.burned]) one.draw();
    },
    look() {
      this.draw();
      this.askPatch();
    },
    /** A part is moved by its drawing. @param {string} part @param {any} values */
    move(part, values) {
      Object.assign(this.all()[part], copy(values));
      bench.work.changing();
      this.draw();
    },
    /** The recipe that is asked for: a hue that is being chosen is shown at full strength. */
    wished(recipe) {
      if (this.loud) recipe.finish.toning[this.loud.name].strength = this.loud.strength;
      return recipe;
    },
    arrived(figures) {
      this.palette = figures.palette || null;
      this.coloured = figures.coloured;
    },

    // colour
    tint(name) {
      return this.all().toning[name];
    },
    moveTint(name, hue, strength, loud) {
      this.loud = loud ? { name, strength: loud } : null;
      this.move("toning", { [name]: { hue, strength } });
    },
    settleTint(when) {
      this.loud = null;
      bench.work.settle(when);
      this.draw();
    },
    /** How a zone is printed. @param {number} zone 0 to 10 */
    wedgeStyle(zone) {
      const code = bench.vocabulary.zone_codes[zone];
      const [red, green, blue] = this.palette?.[code] ?? [code, code, code];
      return { background: `rgb(${red} ${green} ${blue})` };
    },
    meetWords() {
      const meet = 50 - 0.35 * this.all().toning.balance;
      return ZONES[Math.round(meet / 10)];
    },
    /** @param {"toning"|"grain"|"sharpness"} part @param {string} name */
    begin(part, name) {
      Object.assign(this.all()[part], this.start(part, name));
      bench.work.settle();
      this.draw();
    },
    /** The values of a part to begin with. @param {string} part @param {string} name */
    start(part, name) {
      return { ...copy(bench.vocabulary.finish_starts[part][name]), on: true };
    },
    begun(part, name) {
      const start = bench.vocabulary.finish_starts[part][name];
      return Object.keys(start).every((key) => same(start[key], this.all()[part][key]));
    },

    // grain, sharpness
    /** Another pattern of the same. @param {string} part its path in the step */
    shuffle(part) {
      at(this.all(), part).seed = 1 + Math.floor(Math.random() * 9999);
      bench.work.settle();
    },
    showMask(on) {
      if (this.masking === on) return;
      this.masking = on;
      bench.sight.show(bench.light.layer());
      bench.frame.ask(false);
    },
    /** The track that makes the mask is held: the mask is shown. @param {string} path @param {boolean} on */
    trackHeld(path, on) {
      if (path === "finish.sharpness.edges" && this.all().sharpness.amount) this.showMask(on);
      if (/^finish\.kept\.colours\.\d+\.reach$/.test(path)) this.showReach(on);
    },
    /** What the chosen kept colour reaches is outlined. @param {boolean} on */
    showReach(on) {
      bench.frame.touching = on ? bench.kept.chosen : null;
      bench.frame.touchedAs = on ? "kept" : "";
      if (on) bench.frame.ask(false);
      else bench.parts.picture.outline(null);
    },
    maskWords() {
      return this.all().sharpness.amount ? "hold to see where it acts" : "sharpness is at rest";
    },
    /** The file's own pixels, drawn at twice their size. */
    askPatch() {
      const shown = this.isOpen("grain") || this.isOpen("sharpness");
      if (!shown || !bench.frame.ready || !bench.parts.picture) return;
      const { width, height } = bench.parts.picture.file;
      const [across, down] = [Math.min(PATCH.width, width), Math.min(PATCH.height, height)];
      const middle = bench.parts.picture.zoom === "fit" ? this.patchAt : bench.parts.picture.shares(bench.parts.picture.middle());
      const begin = (share, whole, part) => Math.round(clamp(share * whole - part / 2, 0, whole - part));
      const region = [begin(middle.x, width, across), begin(middle.y, height, down), across, down];
      patches ??= new Frames(id, (frame) => this.paintPatch(frame), (problem) => { this.patchTrouble = problem.message; });
      const recipe = copy(bench.work.recipe);
      patches.ask(() => ({ recipe, side: PATCH_SIDE, layers: ["grey"], region, measured: false }));
    },
    patchAt: { x: 0.5, y: 0.5 },
    paintPatch(frame) {
      this.patchTrouble = "";
      bench.parts.picture.draw(bench.refs.finishPatch, finished({ ...frame, figures: { palette: this.palette } }), false);
    },
    patchHere(place) {
      bench.spots.mode = "";
      this.patchAt = place;
      this.askPatch();
    },

    // border
    /** Line and mat of what is shown, on both sides of a comparison. */
    mount() {
      const { comparing, recipes } = bench.compare;
      const { left, right } = /** @type {{left: any, right: any}} */ (comparing ? recipes : { left: null, right: null });
      bench.parts.picture?.mount(this.widths((right ?? bench.work.recipe).finish), left ? this.widths(left.finish) : null);
    },
    /** What stands round the picture, in pixels of the file; null where nothing does. */
    widths({ border, on } = bench.work.recipe.finish) {
      const { width, height } = bench.parts.picture.file;
      const px = (/** @type {number} */ share) => Math.round((share / 1000) * Math.max(width, height));
      const [gap, line, mat] = [px(border.gap), border.line && Math.max(1, px(border.line)), px(border.mat)];
      if (!on || !border.on || gap + line + mat === 0) return null;
      const foot = px(border.mat * (1 + border.base / 100));
      return { gap, line, mat, foot, lineGrey: greyOf(border.line_grey), matGrey: greyOf(border.mat_grey) };
    },
    borderWords() {
      const widths = this.widths();
      if (!widths) return "Line and mat stand round the picture and enlarge the file.";
      const { width, height } = bench.parts.picture.file;
      const { gap, line, mat, foot } = widths;
      return `The whole file: ${width + 2 * (gap + line + mat)} × ${height + 2 * (gap + line) + mat + foot} px; the picture in it ${width} × ${height}.`;
    },

    // edges
    /** True where a press on the picture is about the falloff, and its middle is drawn there. */
    aims() {
      const { falloff, on } = this.all();
      return this.isOpen("edges") && on && falloff.on && falloff.amount !== 0 && !bench.compare.comparing && !bench.strips.strip;
    },
    /** A press on the picture: the middle of the falloff follows. */
    press(event) {
      const { picture } = bench.parts;
      const begun = [...this.all().falloff.centre];
      let moved = false;
      const to = (next) => {
        const { x, y } = picture.shares(picture.view.pointAt(picture.view.onSurround(next)));
        this.centre([x, y]);
      };
      picture.surround.focus({ preventScroll: true });
      follow(picture.surround, event, (next) => {
        moved ||= dragged(event, next);
        if (moved) to(next);
      }, (ended) => {
        if (ended.type === "pointercancel") this.centre(begun);
        else if (!moved) to(ended);
        bench.work.settle();
      });
    },
    /** @param {number[]} place */
    centre([x, y]) {
      const kept = (/** @type {number} */ value) => Math.round(clamp(value, 0, 1) * 1000) / 1000;
      this.move("falloff", { centre: [kept(x), kept(y)] });
    },
    /** The middle, and two contours, on the picture. */
    drawMiddle() {
      const holder = bench.refs.falloffOn;
      const { picture } = bench.parts;
      const { falloff } = this.all();
      const shown = this.aims();
      holder.hidden = !shown;
      if (!shown) return;
      drawn ??= this.newMiddle(holder);
      const seen = (point) => {
        const { x, y } = picture.placeOf(picture.point(point));
        return `${x.toFixed(1)} ${y.toFixed(1)}`;
      };
      const begins = clamp(falloff.midpoint / 100 - 0.05 - (0.45 * falloff.softness) / 100, 0.02, 1);
      [begins, falloff.midpoint / 100].forEach((far, number) => {
        const d = `M${contour(falloff, picture.file, Math.max(0.02, far)).map(seen).join("L")}Z`;
        for (const line of drawn.lines[number]) set(line, { d });
      });
      const { x, y } = picture.placeOf(picture.point({ x: falloff.centre[0], y: falloff.centre[1] }));
      set(drawn.point, { cx: x, cy: y });
    },
    newMiddle(holder) {
      const lines = ["", " dashed"].map((kind) => [svg("path", { class: "halo" }), svg("path", { class: `line${kind}` })]);
      const point = svg("circle", { class: "anchor ring", r: 7, tabindex: 0, role: "button", "aria-label": "middle of the falloff: drag or arrows" });
      point.addEventListener("pointerdown", (event) => {
        if (event.button !== 0) return;
        event.preventDefault();
        event.stopPropagation();
        this.press(event);
      });
      point.addEventListener("keydown", (event) => {
        const by = ARROWS[event.key];
        if (!by) return;
        event.preventDefault();
        event.stopPropagation();
        const [x, y] = this.all().falloff.centre;
        const step = event.shiftKey ? STEP / 4 : STEP;
        this.centre([x + by[0] * step, y + by[1] * step]);
        bench.work.settle("soon");
      });
      holder.append(svg("svg", { class: "areaboard", role: "group", "aria-label": "Falloff" }, ...lines.flat(), point));
      return { lines, point };
    },
  };
}
