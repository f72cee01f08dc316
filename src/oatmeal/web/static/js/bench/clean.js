// Clean: noise, coloured edges, spots and likely specks of the colour picture.
import { ask, say } from "../api.js";
import { Frames } from "./frames.js";
import { clamp, copy } from "./paths.js";
import { placing, thinned } from "./places.js";
import { follow } from "./svg.js";
import { dragged } from "./pointer.js";

const SIZE = "oatmeal-spot-size";
const SIZED = 1.25;
const USUAL = 0.004;
const PATCH = { width: 168, height: 132 };
const PATCH_SIDE = 1024;
const THUMB = 14;

/**
 * Clean.
 * @param {Pick<import("./bench.js").Bench, "crop" | "frame" | "light" | "parts" | "photograph" | "refs" | "root" | "sight" | "spots" | "strips" | "vocabulary" | "work">} bench
 */
export function cleaning(bench) {
  const { file, id } = bench.photograph;
  const { most_spots: most, smallest_spot: smallest, largest_spot: largest } = bench.vocabulary;
  const where = placing(bench);
  const { longest } = where;
  const address = (what) => `/api/photographs/${id}/${what}`;
  /** Spots that were asked for are healed one after the other. @type {Promise<any>} */
  let queue = Promise.resolve();
  /** The spot that was grabbed, as it was. @type {any} */
  let grabbed = null;
  let noiseAsked = false;
  /** @type {Object<string, Frames>} */
  const patches = {};
  return {
    /** Amounts that the picture seems to need, once they are known. @type {{light: number, colour: number}|null} */
    needed: null,
    /** Why the noise, or the patches, could not be had. */
    noiseTrouble: "",
    patchTrouble: "",
    chosen: -1,
    hidden: false,
    radius: clamp(Number(localStorage.getItem(SIZE)) || USUAL, smallest, largest),
    /** Likely specks, to be confirmed. @type {{path: string, radius: number}[]} */
    specks: [],
    speck: 0,
    searched: false,
    busyWith: "",
    healing: 0,
    /** The middle of the patches, in shares of the framed picture. */
    patchAt: { x: 0.5, y: 0.5 },

    isOpen() {
      return bench.work.step === "prepare" && bench.crop.group === "clean";
    },
    all() {
      return bench.work.recipe.prepare.spots;
    },
    numbers() {
      return this.all().map((_, number) => number);
    },
    /** Draw what lies on the picture. */
    draw() {
      if (this.chosen >= this.all().length) this.chosen = -1;
      bench.parts.rings?.draw();
    },
    /** The group was opened. */
    look() {
      this.draw();
      if (!this.isOpen()) return;
      this.askNoise();
      this.askPatches(false);
    },

    // noise
    async askNoise() {
      if (noiseAsked) return;
      noiseAsked = true;
      try {
        this.needed = await ask("GET", address("noise"));
        this.noiseTrouble = "";
      } catch (problem) {
        noiseAsked = false;
        this.noiseTrouble = problem.message;
      }
    },
    neededWords() {
      if (this.noiseTrouble) return this.noiseTrouble;
      if (!this.needed) return "measuring the file’s noise …";
      const { light, colour } = this.needed;
      if (!light && !colour) return "the picture seems to need none";
      return `seems to need ${light} in light, ${colour} in colour`;
    },
    needs() {
      return Boolean(this.needed && (this.needed.light || this.needed.colour));
    },
    /** Where on its track the needed amount lies. */
    markStyle(key) {
      const share = (this.needed?.[key] ?? 0) / 100;
      return this.needed?.[key] ? { left: `calc(${share * 100}% + ${(0.5 - share) * THUMB}px)` } : { display: "none" };
    },
    takeNeeded() {
      Object.assign(bench.work.recipe.prepare.noise, this.needed);
      bench.work.settle();
    },

    // patches
    /** At a larger zoom the picture itself shows the file's own pixels. */
    patched() {
      return this.isOpen() && bench.sight.zoom === "fit" && bench.frame.ready;
    },
    rectangle() {
      const { width, height } = bench.parts.picture.file;
      const [across, down] = [Math.min(PATCH.width, width), Math.min(PATCH.height, height)];
      const at = (share, whole, part) => Math.round(clamp(share * whole - part / 2, 0, whole - part));
      return [at(this.patchAt.x, width, across), at(this.patchAt.y, height, down), across, down];
    },
    /** Ask for the file's own pixels before and after. @param {boolean} moving */
    askPatches(moving) {
      const { purple, green } = bench.work.recipe.prepare.edge_colour;
      // where edges are cleaned a patch needs the whole picture's colours, which would hold up the drag
      if (!this.patched() || (moving && (purple || green))) return;
      const after = copy(bench.work.recipe);
      const before = copy(after);
      before.prepare.noise = copy(bench.work.rest.prepare.noise);
      before.prepare.edge_colour = copy(bench.work.rest.prepare.edge_colour);
      if (!moving) this.askPatch("before", before);
      this.askPatch("after", after);
    },
    askPatch(name, recipe) {
      const layer = bench.light.shown();
      patches[name] ??= new Frames(id, (frame) => this.paintPatch(name, frame), (problem) => { this.patchTrouble = problem.message; });
      patches[name].ask(() => ({ recipe, side: PATCH_SIDE, layers: [layer], region: this.rectangle(), measured: false }));
    },
    patchWords() {
      return this.patchTrouble || "before, 100 %";
    },
    paintPatch(name, frame) {
      this.patchTrouble = "";
      const canvas = bench.refs[name === "before" ? "patchBefore" : "patchAfter"];
      const data = frame.layers[bench.light.shown()];
      if (data) bench.parts.picture.draw(canvas, { width: frame.width, height: frame.height, data }, false);
    },
    /** Drag inside a patch: it shows another place. */
    movePatch(event) {
      if (event.button !== 0) return;
      event.preventDefault();
      const { width, height } = bench.parts.picture.file;
      const begun = { ...this.patchAt };
      follow(event.currentTarget, event, (next) => {
        this.patchAt = {
          x: clamp(begun.x - (next.clientX - event.clientX) / width, 0, 1), y: clamp(begun.y - (next.clientY - event.clientY) / height, 0, 1),
        };
        this.askPatches(false);
      }, () => {});
    },
    patchHere(at) {
      bench.spots.mode = "";
      this.patchAt = at;
      this.askPatches(false);
    },

    // places
    points(spot) {
      return where.pointsOf(spot.path);
    },
    pathOf: where.pathOf,
    screen: where.screen,
    screens: where.screens,
    scaleAt: where.scaleAt,
    placeOf: where.placeOf,
    away: where.away,
    ringsOfSpots() {
      if (this.hidden) return [];
      const laid = bench.crop.laid();
      return copy(this.all()).map((spot, number) => {
        const points = this.points(spot);
        const [[x, y]] = points;
        const [first, source] = [this.screen([x, y], laid), this.screen([x + spot.source[0], y + spot.source[1]], laid)];
        return {
          points: this.screens(points, laid), radius: spot.radius * this.scaleAt([x, y], laid),
          source: [source[0] - first[0], source[1] - first[1]], on: spot.on, chosen: number === this.chosen,
        };
      });
    },
    ringsOfSpecks() {
      const laid = bench.crop.laid();
      return this.specks.map((speck, number) => {
        const points = this.points(speck);
        return { points: this.screens(points, laid), radius: speck.radius * this.scaleAt(points[0], laid), chosen: number === this.speck };
      });
    },
    nextRadius() {
      return this.radius * this.scaleAt([file.width / longest / 2, file.height / longest / 2]);
    },

    // spots
    /** A press on the picture: a click is a spot, a drag is a stroke. @param {PointerEvent} event */
    press(event) {
      const { picture } = bench.parts;
      const { surround } = picture;
      surround.focus({ preventScroll: true });
      if (bench.sight.zoom !== "fit" && !bench.spots.dragLifts) {
        picture.gestures.pan(event, (moved) => moved || this.add([this.placeOf(event)]));
        return;
      }
      const first = /** @type {number[]} */ (this.placeOf(event));
      const drawn = [first];
      let moved = false;
      follow(surround, event, (next) => {
        moved ||= dragged(event, next);
        const at = moved && this.placeOf(next);
        if (!at) return;
        drawn.push(at);
        bench.parts.rings.sketch(this.screens(drawn));
      }, (ended) => {
        bench.parts.rings.sketch(null);
        if (ended.type !== "pointercancel") this.add(moved ? thinned(drawn, this.radius / 4) : [first]);
      });
    },
    /** By key: a spot under the pointer, or in the middle of what is seen. */
    addHere() {
      const { picture } = bench.parts;
      const { x, y } = bench.crop.taken(picture.shares(picture.pointer || picture.middle()));
      return this.add([[(x * file.width) / longest, (y * file.height) / longest]]);
    },
    add(points) {
      if (!points[0]) return Promise.resolve();
      return this.heal({ path: this.pathOf(points), radius: round(this.radius) });
    },
    /** Find where a spot is healed from and put it down; one undo step. */
    heal(spot) {
      if (this.all().length + this.healing >= most) {
        say(`There can be ${most} spots at the most.`);
        return Promise.resolve();
      }
      this.healing += 1;
      bench.frame.waiting = true;
      queue = queue.then(async () => {
        try {
          const { source } = await ask("POST", address("heal"), { recipe: copy(bench.work.recipe), ...spot });
          this.all().push({ ...spot, source: source.map(round), copied: false, on: true });
          this.chosen = this.all().length - 1;
          this.hidden = false;
          bench.work.settle();
          bench.work.tell("A spot is healed");
          this.draw();
        } catch (problem) {
          bench.frame.waiting = false;
          say(problem.message, "Try again", () => this.heal(spot)); // a stroke is not lost with its request
        }
        this.healing -= 1;
      });
      return queue;
    },
    /** Look for another source for the chosen spot. */
    async again() {
      const number = this.chosen;
      const { path, radius } = this.all()[number];
      bench.frame.waiting = true;
      try {
        const { source } = await ask("POST", address("heal"), { recipe: copy(bench.work.recipe), path, radius, number });
        this.all()[number].source = source.map(round);
        bench.work.settle();
      } catch (problem) {
        bench.frame.waiting = false;
        say(problem.message);
      }
    },
    choose(number) {
      if (this.chosen === number) return;
      this.chosen = number;
      this.draw();
    },
    chooseInList(number) {
      this.choose(number);
      bench.parts.rings.focus(number);
    },
    grab(number) {
      grabbed = { number, spot: copy(this.all()[number]) };
    },
    back() {
      if (grabbed) this.all()[grabbed.number] = grabbed.spot;
    },
    move(number, by) {
      const points = this.points(grabbed.spot);
      const [x, y] = this.away(points[0], by);
      this.all()[number].path = this.pathOf(points.map((point) => [point[0] + x, point[1] + y]));
      bench.work.changing();
    },
    lead(number, by) {
      const [[x, y]] = this.points(grabbed.spot);
      const from = [x + grabbed.spot.source[0], y + grabbed.spot.source[1]];
      const moved = this.away(from, by);
      const to = (/** @type {number} */ axis) => round(clamp(grabbed.spot.source[axis] + moved[axis], -1, 1));
      this.all()[number].source = [to(0), to(1)];
      bench.work.changing();
    },
    size(number, factor) {
      this.all()[number].radius = round(clamp(grabbed.spot.radius * factor, smallest, largest));
      this.keepSize(this.all()[number].radius);
      bench.work.changing();
    },
    drop(number) {
      this.all().splice(number, 1);
      this.chosen = Math.min(number, this.all().length - 1);
      bench.work.settle();
      this.draw();
      bench.refs.surround.focus({ preventScroll: true });
    },
    toggle(number) {
      this.all()[number].on = !this.all()[number].on;
      bench.work.settle();
    },
    toggleCopied() {
      const spot = this.all()[this.chosen];
      spot.copied = !spot.copied;
      bench.work.settle();
    },
    isCopied() {
      return Boolean(this.all()[this.chosen]?.copied);
    },
    dropAll() {
      bench.work.recipe.prepare.spots = [];
      this.chosen = -1;
      bench.work.settle();
      this.draw();
      bench.work.tellStep("All spots are taken away.");
    },
    spotWords(number) {
      const spot = this.all()[number];
      if (!spot) return "";
      const size = `${Math.round(2 * spot.radius * longest)} px`;
      return `${number + 1} · ${spot.path.split(" ").length > 2 ? "stroke" : "spot"}, ${size}${spot.copied ? ", as it is" : ""}`;
    },
    countWords() {
      const count = this.all().length;
      return count ? `${count} on the picture` : "click or stroke on the picture";
    },
    toggleRings() {
      this.hidden = !this.hidden;
      this.draw();
    },

    // size
    /** Diameter of the chosen spot, or of the next one, in the file's pixels. */
    shownSize() {
      const spot = this.all()[this.chosen];
      return String(Math.round(2 * (spot ? spot.radius : this.radius) * longest));
    },
    sizeLimits() {
      return { low: Math.ceil(2 * smallest * longest), high: Math.floor(2 * largest * longest) };
    },
    keepSize(radius) {
      this.radius = clamp(radius, smallest, largest);
      localStorage.setItem(SIZE, String(this.radius));
    },
    setSize(radius, when) {
      this.keepSize(radius);
      const spot = this.all()[this.chosen];
      if (spot) {
        spot.radius = round(this.radius);
        bench.work.changing();
        bench.work.settle(when);
      }
      this.draw();
    },
    typeSize(event) {
      const { low, high } = this.sizeLimits();
      const number = Number(event.target.value.replace(",", "."));
      if (!Number.isFinite(number) || event.target.value.trim() === "") say("Type a number.");
      else {
        const kept = clamp(number, low, high);
        if (kept !== number) say(`From ${low} to ${high}: ${kept} was taken.`);
        this.setSize(kept / longest / 2);
      }
      event.target.value = this.shownSize();
    },
    /** Larger (1) or smaller (-1). */
    sizeBy(way) {
      const spot = this.all()[this.chosen];
      this.setSize((spot ? spot.radius : this.radius) * (way > 0 ? SIZED : 1 / SIZED), "soon");
    },
    sizeKey(event) {
      const way = { ArrowUp: 1, ArrowDown: -1 }[event.key];
      if (!way) return;
      event.preventDefault();
      this.sizeBy(way);
    },
    chooseNone() {
      this.choose(-1);
    },

    // specks
    async findSpecks() {
      if (this.busyWith) return;
      this.busyWith = "specks";
      try {
        const { specks } = await ask("POST", address("specks"), { recipe: copy(bench.work.recipe) });
        this.specks = specks;
        this.speck = 0;
        this.searched = true;
        if (!specks.length) say("Nothing looks like dust.");
      } catch (problem) {
        say(problem.message);
      }
      this.busyWith = "";
      this.draw();
    },
    speckWords() {
      const count = this.specks.length;
      if (count) return `${count} likely ${count === 1 ? "speck" : "specks"}: confirm each`;
      return this.searched ? "none left" : "dust on the sensor";
    },
    async confirm(number) {
      const [speck] = this.specks.splice(number, 1);
      this.speck = clamp(this.speck, 0, Math.max(0, this.specks.length - 1));
      this.draw();
      if (speck) await this.heal({ path: speck.path, radius: clamp(speck.radius, smallest, largest) });
    },
    dismiss(number) {
      this.specks.splice(number, 1);
      this.speck = clamp(this.speck, 0, Math.max(0, this.specks.length - 1));
      this.draw();
    },
    /** Bring the next likely speck to the middle. @param {number} way */
    nextSpeck(way) {
      const count = this.specks.length;
      if (!count) return;
      this.speck = (this.speck + way + count) % count;
      const { picture } = bench.parts;
      const [[x, y]] = this.points(this.specks[this.speck]);
      if (bench.sight.zoom !== "fit") picture.moveTo(picture.point(bench.crop.framed(where.shares([x, y]))));
      this.draw();
    },
    leaveSpecks() {
      this.specks = [];
      this.searched = false;
      this.draw();
    },
  };
}

const round = (value) => Math.round(value * 1e6) / 1e6;
