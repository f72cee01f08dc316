// The bench's keys: what they do, and which key the photographer gave each.
import { say } from "../api.js";
import { bind } from "./panels.js";
import { nextTick } from "./ticks.js";
import { remembered } from "../told.js";

const MEMORY = "oatmeal-keys";

/** What single keys do: id, key, words; `held` acts act while the key is down. */
const ACTS = [
  { id: "colour", key: "c", words: "see the colour original", held: true },
  { id: "plain", key: "p", words: "see the plain conversion", held: true },
  { id: "without", key: "w", words: "see the frame without the step that is open", held: true },
  { id: "flip", key: "x", words: "see the compared picture in place of the present one", held: true },
  { id: "compare", key: "k", words: "compare, or leave comparing" },
  { id: "beside", key: "b", words: "compare split or side by side" },
  { id: "zoom", key: "f", words: "fit, or the file’s own pixels" },
  { id: "closer", key: "+", words: "zoom closer" },
  { id: "farther", key: "-", words: "zoom farther" },
  { id: "alone", key: "o", words: "the picture alone on the window" },
  { id: "thirds", key: "g", words: "lines of thirds" },
  { id: "surround", key: "u", words: "next surround: grey, white, black" },
  { id: "clipping", key: "e", words: "mark what clips at the ends" },
  { id: "pin", key: "i", words: "pin under the pointer" },
  { id: "rings", key: "y", words: "in Clean and Areas: show or hide rings, or contours" },
  { id: "spot", key: "n", words: "in Clean: heal, in Areas: draw, under the pointer or in the middle" },
  { id: "larger", key: "l", words: "in Clean: a larger spot, in Areas: a larger brush" },
  { id: "smaller", key: "j", words: "in Clean: a smaller spot, in Areas: a smaller brush" },
  { id: "softer", key: ";", words: "in Areas: a softer brush" },
  { id: "harder", key: "'", words: "in Areas: a harder brush" },
  { id: "thicker", key: "/", words: "in Areas: more flow" },
  { id: "thinner", key: "\\", words: "in Areas: less flow" },
  { id: "strip", key: "s", words: "test strip; 1 to 9 keep a band" },
  { id: "switch", key: "q", words: "take the open step out, or put it back" },
  { id: "recipes", key: "*", words: "recipes on this photograph" },
  { id: "wall", key: "=", words: "the wall: what is pinned, side by side" },
  { id: "history", key: "h", words: "history" },
  { id: "version", key: "v", words: "next version" },
  { id: "before", key: ",", words: "previous frame" },
  { id: "after", key: ".", words: "next frame" },
  { id: "export", key: "d", words: "export" },
  { id: "help", key: "?", words: "this list" },
];

/** Further keys that many know for the same. @type {Object<string, string>} */
const ALSO = { "[": "smaller", "]": "larger" };

/** Keys that are not free: digits keep bands, and these mean something on every control. */
const TAKEN = /^[0-9 ]$|^.{2,}$/;

/**
 * Single keys: what they do, and which one the photographer gave each.
 * @param {Pick<import("./bench.js").Bench, "wall" | "areas" | "clean" | "compare" | "crop" | "history" | "light" | "masks" | "mix" | "output" | "pins" | "reading" | "refs" | "sight" | "spots" | "drawer" | "strips" | "values" | "versions" | "vocabulary" | "work">} bench
 */
