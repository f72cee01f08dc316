// The bench: puts its parts together and lets them hear of each other.
import { ask, say } from "../api.js";
import Alpine from "../common.js";
import { areaing } from "./areas.js";
import { basing } from "./bases.js";
import { Board } from "./board.js";
import { Bubble } from "./bubble.js";
import { cleaning } from "./clean.js";
import { comparing } from "./compare.js";
import { cropping } from "./crop.js";
import { BurnedFrame, FalloffDrawing } from "./falloff.js";
import { filming } from "./films.js";
import { finishing } from "./finish.js";
import { formulating } from "./formula.js";
import { framing } from "./frame.js";
import { Frames } from "./frames.js";
import { GreyMap } from "./greymap.js";
import { lighting } from "./light.js";
import { LightField } from "./lightfield.js";
import { remembering } from "./history.js";
import { keepingColours } from "./keptcolours.js";
import { keying } from "./keys.js";
import { masking } from "./masks.js";
import { limiting } from "./onlyhere.js";
import { mixing } from "./mix.js";
import { outputting } from "./output.js";
import { Overlay } from "./overlay.js";
import { bindAtStart, bindOthers } from "./panels.js";
import { picking } from "./picked.js";
import { Picture } from "./picture.js";
import { pinning } from "./pins.js";
import { readingPrints } from "./reading.js";
import { Rings } from "./rings.js";
import { Saver } from "./saver.js";
import { Ribbons } from "./ribbons.js";
import { Scale } from "./scale.js";
import { seeing } from "./sight.js";
import { spotting } from "./spots.js";
import { starting } from "./starting.js";
import { testing } from "./strips.js";
import { threading } from "./threads.js";
import { TintStrip } from "./tints.js";
import { toning } from "./tone.js";
import { valuing } from "./values.js";
import { versioning } from "./versions.js";
import { working } from "./work.js";
import { trying, watchTrying } from "./trying.js";
import { watchChoosers } from "./chooser.js";
import { offering } from "./drawer.js";
import { pinningUp } from "./wall.js";
import { watchSliding } from "./sliding.js";
import { watchTouching } from "./touching.js";
import { watchTyping } from "./typing.js";
import { toldBy } from "../told.js";

const [start, vocabulary] = ["start", "vocabulary"].map(toldBy);

/** @type {any} grows into a Bench: the stores are made one after another and find each other when they act */
const made = {
  photograph: start.photograph, version: start.version, versionList: start.versions, beside: start.beside, series: start.series,
  vocabulary, parts: {}, refs: {}, root: null,
};
/** @type {import("./bench.js").Bench} */
const bench = made;

const STORES = {
  work: working, frame: framing, values: valuing, sight: seeing, light: lighting, crop: cropping, threads: threading, clean: cleaning, areas: areaing, masks: masking, limits: limiting, finish: finishing, kept: keepingColours, base: basing, mix: mixing, films: filming, formula: formulating,
  picked: picking, tone: toning, spots: spotting, pins: pinning, strips: testing, starting, trying, drawer: offering, wall: pinningUp, reading: readingPrints, output: outputting,
  versions: versioning, history: remembering, compare: comparing, keys: keying,
};
for (const [name, make] of Object.entries(STORES)) {
  Alpine.store(name, make(bench));
  made[name] = Alpine.store(name);
}

