// The bench: holds the recipe, asks for frames, saves.
import Alpine from "../common.js";
import { ask, say, send } from "../api.js";
import { exporting } from "./export.js";
import { Frames } from "./frames.js";
import { GreyMap } from "./greymap.js";
import { clamp, copy, percent } from "./paths.js";
import { Picture } from "./picture.js";
import { Saver } from "./saver.js";
import { Scale } from "./scale.js";
import { grey } from "./svg.js";
import { band } from "./toneband.js";
import { values } from "./values.js";

const start = JSON.parse(document.getElementById("start").textContent);
const { photograph, version, vocabulary } = start;
const SOON_MS = 500;
const STILL_MS = 160;
const PAN_STEP = 80;
const HELD = { c: "colour", p: "plain" };

// The instruments hold large arrays and drawings; they stay outside the reactive state.
let frames, picture, map, scale, saver;

Alpine.data("bench", () => ({
  ...values(),
  ...exporting(photograph, version.id),
  vocabulary,
  recipe: copy(version.recipe),
  rest: vocabulary.rest,
  bases: copy(vocabulary.bases),
  step: sessionStorage.getItem("step") || "mix",
  saver: { words: "", trouble: false, conflict: false, undo: null, redo: null },
  versionName: version.name,
  draftName: "",
  naming: false,
  ready: false,
  failure: "",
  helping: false,
  zoom: "fit",
  showing: "grey",
  marks: false,
  provisional: "",
  waiting: true,
  clipping: null,
  shares: {},
  merging: null,
  mergingCount: 0,
  reading: null,
  pointPicked: false,

  init() {
    saver = new Saver(version, this.saver, (recipe) => this.replace(recipe));
    frames = new Frames(photograph.id, (frame) => this.arrived(frame), (problem) => this.failed(problem));
    const { surround, coarse, picture: fine } = this.$refs;
    picture = new Picture(surround, coarse, fine, photograph, {
      moved: () => this.moved(),
      read: (codes) => this.meter(codes),
    });
    map = new GreyMap(this.$refs.map, vocabulary.ranges, vocabulary.codes, {
      lift: (name) => this.recipe.mix.lifts[name],
      grasp: (name) => frames.ask(this.wish(true, name)),
      move: (name, stops) => this.lift(name, Math.round(stops * 100) / 100),
      spin: (name, by) => this.spinLift(name, by),
      settle: () => this.settle(),
    });
    scale = new Scale(this.$refs.scale, {
      tone: () => this.recipe.tone,
      curve: (points) => { this.recipe.tone.curve = points; this.changing(); },
      levels: (levels) => { this.recipe.tone.levels = levels; this.changing(); },
      pick: (index) => { this.pointPicked = index !== null; },
      settle: (when) => this.settle(when),
    });
    this.recover();
    window.addEventListener("pagehide", () => this.settleNow());
    window.addEventListener("focus", () => saver.check());
    document.addEventListener("visibilitychange", () => document.hidden || saver.check());
    send("POST", `/api/photographs/${photograph.id}/ready`, {}).catch(() => {});
    surround.focus({ preventScroll: true });
  },

  /** Bring back what an earlier page could not save. */
  recover() {
    const left = saver.unsaved();
    if (!left) return;
    this.recipe = left.recipe;
    if (left.revision !== saver.revision) {
      saver.newer = copy(version);
      saver.queue = [left.recipe];
      this.saver.conflict = true;
    } else saver.save(left.recipe);
  },

  // frames
  wish(moving, trace) {
    const region = picture.region;
    const layers = ["grey"];
    if (!moving) layers.push(...["plain", "colour"].filter((name) => !picture.has(name)));
    const half = moving && !region;
    const side = half ? Math.round(picture.side / 2) : picture.side;
    return { recipe: copy(this.recipe), side, layers, region, trace, half, moving };
  },
  changing() {
    clearTimeout(this.stillTimer);
    this.waiting = true;
    frames.ask(this.wish(true));
    scale.draw();
  },
  moved() {
    if (!picture) return;
    this.waiting = true;
    frames.ask(this.wish(this.ready));
    clearTimeout(this.stillTimer);
    this.stillTimer = setTimeout(() => frames.ask(this.wish(false)), STILL_MS);
  },
  arrived(frame) {
    this.ready = true;
    this.failure = "";
    if (!frame.wish.moving && !frames.waiting) this.waiting = false;
    const { figures } = frame;
    this.clipping = figures.clipping;
    picture.marks = this.marks ? figures.clipping : null;
    picture.show(frame);
    map.show(figures.grey_map);
    if (frame.wish.trace) map.traced(figures.trace);
    scale.show(figures);
    band(this.$refs.bandPlain, figures.plain_zones, vocabulary.codes, false);
    band(this.$refs.bandNow, figures.zones, vocabulary.codes, true);
    this.shares = Object.fromEntries(figures.grey_map.ranges.map((range) => [range.name, range.share]));
    this.mergingCount = figures.grey_map.merging.length;
    this.merging = figures.grey_map.merging[0] || null;
    if (this.merging) {
      this.$refs.mergeOne.style.background = this.merging.colours[0];
      this.$refs.mergeTwo.style.background = this.merging.colours[1];
    }
    this.provisional = this.stillComing(frame);
    this.meter(picture.pointer ? picture.values(picture.pointer) : null);
  },
  stillComing(frame) {
    if (picture.zoom !== "fit" && String(frame.region) !== String(picture.region)) return "coarse: the file’s pixels are coming";
    return frame.wish.half ? "half size while moving" : "";
  },
  failed(problem) {
    this.waiting = false;
    if (problem.status === 422) this.failure = problem.message;
    else this.failure = `${problem.message} The picture is not the newest.`;
  },
  tryAgain() {
    this.failure = "";
    frames.ask(this.wish(false));
  },
  openingWords() {
    return this.failure ? "" : "Opening the photograph …";
  },

  // changes
  settle(when) {
    clearTimeout(this.soonTimer);
    this.waiting = true;
    if (when === "soon") {
      this.soonTimer = setTimeout(() => this.settleNow(), SOON_MS);
      return;
    }
    this.settleNow();
  },
  settleNow() {
    clearTimeout(this.soonTimer);
    this.waiting = true;
    saver.save(this.recipe);
    scale.draw();
    frames.ask(this.wish(false));
    return saver.flush();
  },
  replace(recipe) {
    this.recipe = recipe;
    this.waiting = true;
    scale.draw();
    frames.ask(this.wish(false));
  },
  async undo() {
    await this.settleNow();
    await saver.step("undo");
  },
  async redo() {
    await this.settleNow();
    await saver.step("redo");
  },
  undoTitle() {
    return this.saver.undo ? `Undo: ${this.saver.undo} (Ctrl Z)` : "Nothing to undo";
  },
  redoTitle() {
    return this.saver.redo ? `Redo: ${this.saver.redo} (Ctrl Shift Z)` : "Nothing to redo";
  },
  showNewer() {
    saver.showNewer();
  },
  takeOver() {
    saver.takeOver();
  },
  complain(sentence) {
    say(sentence);
  },

  // mix
  lift(name, stops) {
    this.recipe.mix.lifts[name] = clamp(stops, -4, 4);
    this.changing();
  },
  spinLift(name, by) {
    const now = this.recipe.mix.lifts[name];
    this.lift(name, by === null ? 0 : Math.round((now + by) * 100) / 100);
    this.settle("soon");
  },
  isPale(name) {
    return (this.shares[name] ?? 0) < 0.01;
  },
  shareOf(name) {
    const share = this.shares[name];
    return share === undefined ? "" : `${share < 0.005 && share > 0 ? "<1" : Math.round(share * 100)} %`;
  },
  mergingWords() {
    return this.merging ? `${this.merging.apart.toFixed(1)} L* apart` : "";
  },
  mergingChip() {
    return `Merging: ${this.mergingCount} ${this.mergingCount === 1 ? "pair" : "pairs"}`;
  },

  // tone
  pointWords() {
    const point = this.pointPicked && scale.picked !== null && this.recipe.tone.curve[scale.picked];
    return point ? `${Math.round(point[0] * 255)} → ${Math.round(point[1] * 255)}` : "";
  },
  removePoint() {
    scale.remove();
  },
  scaleHint() {
    return "click the curve to add a point";
  },

  // picture
  open(step) {
    this.step = step;
    sessionStorage.setItem("step", step);
  },
  zoomToggle() {
    const near = picture.pointer;
    picture.setZoom(picture.zoom === "fit" ? "full" : "fit", near ? { ...near } : undefined);
    this.zoom = picture.zoom;
  },
  zoomWords() {
    return this.zoom === "fit" ? "Fit" : "100 %";
  },
  clippingToggle() {
    this.marks = !this.marks;
    picture.marks = this.marks ? this.clipping : null;
    picture.paint();
  },
  clippingWords() {
    if (!this.clipping) return "Clipping";
    return `Clipping: black ${percent(this.clipping.low)} · white ${percent(this.clipping.high)}`;
  },
  show(layer) {
    this.showing = layer;
    picture.layer = layer;
    picture.paint();
  },
  showingWords() {
    return { colour: "colour original", plain: "plain conversion", grey: "" }[this.showing];
  },
  release() {
    if (this.showing !== "grey") this.show("grey");
  },

  // meter
  meter(codes) {
    const { meterColour, meterPlain, meterNow } = this.$refs;
    this.reading = codes;
    const known = (code) => (typeof code === "number" ? grey(code) : "transparent");
    meterColour.style.background = codes?.colour ? `rgb(${codes.colour.join(" ")})` : "transparent";
    meterPlain.style.background = known(codes?.plain);
    meterNow.style.background = known(codes?.grey);
  },
  readingOf(layer, what) {
    const code = this.reading?.[layer];
    if (typeof code !== "number") return "";
    const value = vocabulary.codes[code][what];
    return typeof value === "number" ? String(Math.round(value)) : value;
  },

  // the version's name
  nameVersion() {
    this.draftName = this.versionName;
    this.naming = true;
    this.$nextTick(() => this.$refs.versionName.select());
  },
  async nameVersionDone(keep) {
    if (!this.naming) return;
    this.naming = false;
    if (!keep || this.draftName === this.versionName) return;
    try {
      this.versionName = (await ask("PATCH", `/api/versions/${version.id}`, { name: this.draftName })).name;
    } catch (problem) {
      say(problem.message);
    }
  },

  // keys
  key(event) {
    if (event.key === "Escape" && (this.exporting || this.helping)) {
      if (this.exporting) this.closeExport();
      this.helping = false;
      return;
    }
    if (event.target.closest("input:not([type=range]):not([type=checkbox]), textarea, select")) return;
    const command = event.ctrlKey || event.metaKey;
    const letter = event.key.toLowerCase();
    if (command && (letter === "z" || letter === "y")) {
      event.preventDefault();
      if (letter === "y" || event.shiftKey) this.redo();
      else this.undo();
      return;
    }
    if (command || event.altKey || this.exporting || this.helping) return;
    if (this.single(letter, event)) event.preventDefault();
  },
  single(letter, event) {
    const acts = {
      e: () => this.clippingToggle(), f: () => this.zoomToggle(), m: () => this.open("mix"), t: () => this.open("tone"),
      ",": () => this.$refs.before?.click(), ".": () => this.$refs.after?.click(), "?": () => this.help(),
    };
    if (letter in HELD) {
      if (!event.repeat) this.show(HELD[letter]);
      return true;
    }
    if (letter in acts) {
      if (!event.repeat) acts[letter]();
      return true;
    }
    return event.target === this.$refs.surround && this.panBy(event);
  },
  panBy(event) {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (!by || picture.zoom === "fit") return false;
    const far = PAN_STEP * (event.shiftKey ? 4 : 1);
    picture.moveBy(by[0] * far, by[1] * far);
    return true;
  },
  keyUp(event) {
    if (HELD[event.key.toLowerCase()] === this.showing) this.show("grey");
  },
  help() {
    this.helping = true;
    this.$nextTick(() => this.$refs.helpClose.focus());
  },
}));

Alpine.start();