export function keying(bench) {
  const { steps } = bench.vocabulary;
  const screens = steps.filter(({ screen }) => screen);
  const acts = [...ACTS, ...screens.map(({ id, key, title }) => ({ id, key, words: `the step ${title}`, held: false }))];
  const standard = () => Object.fromEntries(acts.map(({ id, key }) => [id, key]));
  return {
    helping: false,
    keys: { ...standard(), ...keptKeys(acts) },
    keyAsked: "",
    actList: acts,
    /** Words with the key that does the same. */
    keyed(words, id) {
      return `${words} (${this.keyName(id)})`;
    },
    keyName(id) {
      return this.keyAsked === id ? "press a key …" : this.keys[id].toUpperCase();
    },
    help() {
      bind("keys");
      this.helping = true;
      this.keyAsked = "";
      nextTick(() => bench.refs.helpClose.focus());
    },
    closeHelp() {
      this.helping = false;
      this.keyAsked = "";
      bench.refs.surround.focus({ preventScroll: true });
    },
    askKey(id) {
      this.keyAsked = this.keyAsked === id ? "" : id;
    },
    usualKeys() {
      this.keys = standard();
      this.keyAsked = "";
      localStorage.removeItem(MEMORY);
    },
    /** Give the act that was asked for the key that was pressed. */
    takeKey(event) {
      if (["Tab", "Shift", "Enter", "Control", "Alt", "Meta", "CapsLock"].includes(event.key)) return;
      event.preventDefault();
      event.stopPropagation();
      const key = event.key.toLowerCase();
      const id = this.keyAsked;
      const owner = acts.find((act) => act.id !== id && this.keys[act.id] === key);
      if (event.key === "Escape") this.keyAsked = "";
      else if (event.ctrlKey || event.altKey || event.metaKey || TAKEN.test(key)) say("Take a single letter or sign.");
      else if (owner) say(`That key is for “${owner.words}”: give that another one first.`);
      else {
        this.keys[id] = key;
        this.keyAsked = "";
        localStorage.setItem(MEMORY, JSON.stringify(this.keys));
      }
    },
    key(event) {
      if (this.helping && this.keyAsked) {
        this.takeKey(event);
        return;
      }
      if (event.key === "Escape" && this.leave()) return;
      if (event.target.closest("input:not([type=range]):not([type=checkbox]):not([type=color]), textarea, select")) return;
      const command = event.ctrlKey || event.metaKey;
      const letter = event.key.toLowerCase();
      if (command && (letter === "z" || letter === "y") && !this.covered()) {
        event.preventDefault();
        if (letter === "y" || event.shiftKey) bench.work.redo();
        else bench.work.undo();
        return;
      }
      if (command && letter === "a") event.preventDefault(); // there is nothing to select
      const onBench = event.target === document.body || event.target.closest(".bench");
      if (command || event.altKey || !onBench || this.covered()) return;
      if (this.single(letter, event)) event.preventDefault();
    },
    /** True while a dialog covers the bench. */
    covered() {
      return document.querySelector("dialog[open]") !== null;
    },
    single(letter, event) {
      if (bench.spots.aimKey(event) || bench.crop.aimKey(event)) return true;
      if (bench.strips.strip && /^[1-9]$/.test(letter)) {
        bench.strips.keepBand(Number(letter) - 1);
        return true;
      }
      const act = acts.find(({ id }) => this.keys[id] === letter) ?? acts.find(({ id }) => id === ALSO[letter]);
      if (act) {
        if (event.repeat) return true;
        if (act.held) this.hold(act.id, true);
        else this.acts()[act.id]();
        return true;
      }
      return event.target === bench.refs.surround && bench.sight.panBy(event);
    },
    keyUp(event) {
      const letter = event.key.toLowerCase();
      const act = acts.find(({ id, held }) => held && this.keys[id] === letter);
      if (act) this.hold(act.id, false);
    },
    hold(id, on) {
      if (id === "flip") bench.compare.flip(on);
      else if (id === "without") bench.compare.without(on);
      else if (on) bench.sight.show(id);
      else if (bench.sight.showing === id) bench.sight.show(bench.light.layer());
    },
    // keys
    acts() {
      return {
        compare: () => bench.compare.toggleCompare(), beside: () => bench.compare.setCompareMode(bench.compare.compareMode === "split" ? "beside" : "split"),
        zoom: () => bench.sight.zoomToggle(), closer: () => this.zoomed().zoomStep(1), farther: () => this.zoomed().zoomStep(-1),
        alone: () => bench.sight.toggleAlone(), thirds: () => bench.sight.toggleThirds(), surround: () => bench.sight.nextSurround(),
        clipping: () => bench.sight.clippingToggle(), pin: () => bench.pins.pinHere(), ...Object.fromEntries(screens.map(({ id }) => [id, () => bench.work.open(id)])),
        strip: () => bench.strips.openStrip(this.focusedPath()), switch: () => bench.values.toggle(`${bench.work.step}.on`),
        spot: () => this.there("addHere", "dab"), rings: () => (bench.areas.works() ? bench.areas.toggleContours() : this.there("toggleRings")),
        larger: () => this.there("sizeBy", "sizeBy", 1), smaller: () => this.there("sizeBy", "sizeBy", -1),
        softer: () => this.brush("hardness", -1), harder: () => this.brush("hardness", 1), thicker: () => this.brush("flow", 1), thinner: () => this.brush("flow", -1),
        history: () => bench.history.toggleHistory(), recipes: () => bench.drawer.toggle("recipes"), wall: () => bench.wall.toggle(), version: () => bench.versions.nextVersion(1),
        before: () => bench.refs.before?.click(), after: () => bench.refs.after?.click(),
        export: () => bench.output.openExport(), help: () => this.help(),
      };
    },
    /** What the keys of zoom act on. */
    zoomed() {
      return bench.wall.open ? bench.wall : bench.sight;
    },
    /** What a key does in Clean, and in Areas. */
    there(inClean, inAreas, ...args) {
      if (bench.clean.isOpen()) bench.clean[inClean](...args);
      else if (inAreas && bench.areas.works()) bench.masks[inAreas](...args);
    },
    brush(key, way) {
      if (bench.areas.works()) bench.masks.brushBy(key, way);
    },
    /** Leave what is open; true if something was. */
    leave() {
      if (bench.output.exporting) bench.output.closeExport();
      else if (bench.reading.readingOpen) bench.reading.closeReading();
      else if (this.helping) this.closeHelp();
      else if (bench.versions.versionMenu) bench.versions.versionMenu = false;
      else if (bench.wall.open) bench.wall.leave();
      else if (bench.strips.strip) bench.strips.leaveStrip();
      else if (bench.crop.drawing) bench.crop.endDrawing();
      else if (bench.spots.mode) bench.spots.endWay();
      else if (bench.clean.isOpen() && bench.clean.specks.length) bench.clean.leaveSpecks();
      else if (bench.clean.isOpen() && bench.clean.chosen >= 0) bench.clean.chooseNone();
      else if (bench.areas.isOpen() && bench.areas.alone) bench.areas.toggleAlone();
      else if (bench.areas.isOpen() && bench.areas.mapOpen) bench.areas.toggleMap();
      else if (bench.areas.isOpen() && bench.areas.chosen) bench.areas.leave();
      else if (bench.sight.alone) bench.sight.toggleAlone();
      else if (bench.drawer.shown) bench.drawer.close();
      else if (bench.compare.comparing) bench.compare.leaveCompare();
      else if (bench.history.historyOpen) bench.history.toggleHistory();
      else return false;
      return true;
    },
    /** The setting that a test strip is most likely wanted for. */
    focusedPath() {
      if (bench.mix.columnFocus === null) return undefined;
      return typeof bench.mix.columnFocus === "string" ? `mix.lifts.${bench.mix.columnFocus}` : `mix.picked.${bench.mix.columnFocus}.lift`;
    },
  };
}

/** The keys that were given last. */
function keptKeys(acts) {
  try {
    const found = remembered(MEMORY) ?? {};
    return Object.fromEntries(Object.entries(found).filter(([id]) => acts.some((act) => act.id === id)));
  } catch {
    return {};
  }
}