/** The drawn instruments, and what they let the stores hear. */
function build() {
  const { frame, mix, refs, sight, spots, tone, work } = bench;
  const { surround, pane, aside, over, mount, othermount, thirds, divider, navigator } = refs;
  const { parts } = bench;
  parts.saver = new Saver(bench.version, work.saver, (recipe, pins) => {
    if (pins) bench.pins.pins = pins;
    work.replace(recipe);
  });
  parts.frames = new Frames(bench.photograph.id, (got) => frame.arrived(got), (problem) => frame.failed(problem), bindOthers);
  parts.picture = new Picture(surround, { pane, aside, over, mount, othermount, thirds, divider, navigator }, bench.photograph, {
    moved: () => frame.moved(),
    zoomed: () => sight.measureZoom(),
    read: (codes) => sight.meter(codes),
    press: (event, at) => spots.press(event, at),
    beyond: (event) => spots.beyond(event),
    wheel: (event) => bench.masks.wheel(event),
  });
  const { crop } = bench;
  parts.board = new Board(refs.board, parts.picture.view, {
    laid: () => crop.laid(),
    frame: () => crop.frame(),
    guides: () => crop.guides,
    drawing: () => crop.drawing,
    picked: (at) => crop.picked(at),
    moved: (around, ratio) => crop.take(around, ratio),
    settle: (when) => work.settle(when),
    drawn: (kind, ends) => crop.drawn(kind, ends),
    bent: (kind, line, end, to) => crop.bent(kind, line, end, to),
    dropped: (kind, line) => crop.dropped(kind, line),
    linesDone: () => crop.linesDone(),
  });
  parts.bubble = new Bubble(refs.bubble, bench.vocabulary.settings["prepare.frame.angle"], {
    angle: () => crop.frame().angle,
    move: (angle) => crop.set({ angle }),
    hold: (on) => parts.board.hold(on),
    settle: (when) => work.settle(when),
  });
  parts.ribbons = new Ribbons(refs.ribbons, bench.vocabulary, {
    threads: () => work.recipe.prepare.threads,
    chosen: () => bench.threads.chosen,
    choose: (name) => bench.threads.choose(name),
    move: (name, key, value) => bench.threads.move(name, key, value),
    reset: (name) => bench.threads.reset(name),
    settle: (when) => work.settle(when),
  });
  parts.ribbons.draw();
  const { clean } = bench;
  parts.rings = new Rings(refs.rings, parts.picture.view, {
    open: () => clean.isOpen() && !bench.strips.strip && !bench.compare.comparing && !spots.mode,
    spots: () => clean.ringsOfSpots(),
    specks: () => clean.ringsOfSpecks(),
    radius: () => clean.nextRadius(),
    choose: (number) => clean.choose(number),
    grab: (number) => clean.grab(number),
    move: (number, by) => clean.move(number, by),
    lead: (number, by) => clean.lead(number, by),
    size: (number, factor) => clean.size(number, factor),
    back: () => clean.back(),
    settle: (when) => work.settle(when),
    drop: (number) => clean.drop(number),
    toggle: (number) => clean.toggle(number),
    confirm: (number) => clean.confirm(number),
    dismiss: (number) => clean.dismiss(number),
  });
  const { areas, masks } = bench;
  let carried = [0, 0];
  parts.overlay = new Overlay(refs.masks, parts.picture.view, {
    open: () => areas.works() && (!spots.mode || spots.mode === "stroke"),
    contours: () => areas.contoured().map((id) => ({ id, chosen: id === areas.chosen, contours: areas.shown[id].contours })),
    part: () => masks.drawn(),
    anchor: () => areas.anchor(),
    screen: (share) => parts.picture.placeOf(parts.picture.point(share)),
    radius: () => masks.shownRadius(),
    begin: () => masks.begin(),
    move: (id, by, from) => masks.moveHandle(id, by, from),
    size: (factor) => masks.sizeHandle(factor),
    grab: () => { carried = [...areas.one().move]; },
    carry: (by, from, copies) => {
      if (copies) areas.duplicate([0, 0]);
      masks.moveArea(by, from, carried);
    },
    back: () => masks.back(),
    settle: (when) => work.settle(when),
    drop: () => areas.drop(),
  });
  const { finish } = bench;
  for (const name of /** @type {("lights"|"darks")[]} */ (["lights", "darks"])) {
    parts[name] = new TintStrip(refs[name], name, bench.vocabulary.hues, {
      tint: () => finish.tint(name),
      move: (hue, strength, loud) => finish.moveTint(name, hue, strength, loud),
      settle: (when) => finish.settleTint(when),
    });
  }
  const finishHeard = { finish: () => finish.all(), move: (part, values) => finish.move(part, values), settle: (/** @type {"soon"|undefined} */ when) => work.settle(when) };
  parts.falloff = new FalloffDrawing(refs.falloff, finishHeard);
  parts.burned = new BurnedFrame(refs.burned, { ...finishHeard, choose: (side) => { finish.side = side; finish.draw(); }, chosen: () => finish.side });
  parts.field = new LightField(refs.field, bench.vocabulary.settings, {
    light: () => work.recipe.prepare.light,
    move: (warmth, tint) => bench.light.move(warmth, tint),
    settle: (when) => work.settle(when),
  });
  parts.map = new GreyMap(refs.map, bench.vocabulary, {
    mix: () => work.recipe.mix,
    lift: (name) => mix.liftOf(name),
    grasp: (name) => { frame.tracing = name; frame.ask(true); },
    move: (name, stops) => mix.lift(name, stops),
    spin: (name, by) => mix.spinLift(name, by),
    centre: (name, hue) => mix.moveCentre(name, hue),
    focus: (name) => { mix.columnFocus = name; },
    settle: (when) => work.settle(when),
  });
  const toneMoved = (key) => (value) => {
    work.recipe.tone[key] = value;
    work.changing();
  };
  parts.scale = new Scale(refs.scale, bench.vocabulary, {
    tone: () => work.recipe.tone,
    curve: toneMoved("curve"), levels: toneMoved("levels"), contrast: toneMoved("contrast"), zones: toneMoved("zones"),
    pick: (index) => { tone.pointPicked = index !== null; },
    settle: (when) => work.settle(when),
  });
}

/** What acts otherwise on a version since an upgrade is told once. @param {{id: number, again: string | null}} version */
function tellAgain({ id, again }) {
  if (!again) return;
  say(again);
  ask("POST", `/api/versions/${id}/looked`).catch(() => {}); // then it is told another time
}

/** What a page names, whether it is bound already or not. @param {HTMLElement} root */
function named(root) {
  return Object.fromEntries([...root.querySelectorAll("[x-ref]")].map((element) => [element.getAttribute("x-ref"), element]));
}

Alpine.data("bench", () => ({
  .../** @type {import("./bench.js").Stores} */ (Object.fromEntries(Object.keys(STORES).map((name) => [name, made[name]]))),

  init() {
    made.root = this.$root;
    made.refs = named(this.$root);
    build();
    const { frame, parts, refs, work } = bench;
    frame.expectRoom();
    work.recover();
    bench.light.look();
    frame.lookAgain();
    window.addEventListener("pagehide", () => { frame.rememberLook(); frame.rememberRoom(); work.settleNow(); });
    window.addEventListener("focus", () => parts.saver.check());
    document.addEventListener("visibilitychange", () => document.hidden || parts.saver.check());
    watchTyping(this.$root, { picture: () => refs.surround, undo: () => work.undo(), redo: () => work.redo() });
    watchTouching(this.$root, refs.surround);
    watchSliding(this.$root, (path, on) => bench.finish.trackHeld(path, on));
    watchChoosers(this.$root, { picture: () => refs.surround });
    watchTrying(this.$root, {
      begin: (key) => bench.trying.begin(key), leave: () => bench.trying.leave(), keep: () => bench.trying.keep(), tries: () => bench.trying.words !== "",
    });
    this.$nextTick(() => {
      refs.surround.focus({ preventScroll: true });
      bench.versions.nameNew();
      tellAgain(bench.version);
    });
  },
}));

bindAtStart(bench.work.step);
Alpine.start();
