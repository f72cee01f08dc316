// The frame of Prepare: what of the picture is kept, how it stands, and what its lens did.
import { ask, say } from "../api.js";
import { clamp, copy, same } from "./paths.js";
import { ARROWS, nudged } from "./pointer.js";
import { Laid, largest, ratioOf } from "./setright.js";

const GROUP = "oatmeal-prepare-group";
/** The parts of each group. @type {Object<string, string[]>} */
const PARTS = {
  frame: ["frame", "lens"], light: ["light", "light_on"], threads: ["threads", "threads_on"], clean: ["noise", "edge_colour", "spots", "clean_on"],
};
const GUIDES = "oatmeal-frame-guides";
const RATIOS = ["1:1", "4:5", "3:4", "2:3", "16:9"];
const TURNS = ["none", "right", "over", "left"];
const DECIMALS = 1e4;

/**
 * The frame of Prepare.
 * @param {Pick<import("./bench.js").Bench, "clean" | "compare" | "frame" | "light" | "parts" | "photograph" | "pins" | "sight" | "spots" | "strips" | "vocabulary" | "work">} bench
 */
export function cropping(bench) {
  const { file, id } = bench.photograph;
  const rest = bench.vocabulary.rest.prepare;
  const { most_lines: mostLines, shortest_line: shortest, widest_ratio: widest } = bench.vocabulary;
  const address = (what) => `/api/photographs/${id}/${what}`;
  let laid = null;
  let laidFor = "";
  let lensAsked = false;
  let again = false;
  return {
    /** The group of Prepare that is open. */
    group: ["light", "threads", "clean"].find((one) => one === sessionStorage.getItem(GROUP)) || "frame",
    guides: localStorage.getItem(GUIDES) || "thirds",
    ratios: RATIOS,
    /** What a press on the picture draws. @type {""|"line"|"plumb"|"level"} */
    drawing: "",
    busyWith: "",
    /** What is known of the lens. @type {any} */
    known: null,
    lensWords: "",
    finalWords: "",

    frame() {
      return bench.work.recipe.prepare.frame;
    },
    /** How the frame lies on the picture now. @returns {import("./setright.js").Laid} */
    laid() {
      const { on, frame, lens } = bench.work.recipe.prepare;
      const key = JSON.stringify([on, frame, lens]);
      if (key !== laidFor) {
        laid = on ? new Laid(file, copy(frame), copy(lens)) : new Laid(file, copy(rest.frame), copy(rest.lens));
        laidFor = key;
      }
      return laid;
    },
    /** Which frame the picture is asked for with. @returns {"open"|"framed"} */
    framing() {
      const { prepare } = bench.work.recipe;
      const open = bench.work.step === "prepare" && this.group === "frame" && prepare.on;
      return open && bench.sight.zoom === "fit" && !bench.compare.comparing && !bench.strips.strip ? "open" : "framed";
    },
    /** Whether the open group can be taken out: a frame stays. */
    mayBeOut() {
      return this.group !== "frame";
    },
    groupOn() {
      return !this.mayBeOut() || bench.work.recipe.prepare[`${this.group}_on`];
    },
    switchGroup() {
      bench.work.recipe.prepare[`${this.group}_on`] = !this.groupOn();
      bench.work.settle();
    },
    /** Whether a setting is of the open group. @param {string} path */
    inGroup(path) {
      return PARTS[this.group].some((part) => `${path}.`.startsWith(`prepare.${part}.`));
    },
    groupChanged() {
      return PARTS[this.group].some((part) => !same(bench.work.recipe.prepare[part], bench.work.rest.prepare[part]));
    },
    resetGroup() {
      for (const part of PARTS[this.group]) bench.work.recipe.prepare[part] = copy(bench.work.rest.prepare[part]);
      bench.work.settle();
      this.draw();
    },
    /** @param {string} group frame, light, threads or clean */
    openGroup(group) {
      this.group = group;
      this.endDrawing();
      sessionStorage.setItem(GROUP, group);
      bench.spots.mode = "";
      this.draw();
      bench.light.look();
    },
    /** Draw what stands in Prepare; drags of other steps do not wait for it. */
    draw() {
      const { board, bubble } = bench.parts;
      bench.clean.draw();
      if (!board || bench.work.step !== "prepare") return;
      board.draw();
      bubble.draw();
      bench.parts.ribbons.draw();
      bench.pins.layPins();
      const { width, height, turned } = this.laid();
      this.finalWords = `${width} × ${height} of ${turned.width} × ${turned.height} px`;
    },
    /** Show the board with a layer of the whole picture; null: the framed picture. */
    showBoard(layer) {
      const { board, picture } = bench.parts;
      const other = Boolean(layer) !== board.shown;
      picture.surround.classList.toggle("boarded", Boolean(layer));
      board.show(layer || null);
      if (other) this.draw();
    },
    /** True if what changed can be drawn from what is at hand. */
    drawsItself() {
      const { board, picture } = bench.parts;
      return board.shown && picture.hasOpen(bench.light.layer(), bench.work.recipe.prepare);
    },
    changed() {
      this.draw();
      bench.compare.faceNow();
    },
    set(values) {
      Object.assign(bench.work.recipe.prepare.frame, values);
      this.changed();
    },
    settleWith(values) {
      this.set(values);
      bench.work.settle();
    },

    // ratio
    isRatio(ratio) {
      const { ratio: now, free } = this.frame();
      if (ratio === "free") return free;
      return !free && (now === ratio || now === swapped(ratio));
    },
    chooseRatio(ratio) {
      if (ratio === "free") return this.settleWith({ free: true });
      const wanted = ratio === "taken" || ratioOf(ratio, 1) < 1 === this.standing() ? ratio : swapped(ratio);
      return this.reshape(wanted, false);
    },
    /** Another ratio; the frame stays about as large. */
    reshape(ratio, free) {
      const { around, planes, turned } = this.laid();
      const number = ratioOf(ratio, turned.width / turned.height);
      const area = Math.sqrt(around.a * around.b * number);
      const full = this.frame().size >= 100;
      const size = full ? 100 : clamp(rounded((100 * area) / largest(planes, number)), 2, 100);
      return this.settleWith({ ratio, free, size });
    },
    typeRatio(event) {
      const text = event.target.value.trim().replace(/\s/g, "").replace(/[x×/]/, ":").replaceAll(",", ".");
      const number = ratioOf(text, 1);
      if (!(number >= 1 / widest && number <= widest)) {
        say(`A ratio is two numbers, such as 5:7, and no side is more than ${widest} times the other.`);
        event.target.value = this.ratioShown();
        return;
      }
      this.reshape(text, false);
    },
    /** The present ratio, in the way one would type it. */
    ratioShown() {
      const { ratio, free } = this.frame();
      const { around } = this.laid();
      if (free || ratio === "taken") return around.a >= around.b ? `${tidy(around.a / around.b)}:1` : `1:${tidy(around.b / around.a)}`;
      return ratio;
    },
    standing() {
      const { around } = this.laid();
      return around.b > around.a;
    },
    swapRatio() {
      const { ratio, free } = this.frame();
      const { turned } = this.laid();
      const now = ratio === "taken" ? `${turned.width}:${turned.height}` : ratio;
      this.reshape(swapped(now), free);
    },

    // quarter turns and mirror
    turn(quarters) {
      const frame = copy(this.frame());
      const way = frame.mirrored ? -quarters : quarters;
      frame.turned = TURNS[(TURNS.indexOf(frame.turned) + way + 4) % 4];
      if (quarters % 2 && frame.ratio !== "taken") frame.ratio = swapped(frame.ratio);
      Object.assign(frame, turnedCamera(frame, quarters));
      this.settleWith(frame);
    },
    mirror() {
      const { mirrored, angle, swing } = this.frame();
      this.settleWith({ mirrored: !mirrored, angle: -angle || 0, swing: -swing || 0 });
    },
    chooseGuides(kind) {
      this.guides = this.guides === kind ? "none" : kind;
      localStorage.setItem(GUIDES, this.guides);
      this.draw();
    },

    /** A frame on the canvas, as values of the recipe. @param {number|null} ratio where it is free */
    take(around, ratio) {
      const now = this.laid();
      const values = {};
      let number = now.ratio;
      if (ratio !== null) {
        number = clamp(ratio, 1 / widest, widest);
        values.ratio = number >= 1 ? `${tidy(number)}:1` : `1:${tidy(1 / number)}`;
        number = ratioOf(values.ratio, 1);
      }
      const { x, y } = now.share([around.x, around.y]);
      values.centre = [rounded(clamp(x, 0, 1), 1e5), rounded(clamp(y, 0, 1), 1e5)];
      values.size = clamp(rounded((100 * around.a) / largest(now.planes, number)), 2, now.frame.inside ? 100 : 200);
      this.set(values);
    },
    toggleInside() {
      const { inside, size } = this.frame();
      this.settleWith({ inside: !inside, size: inside ? size : Math.min(size, 100) });
    },

    // level and lines
    draws(what) {
      this.drawing = this.drawing === what ? "" : what;
      this.aim = null;
      if (!this.drawing || !document.activeElement?.matches(":focus-visible")) return;
      const { width, height } = bench.parts.picture.view.size; // by keys: a crosshair that arrows move
      this.aim = { x: width / 2, y: height / 2, from: null };
      bench.parts.picture.surround.focus({ preventScroll: true });
    },
    endDrawing() {
      this.drawing = "";
      this.aim = null;
    },
    /** The crosshair by which keys draw a line, in CSS pixels on the surround. @type {{x: number, y: number, from: any}|null} */
    aim: null,
    /** @param {KeyboardEvent} event */
    aimKey(event) {
      if (!this.aim || !this.drawing) return false;
      const { board, picture } = bench.parts;
      const by = ARROWS[event.key];
      if (by) {
        const far = nudged(event);
        const { width, height } = picture.view.size;
        this.aim = { ...this.aim, x: clamp(this.aim.x + by[0] * far, 0, width), y: clamp(this.aim.y + by[1] * far, 0, height) };
        if (this.aim.from) board.draftLine(this.aim.from, this.aim);
      } else if (event.key === "Enter" && !this.aim.from) this.aim = { ...this.aim, from: { x: this.aim.x, y: this.aim.y } };
      else if (event.key === "Enter") {
        board.endLine(this.drawing, this.aim.from, this.aim);
        this.aim = null;
      } else return false;
      return true;
    },
    drawingWords() {
      if (this.aim) return `Arrows move the crosshair; Enter ${this.aim.from ? "ends the line" : "begins a line"} here (Escape to leave)`;
      return {
        line: "Draw along something that should be level or upright (Escape to leave)",
        plumb: "Draw along an edge that should be upright (Escape to leave)",
        level: "Draw along an edge that should be level (Escape to leave)",
      }[this.drawing] || "";
    },
    async drawn(kind, ends) {
      const line = ends.map(({ x, y }) => [rounded(clamp(x, 0, 1), 1e5), rounded(clamp(y, 0, 1), 1e5)]);
      if (Math.hypot(line[0][0] - line[1][0], line[0][1] - line[1][1]) < shortest) {
        say("A line needs two ends that lie apart: press, drag along the edge, and let go.");
        return;
      }
      if (kind === "line") {
        this.endDrawing();
        await this.find("level", { line }, ({ frame }) => `Turned by ${shown(frame.angle)}°.`);
        return;
      }
      if (this.frame()[kind].length >= mostLines) {
        say(`There can be ${mostLines} of these lines at the most.`);
        return;
      }
      this.set({ [kind]: [...this.frame()[kind], line] });
      await this.linesDone();
    },
    bent(kind, number, end, { x, y }) {
      const lines = copy(this.frame()[kind]);
      const before = lines[number][1 - end];
      const to = [rounded(clamp(x, 0, 1), 1e5), rounded(clamp(y, 0, 1), 1e5)];
      if (Math.hypot(to[0] - before[0], to[1] - before[1]) < shortest) return;
      lines[number][end] = to;
      this.set({ [kind]: lines });
    },
    dropped(kind, number) {
      this.set({ [kind]: this.frame()[kind].filter((_, place) => place !== number) });
      this.linesDone();
    },
    /** Lines were laid or moved: set the picture right by them. */
    async linesDone() {
      const { plumb, level } = this.frame();
      if (!plumb.length && !level.length) {
        this.clearLines();
        return;
      }
      again = this.busyWith !== ""; // another line was laid meanwhile: it is set right after the first
      await this.find("set-right", {}, null);
    },
    hasLines() {
      const { plumb, level, tip, swing } = this.frame();
      return Boolean(plumb.length || level.length || tip || swing);
    },
    linesWords() {
      const { plumb, level } = this.frame();
      const next = plumb.length + level.length === 1 ? ": lay one more" : "";
      return [plumb.length && `${plumb.length} upright`, level.length && `${level.length} level`].filter(Boolean).join(", ") + next;
    },
    clearLines() {
      this.settleWith({ plumb: [], level: [], tip: 0, swing: 0 });
    },
    findLevel() {
      return this.find("find-level", {}, ({ frame, words }) => (frame.angle === undefined ? words : `Turned by ${shown(frame.angle)}°: ${words}.`));
    },
    findUprights() {
      return this.find("find-uprights", {}, ({ frame, words }) => (frame.plumb ? `${frame.plumb.length} upright lines laid: ${words}. Move them where they do not fit.` : words));
    },
    /**
     * Ask the server for values of the frame, or of another part of Prepare; one undo step.
     * @param {string} what @param {any} body beside the recipe
     * @param {((found: any) => string)|null} said @param {"frame"|"lens"} [part] @param {(found: any) => void} [take]
     */
    async find(what, body, said, part = "frame", take = ({ frame }) => Object.assign(this.frame(), frame)) {
      if (this.busyWith) return;
      this.busyWith = what;
      bench.frame.waiting = true;
      try {
        const found = await ask("POST", address(what), { recipe: copy(bench.work.recipe), ...body });
        const before = copy(bench.work.recipe.prepare[part]);
        take(found);
        this.changed();
        const moved = !same(before, bench.work.recipe.prepare[part]);
        if (moved || !said) bench.work.settle();
        else bench.frame.waiting = false;
        if (said && moved) bench.work.tellStep(said(found));
        else if (said) say(said(found));
      } catch (problem) {
        bench.frame.waiting = false;
        say(problem.message);
        if (!said) bench.work.settle(); // the line itself stays, to be moved
      }
      this.busyWith = "";
      if (again) await this.linesDone();
    },

    // lens
    findSideFringes() {
      return this.find("side-fringes", {}, ({ words }) => words, "lens", ({ lens }) => {
        const { lens: now } = bench.work.recipe.prepare;
        const known = now.use_known ? now.known : { red: 0, blue: 0 };
        const { "prepare.lens.red": { low, high } } = bench.vocabulary.settings;
        // what is known of the lens is undone already: by hand only the rest
        for (const [name, percent] of Object.entries(lens)) now[name] = rounded(clamp(percent - known[name], low, high), 1e3);
      });
    },
    async askLens() {
      if (lensAsked) return;
      lensAsked = true;
      try {
        const { known, words } = await ask("GET", address("lens"));
        this.known = known;
        this.lensWords = words;
      } catch (problem) {
        lensAsked = false;
        this.lensWords = problem.message;
      }
    },
    lensKnown() {
      return Boolean(this.known || bench.work.recipe.prepare.lens.known.name);
    },
    lensUsed() {
      const { known, use_known: used } = bench.work.recipe.prepare.lens;
      return used && known.name !== "";
    },
    toggleLens() {
      const { lens } = bench.work.recipe.prepare;
      if (this.lensUsed()) lens.use_known = false;
      else Object.assign(lens, { use_known: true, known: copy(lens.known.name ? lens.known : this.known) });
      this.changed();
      bench.work.settle();
    },
    lensTitle() {
      const { known } = bench.work.recipe.prepare.lens;
      return known.name ? `As known for ${known.name}.` : this.lensWords;
    },

    // places
    /** From shares of what is framed to shares of the picture as it was taken, and back. */
    taken(at) {
      return this.laid().taken(at);
    },
    framed(at) {
      return this.laid().framed(at);
    },
    /** A press on the board while a pin is to be put. */
    picked(at) {
      if (bench.spots.mode !== "pin") return false;
      bench.pins.putPin(this.framed(at));
      return true;
    },
    /** The place under a pointer, in shares of the picture as it was taken; null outside what is seen. */
    placeAt(event) {
      const { board, picture } = bench.parts;
      if (board.shown) return this.laid().share(board.canvasAt(event));
      const at = picture.locate(event);
      return at && this.taken(picture.shares(at));
    },
    /** Where a place of the picture as it was taken is seen, in CSS pixels; null where it is not. */
    placeOf(at) {
      const { board, picture } = bench.parts;
      const { x, y } = this.framed(at);
      if (board.shown) {
        const { right } = this.laid();
        const [across, down] = board.screen(right.canvas([at.x * right.file.width, at.y * right.file.height]));
        return { x: across, y: down };
      }
      return x < 0 || y < 0 || x > 1 || y > 1 ? null : picture.placeOf(picture.point({ x, y }));
    },
  };
}

const rounded = (value, by = DECIMALS) => Math.round(value * by) / by;
const tidy = (number) => String(Math.round(number * DECIMALS) / DECIMALS);
const shown = (degrees) => (Math.round(degrees * 100) / 100).toString().replace("-", "−");

/** The ratio of the other way up. */
function swapped(ratio) {
  return ratio === "taken" || ratio === "free" ? ratio : ratio.split(":").reverse().join(":");
}

/** Tip, swing and lines after quarter turns: what was upright lies level then. */
function turnedCamera({ tip, swing, uprights, levels, plumb, level }, quarters) {
  if (quarters % 2 === 0) return { tip: -tip || 0, swing: -swing || 0 };
  const way = quarters > 0 ? 1 : -1;
  return { tip: -way * swing || 0, swing: way * tip || 0, uprights: levels, levels: uprights, plumb: level, level: plumb };
}
