// The bench: holds the recipe, asks for frames, saves.
import Alpine from "../common.js";
import { say, send } from "../api.js";
import { comparing } from "./comparing.js";
import { exporting } from "./export.js";
import { SpectrumStrip } from "./film.js";
import { Frames } from "./frames.js";
import { GreyMap } from "./greymap.js";
import { keying } from "./keys.js";
import { looking } from "./looking.js";
import { mixing } from "./mixing.js";
import { copy } from "./paths.js";
import { Picture } from "./picture.js";
import { Saver } from "./saver.js";
import { Scale } from "./scale.js";
import { spotting } from "./spotting.js";
import { starting } from "./starts.js";
import { testing } from "./teststrip.js";
import { band } from "./toneband.js";
import { toning } from "./toning.js";
import { treating } from "./treating.js";
import { values } from "./values.js";

const start = JSON.parse(document.getElementById("start").textContent);
const { photograph, version, vocabulary } = start;
const SOON_MS = 500;
const STILL_MS = 160;
const TRIAL_SIDE = 64;
const AHEAD_MS = 700;
const LOOK = "look";

// The instruments hold large arrays and drawings; they stay outside the reactive state.
let frames, picture, map, scale, saver, spectrum;
const parts = () => ({ frames, picture, map, scale });

Alpine.data("bench", () => ({
  ...values(),
  ...looking(parts),
  ...mixing(photograph),
  ...spotting(photograph, version, parts),
  ...testing(parts),
  ...starting(photograph, parts),
  ...toning(photograph, parts),
  ...exporting(photograph, version.id),
  ...treating(photograph, version, start.versions, parts),
  ...comparing(photograph, version, parts),
  ...keying(),
  vocabulary,
  recipe: copy(version.recipe),
  rest: vocabulary.rest,
  bases: copy(vocabulary.bases),
  step: sessionStorage.getItem("step") || "mix",
  saver: { words: "", trouble: false, conflict: false, undo: null, redo: null },
  ready: false,
  failure: "",
  provisional: "",
  waiting: true,
  touching: null,
  tracing: null,
  columnFocus: null,
  pointPicked: false,

  init() {
    saver = new Saver(version, this.saver, (recipe) => this.replace(recipe));
    frames = new Frames(photograph.id, (frame) => this.arrived(frame), (problem) => this.failed(problem));
    const { surround, pane, aside, over, thirds, divider, navigator } = this.$refs;
    picture = new Picture(surround, { pane, aside, over, thirds, divider, navigator }, photograph, {
      moved: () => this.moved(),
      zoomed: () => { this.zoom = picture.zoom; },
      read: (codes) => this.meter(codes),
      press: (event, at) => this.press(event, at),
    });
    map = new GreyMap(this.$refs.map, vocabulary, {
      mix: () => this.recipe.mix,
      lift: (name) => this.liftOf(name),
      grasp: (name) => { this.tracing = name; frames.ask(this.wish(true)); },
      move: (name, stops) => this.lift(name, stops),
      spin: (name, by) => this.spinLift(name, by),
      centre: (name, hue) => this.moveCentre(name, hue),
      focus: (name) => { this.columnFocus = name; },
      settle: (when) => this.settle(when),
    });
    scale = new Scale(this.$refs.scale, vocabulary.zone_codes, {
      tone: () => this.recipe.tone,
      curve: (points) => { this.recipe.tone.curve = points; this.changing(); },
      levels: (levels) => { this.recipe.tone.levels = levels; this.changing(); },
      contrast: (contrast) => { this.recipe.tone.contrast = contrast; this.changing(); },
      zones: (zones) => { this.recipe.tone.zones = zones; this.changing(); },
      pick: (index) => { this.pointPicked = index !== null; },
      settle: (when) => this.settle(when),
    });
    this.recover();
    this.lookAgain();
    window.addEventListener("pagehide", () => { this.rememberLook(); this.settleNow(); });
    window.addEventListener("focus", () => saver.check());
    document.addEventListener("visibilitychange", () => document.hidden || saver.check());
    send("POST", `/api/photographs/${photograph.id}/ready`, {}).catch(() => {});
    this.$nextTick(() => surround.focus({ preventScroll: true }));
  },

  /** The spectrum strip is drawn into the place that its base opens. */
  openSpectrum(holder) {
    spectrum = new SpectrumStrip(holder, vocabulary.spectrum, {
      edges: (which, edges) => this.filmEdges(which, edges),
      settle: (when) => this.settle(when),
    });
    if (this.film) spectrum.show(this.film);
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

  /** Keep zoom and comparison for the next frame and after a reload. */
  rememberLook() {
    const { centre } = picture.view;
    const share = { x: centre.x / photograph.width, y: centre.y / photograph.height };
    const { zoom, comparing: on, compareMode: mode, compareWith: other, historyOpen } = this;
    sessionStorage.setItem(LOOK, JSON.stringify({ photograph: photograph.id, version: version.id, zoom, share, on, mode, other, historyOpen }));
  },
  lookAgain() {
    const look = JSON.parse(sessionStorage.getItem(LOOK) || "null");
    if (!look) return;
    this.compareMode = look.mode;
    if (look.historyOpen) this.toggleHistory();
    if (look.zoom !== "fit") {
      picture.view.centre = { x: look.share.x * photograph.width, y: look.share.y * photograph.height };
      picture.setZoom(look.zoom);
    }
    const own = ["colour", "plain"].includes(look.other);
    const here = look.photograph === photograph.id && (look.other.startsWith("version:") || look.version === version.id);
    const other = (own || here) && look.other !== `version:${version.id}` ? look.other : "colour";
    if (look.on) this.beginCompare(other);
    else this.compareWith = other;
  },
  /** Have the server prepare the frames beside this one, once this one is done. */
  prepareBeside() {
    if (this.prepared) return;
    this.prepared = true;
    setTimeout(async () => {
      for (const file of start.beside) {
        const side = picture.view.fitSide(file);
        await send("POST", `/api/photographs/${file.id}/ready`, { side, closeup: picture.region !== null }).catch(() => {});
      }
    }, AHEAD_MS);
  },

  // frames
  wish(moving) {
    const region = picture.region;
    const layers = ["grey"];
    if (!moving) layers.push(...["plain", "colour"].filter((name) => !picture.has(name)));
    const touched = this.touching;
    if (touched !== null && (typeof touched === "number" || !picture.touched)) layers.push("touched");
    const half = moving && !region;
    const side = half ? Math.round(picture.side / 2) : picture.side;
    const trace = this.tracing ?? undefined; // asked for until it comes, since a newer wish replaces an older one
    const pins = copy(this.pins).map(({ x, y }) => [x, y]);
    return {
      recipe: copy(this.recipe), side, layers, region, trace, pins, strip: this.stripWish(),
      touched: copy(touched), half, moving,
    };
  },
  changing() {
    clearTimeout(this.stillTimer);
    this.faceNow();
    this.waiting = true;
    frames.ask(this.wish(true));
    scale.draw();
  },
  moved() {
    if (!picture) return;
    this.waiting = true;
    this.layPins();
    this.askCompared();
    if (this.withoutStep) this.without(true);
    frames.ask(this.wish(this.ready));
    clearTimeout(this.stillTimer);
    this.stillTimer = setTimeout(() => frames.ask(this.wish(false)), STILL_MS);
  },
  arrived(frame) {
    this.ready = true;
    this.failure = "";
    if (!frame.wish.moving && !frames.waiting) {
      this.waiting = false;
      this.prepareBeside();
    }
    const { figures } = frame;
    this.clipping = figures.clipping;
    this.autoGuard = figures.auto_guard;
    picture.marks = this.marksNow();
    if (this.touching === null) delete frame.layers.touched;
    picture.show(frame);
    map.show(figures.grey_map);
    if (frame.wish.trace !== undefined && frame.wish.trace === this.tracing) {
      this.tracing = null;
      map.traced(figures.trace);
    }
    scale.show(figures);
    this.film = figures.film || null;
    if (this.film) spectrum?.show(this.film);
    if (frame.wish.pins.length === this.pins.length) this.pinReadings = figures.pins;
    this.layPins();
    band(this.$refs.bandPlain, figures.plain_zones, vocabulary.codes, false);
    band(this.$refs.bandNow, figures.zones, vocabulary.codes, true);
    if (this.compareWith === "plain") this.comparedZones = figures.plain_zones;
    this.showBands();
    this.readMap(figures.grey_map);
    this.judge(figures.zones);
    this.provisional = this.stillComing(frame);
    this.meter(picture.pointer ? picture.values(picture.pointer) : null);
    if (this.waveOpen) this.drawWave();
    if (this.recipe.mix.base.kind === "plain") this.drawPlain();
  },
  readMap(figures) {
    this.shares = Object.fromEntries(figures.ranges.map((range) => [range.name, range.share]));
    this.pickedShares = figures.picked.map(({ share }) => share);
    this.mergingCount = figures.merging.length;
    this.merging = figures.merging[0] || null;
    if (!this.merging) return;
    this.$refs.mergeOne.style.background = this.merging.colours[0];
    this.$refs.mergeTwo.style.background = this.merging.colours[1];
  },
  stillComing(frame) {
    if (picture.region && String(frame.region) !== String(picture.region)) return "coarse: the file’s pixels are coming";
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
  /** Ask whether a recipe can be computed; rejects with the problem. */
  try(recipe) {
    return frames.fetch({ recipe, side: TRIAL_SIDE, layers: [] });
  },
  openingWords() {
    return this.failure ? "" : "Opening the photograph …";
  },

  // changes
  settle(when) {
    clearTimeout(this.soonTimer);
    this.faceNow();
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
    this.tellDifferences();
    return saver.flush().then(() => this.historyChanged());
  },
  replace(recipe) {
    this.faceNow();
    this.recipe = recipe;
    this.waiting = true;
    this.draft = "";
    this.formulaError = "";
    this.pickedOpen = null;
    scale.draw();
    frames.ask(this.wish(false));
    this.tellDifferences();
    this.historyChanged();
  },
  goToStep(id) {
    this.settleNow();
    return saver.go(id);
  },
  undo() {
    this.settleNow();
    return saver.step("undo");
  },
  redo() {
    this.settleNow();
    return saver.step("redo");
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

  // tone
  pointWords() {
    const point = this.pointPicked && scale.picked !== null && this.recipe.tone.curve[scale.picked];
    return point ? `${Math.round(point[0] * 255)} → ${Math.round(point[1] * 255)}` : "";
  },
  removePoint() {
    scale.remove();
  },

  open(step) {
    if (this.strip) this.leaveStrip();
    this.mode = "";
    this.step = step;
    sessionStorage.setItem("step", step);
  },

  // keys
  acts() {
    return {
      compare: () => this.toggleCompare(), beside: () => this.setCompareMode(this.compareMode === "split" ? "beside" : "split"),
      zoom: () => this.zoomToggle(), closer: () => this.zoomStep(1), farther: () => this.zoomStep(-1),
      alone: () => this.toggleAlone(), thirds: () => this.toggleThirds(), surround: () => this.nextSurround(),
      clipping: () => this.clippingToggle(), pin: () => this.pinHere(), mix: () => this.open("mix"), tone: () => this.open("tone"),
      strip: () => this.openStrip(this.focusedPath()), switch: () => this.toggle(`${this.step}.on`),
      history: () => this.toggleHistory(), version: () => this.nextVersion(1),
      before: () => this.$refs.before?.click(), after: () => this.$refs.after?.click(),
      export: () => this.openExport(), help: () => this.help(),
    };
  },
  /** Leave what is open; true if something was. */
  leave() {
    if (this.exporting) this.closeExport();
    else if (this.startsOpen) this.closeStarts();
    else if (this.helping) this.closeHelp();
    else if (this.versionMenu) this.versionMenu = false;
    else if (this.strip) this.leaveStrip();
    else if (this.mode) this.mode = "";
    else if (this.alone) this.toggleAlone();
    else if (this.comparing) this.leaveCompare();
    else if (this.historyOpen) this.toggleHistory();
    else return false;
    return true;
  },
  /** The setting that a test strip is most likely wanted for. */
  focusedPath() {
    if (this.columnFocus === null) return undefined;
    return typeof this.columnFocus === "string" ? `mix.lifts.${this.columnFocus}` : `mix.picked.${this.columnFocus}.lift`;
  },
}));

Alpine.start();
