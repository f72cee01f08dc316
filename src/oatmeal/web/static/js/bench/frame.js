// The frame: what is asked of the server, what arrives, what is still to come.
import { ask, say, send } from "../api.js";
import { copy } from "./paths.js";
import { band } from "./toneband.js";

const STILL_MS = 160;
const TRIAL_SIDE = 64;
const AHEAD_MS = 700;
const WHOLE_SIDE = 1024;
/** The server understood, and will not do it. */
const REFUSED = 422;
const LOOK = "look";
const ROOM = "room";

/** Whether this page was come to from another bench. */
const fromBench = () => document.referrer !== "" && new URL(document.referrer).pathname.startsWith("/bench/");

/**
 * The frame that is shown: asking for it, taking it in, telling what is still to come.
 * @param {Pick<import("./bench.js").Bench, "areas" | "base" | "beside" | "clean" | "compare" | "crop" | "films" | "finish" | "history" | "light" | "mix" | "parts" | "photograph" | "picked" | "pins" | "refs" | "sight" | "starting" | "strips" | "threads" | "tone" | "trying" | "wall" | "version" | "vocabulary" | "work">} bench
 */
export function framing(bench) {
  const { photograph, version, vocabulary } = bench;
  let prepared = false;
  /** The view that the newest complete frame was asked for. */
  let asked = "";
  /** The whole picture that was asked for beside a part of it. */
  let wholeAsked = "";
  /** @type {ReturnType<typeof setTimeout>|undefined} */
  let still;
  return {
    ready: false,
    failure: "",
    provisional: "",
    /** Seconds until steps are ready that the server is still making, by their titles. @type {Object<string, number>} */
    making: {},
    /** What this frame waits for, in words. */
    waitsFor: "",
    waiting: true,
    /** Parts of the photograph are transparent: what lies there nobody meant. */
    transparent: false,
    /** What the file's colour can be trusted with. @type {{words: string, coarse: number}} */
    trust: { words: "", coarse: 0 },
    /** Stops of lift that it carries, by ranges; empty until that is measured. @type {Object<string, number>} */
    holds: {},
    /** What is shown as touched: a place, or the number of a picked colour. @type {[number, number]|number|null} */
    touching: null,
    /** The layer that shows it, where it is not that of the step. */
    touchedAs: "",
    /** The column whose heights are wanted. @type {string|number|null} */
    tracing: null,

    /** Keep zoom and comparison for the next frame and after a reload. */
    rememberLook() {
      const { picture } = bench.parts;
      const share = picture.shares(picture.view.centre);
      const { comparing: on, compareMode: mode, compareWith: other } = bench.compare;
      const { historyOpen } = bench.history;
      const { markBlacks, markWhites } = bench.sight;
      sessionStorage.setItem(LOOK, JSON.stringify({ markBlacks, markWhites, photograph: photograph.id, version: version.id, zoom: bench.sight.zoom, share, on, mode, other, historyOpen }));
    },
    /** How large the surround of the last photograph was: most likely this one's, which is not laid out yet. */
    rememberRoom() {
      const { width, height } = bench.parts.picture.surround.getBoundingClientRect();
      sessionStorage.setItem(ROOM, JSON.stringify({ window: [innerWidth, innerHeight], width, height }));
    },
    expectRoom() {
      const { window: [width, height], ...room } = JSON.parse(sessionStorage.getItem(ROOM) || '{"window": []}');
      if (width === innerWidth && height === innerHeight) bench.parts.picture.view.expected = room;
    },
    lookAgain() {
      const look = JSON.parse(sessionStorage.getItem(LOOK) || "null");
      if (!look) return;
      bench.compare.compareMode = look.mode;
      if (look.historyOpen) bench.history.toggleHistory();
      bench.sight.markBlacks = look.markBlacks;
      bench.sight.markWhites = look.markWhites;
      // from the sheet a photograph opens whole; its neighbours and itself keep the place that is looked at
      if (look.photograph !== photograph.id && !fromBench()) return;
      const { picture } = bench.parts;
      if (look.zoom !== "fit") {
        picture.view.centre = picture.point(look.share);
        picture.setZoom(look.zoom);
      }
      const own = ["colour", "plain"].includes(look.other);
      const here = look.photograph === photograph.id && (look.other.startsWith("version:") || look.version === version.id);
      const other = (own || here) && look.other !== `version:${version.id}` ? look.other : "colour";
      if (look.on) bench.compare.beginCompare(other);
      else bench.compare.compareWith = other;
    },
    /** Have the server prepare what is looked at next, once this frame is done: its pixels, and the frames beside it. */
    prepareNext() {
      if (prepared) return;
      prepared = true;
      const { picture } = bench.parts;
      setTimeout(async () => {
        const told = await ask("POST", `/api/photographs/${photograph.id}/ready`, {}).catch((problem) => {
          if (problem.status === REFUSED) say(problem.message); // its original is lost; the copies still show it
        });
        this.holds = told?.holds ?? {};
        this.transparent = Boolean(told?.transparent);
        if (this.transparent) this.ask(false);
        for (const file of bench.beside) {
          const side = picture.view.fitSide(file);
          await send("POST", `/api/photographs/${file.id}/ready`, { side, closeup: picture.region !== null }).catch(() => {});
        }
      }, AHEAD_MS);
    },

    /**
     * Ask for the frame; what is wanted is put together when it can be sent. Before the surround has a size nobody
     * knows how large: it is asked for when that is laid out (a tab in the background tells nobody, so it is looked again).
     * @param {boolean} moving
     */
    ask(moving) {
      clearTimeout(still);
      this.waiting = true;
      if (!bench.parts.picture.view.known) {
        still = setTimeout(() => this.ask(moving), STILL_MS);
        return;
      }
      bench.parts.frames.ask(() => this.wish(moving));
    },
    /** The picture's name says what it shows. @param {string} title */
    pictureWords(title) {
      const words = bench.sight.showing === "grey" ? "in grey" : bench.sight.showingWords();
      return `${title}: ${words}, zoom ${bench.sight.percent} %`;
    },
    wish(moving) {
      const { picture } = bench.parts;
      const region = picture.region;
      asked = moving ? "" : picture.view.key;
      if (bench.crop.framing() === "open") return this.openWish(moving);
      const layers = ["grey"];
      const { prepare } = bench.work.recipe;
      if (!moving) layers.push(...["plain", "colour"].filter((name) => !picture.has(name, prepare)));
      if (bench.light.layer() === "prepared" && (moving || !picture.has("prepared", prepare))) layers.push("prepared");
      if (this.transparent && !moving && !picture.has("opacity", prepare)) layers.push("opacity");
      const touched = this.touching;
      const gone = typeof touched === "number" && !(this.touchedAs === "kept" ? bench.work.recipe.finish.kept.colours : bench.work.recipe.mix.picked)[touched];
      if (touched !== null && !gone && (typeof touched === "number" || !picture.touched)) layers.push(this.touchedAs || (bench.work.step === "tone" ? "zoned" : "touched"));
      const area = bench.light.layer() === "mask" ? bench.areas.chosen : undefined;
      if (area) layers.push("mask");
      if (bench.light.layer() === "edges") layers.push("edges");
      const half = moving && !region;
      const side = half ? Math.round(picture.side / 2) : picture.side;
      const trace = this.tracing ?? undefined; // asked for until it comes, since a newer wish replaces an older one
      const pins = copy(bench.pins.pins).map(({ x, y }) => [x, y]);
      return {
        recipe: bench.finish.wished(copy(bench.work.recipe)), side, layers, region, trace, pins, strip: bench.strips.stripWish(), measured: true,
        framing: "framed", touched: copy(touched), half, moving, area, contours: copy(bench.areas.wanted(moving)),
      };
    },
    /** The whole picture that a frame is laid on; its figures are of what is framed. @param {boolean} moving */
    openWish(moving) {
      const { picture } = bench.parts;
      const layer = bench.light.layer();
      const at = picture.hasOpen(layer, bench.work.recipe.prepare);
      const side = picture.view.fitSide(bench.photograph.file);
      return {
        recipe: copy(bench.work.recipe), layers: at && !moving ? [] : [layer, ...(this.transparent ? ["opacity"] : [])], framing: "open", measured: !moving,
        side: moving ? Math.round(side / 2) : side, pins: copy(bench.pins.pins).map(({ x, y }) => [x, y]), half: moving, moving,
      };
    },
    /** What is in view has changed. */
    moved() {
      if (!bench.parts.picture) return;
      bench.pins.layPins();
      bench.clean.draw();
      bench.areas.draw();
      bench.finish.draw();
      bench.compare.askCompared();
      if (bench.compare.withoutStep) bench.compare.without(true);
      if (asked === bench.parts.picture.view.key) return;
      this.ask(this.ready);
      clearTimeout(still);
      still = setTimeout(() => { if (asked !== bench.parts.picture.view.key) this.ask(false); }, STILL_MS);
    },
    arrived(frame) {
      const { frames, map, picture, scale } = bench.parts;
      this.ready = true;
      this.failure = this.waitsFor = "";
      if (!frame.wish.moving && !frames.waiting) {
        this.waiting = false;
        bench.wall.nowChanged();
        this.prepareNext();
        bench.clean.askPatches(false);
        bench.finish.askPatch();
        this.askWhole(frame);
      } else if (frame.wish.moving) bench.clean.askPatches(true);
      bench.trying.pictureArrived(Boolean(frame.wish.moving));
      const { figures } = frame;
      const open = frame.wish.framing === "open";
      if (open) picture.showOpen(frame);
      else picture.frameAs(frame.size);
      bench.crop.showBoard(open ? picture.open[bench.light.layer()] : null);
      bench.clean.draw();
      if (!frame.wish.measured) return;
      bench.sight.clipping = figures.clipping;
      this.trust = figures.trust;
      picture.marks = bench.sight.marksNow();
      if (this.touching === null) {
        delete frame.layers.touched;
        delete frame.layers.zoned;
        delete frame.layers.kept;
      }
      if (frame.layers.touched && typeof this.touching === "number") bench.picked.reachArrived();
      if (!open) picture.show(frame);
      bench.sight.count(open ? picture.open[bench.light.layer()] : undefined);
      map.show(figures.grey_map);
      if (frame.wish.trace !== undefined && frame.wish.trace === this.tracing) {
        this.tracing = null;
        map.traced(figures.trace);
      }
      scale.show(figures);
      bench.parts.ribbons.show(figures.hues);
      bench.threads.shares = figures.hues;
      if (!bench.base.looking()) bench.films.show(figures.film || null);
      if (frame.wish.pins.length === bench.pins.pins.length) bench.pins.pinReadings = figures.pins;
      bench.pins.layPins();
      bench.areas.arrived(figures.areas || {});
      bench.finish.arrived(figures);
      bench.finish.draw();
      band(bench.refs.bandPlain, figures.plain_zones, vocabulary.codes, false);
      band(bench.refs.bandNow, figures.zones, vocabulary.codes, true);
      if (bench.compare.compareWith === "plain") bench.compare.comparedZones = figures.plain_zones;
      bench.compare.showBands();
      bench.mix.readMap(figures.grey_map);
      bench.tone.judge(figures.zones);
      this.provisional = this.stillComing(frame);
      // the frame's size came with it, and with that what is in view
      if (!frame.wish.moving && !open && asked !== picture.view.key) this.ask(false);
      bench.sight.meter(picture.pointer ? picture.values(picture.pointer) : null);
      if (bench.tone.waveOpen) bench.tone.drawWave();
      if (!this.waiting) bench.starting.drawPlain();
    },
    /**
     * What lies round and under a part that is seen closely: the whole picture as it is now, less finely.
     * @param {import("./frames.js").Frame} frame
     */
    async askWhole({ region, wish }) {
      if (!region) return;
      const { frames, picture } = bench.parts;
      const shown = bench.light.layer() === "prepared" ? ["prepared"] : [];
      const other = ["colour", "plain"].includes(bench.compare.compareWith) ? [bench.compare.compareWith] : [];
      const wanted = { recipe: wish.recipe, side: WHOLE_SIDE, layers: ["grey", ...shown, ...other, ...(this.transparent ? ["opacity"] : [])], framing: "framed", measured: true };
      const key = JSON.stringify(wanted);
      if (wholeAsked === key) return;
      wholeAsked = key;
      const whole = await frames.fetch(wanted).catch(() => null);
      if (whole && picture.region && wholeAsked === key && !this.waiting) picture.show(whole);
      else if (wholeAsked === key) wholeAsked = "";
    },
    stillComing(frame) {
      const { picture } = bench.parts;
      if (picture.region && String(frame.region) !== String(picture.region)) return "coarse: the file’s pixels are coming";
      return frame.wish.half ? "half size while moving" : "";
    },
    failed(problem) {
      this.waiting = false;
      bench.trying.pictureArrived(false);
      asked = "";
      if (problem.status === 422) this.failure = problem.message;
      else this.failure = `${problem.message} The picture is not the newest.`;
    },
    tryAgain() {
      this.failure = "";
      this.ask(false);
    },
    /** Ask whether a recipe can be computed; rejects with the problem. */
    try(recipe) {
      return bench.parts.frames.fetch({ recipe, side: TRIAL_SIDE, layers: [] });
    },
    openingWords() {
      return this.failure ? "" : this.waitsFor || "Opening the photograph …";
    },
    /** The server is still making ready what a frame needs. @param {{step: string, seconds: number}} told */
    madeReady({ step, seconds }) {
      if (this.waiting) this.waitsFor = `Making ready: ${step}, ${Math.max(1, Math.round(seconds))} s`;
    },
    /** @param {string} title @param {string} hint what a step's tab says under its title */
    hint(title, hint) {
      const seconds = this.making[title];
      return seconds ? `ready in ${seconds} s` : hint;
    },
    provisionalWords() {
      return this.ready && this.waitsFor ? this.waitsFor : this.provisional;
    },
  };
}
