// The wall: two to nine states of this photograph side by side, with one place and one zoom.
import { say } from "../api.js";
import { drawGreys } from "./greys.js";
import { clamp, copy, percent, same } from "./paths.js";
import { dragged } from "./pointer.js";
import { follow } from "./svg.js";
import { nextTick } from "./ticks.js";

export const MOST_PINNED = 9;
const ZOOMS = /** @type {("fit"|number)[]} */ (["fit", 0.5, 1]);
/** Frames that are asked for at a time. */
const AT_ONCE = 2;
const WHEEL_MS = 150;
const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
const PAN_STEP = 0.2;

/** @typedef {{key: string, words: string, recipe: any}} Pinned */

/**
 * What is pinned up side by side.
 * @param {Pick<import("./bench.js").Bench, "compare" | "parts" | "photograph" | "root" | "strips" | "version" | "work">} bench
 */
export function pinningUp(bench) {
  const memory = `oatmeal-wall-${bench.photograph.id}`;
  /** Ends what is asked for. @type {AbortController|null} */
  let asking = null;
  /** @type {ResizeObserver|null} */
  let sizing = null;
  let turned = 0;
  /** How large the wall was. */
  let measured = "";
  return {
    open: false,
    /** @type {Pinned[]} */
    pinned: JSON.parse(sessionStorage.getItem(memory) || "[]"),
    /** @type {"fit"|number} */
    zoom: "fit",
    zooms: ZOOMS,
    /** What is in the middle of every tile, in shares. */
    centre: { x: 0.5, y: 0.5 },

    keep() {
      try {
        sessionStorage.setItem(memory, JSON.stringify(this.pinned));
      } catch {
        say("The wall is too large to be kept over a reload; until then all of it hangs here.");
      }
    },
    /** The tiles: what is pinned, and the picture as it is now. */
    tiles() {
      return [{ key: "now", words: "now", recipe: null }, ...this.pinned];
    },
    mayPin() {
      return this.pinned.length < MOST_PINNED - 1;
    },
    /** @param {string} words @param {any} recipe */
    pin(words, recipe) {
      if (!this.mayPin()) {
        say(`The wall holds ${MOST_PINNED} pictures with the present one: take one away first.`);
        return;
      }
      const twin = this.pinned.find((one) => same(one.recipe, recipe));
      if (twin) {
        say(`It hangs there already, as “${twin.words}”.`);
        return;
      }
      this.pinned.push({ key: crypto.randomUUID(), words, recipe: copy(recipe) });
      this.keep();
      if (this.open) this.hang();
      else say(`“${words}” hangs on the wall, ${this.pinned.length + 1} with the present picture.`, "Show the wall", () => this.show());
    },
    /** A version, or a state of the history. @param {string} words @param {string} source */
    async pinSource(words, source) {
      try {
        this.pin(words, await bench.compare.recipeOf(source));
      } catch (problem) {
        say(problem.message);
      }
    },
    pinNow() {
      this.pin(`now, ${new Date().toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })}`, bench.work.recipe);
    },
    /** @param {string} key */
    takeAway(key) {
      const place = this.pinned.findIndex((one) => one.key === key);
      if (place < 0) return;
      const [gone] = this.pinned.splice(place, 1);
      this.keep();
      say(`“${gone.words}” was taken from the wall.`, "Undo", () => {
        this.pinned.splice(place, 0, gone);
        this.keep();
        if (this.open) this.hang();
      });
      this.hang();
    },
    toggle() {
      if (this.open) this.leave();
      else this.show();
    },
    show() {
      if (!this.pinned.length) {
        say("Nothing hangs on the wall: pin a recipe or start from its drawer, a state from History, or a version from its menu.");
        return;
      }
      if (bench.strips.strip) bench.strips.leaveStrip();
      if (bench.compare.comparing) bench.compare.leaveCompare();
      this.open = true;
      this.hang();
      nextTick(() => this.tileOf("now")?.focus({ preventScroll: true }));
      sizing ??= new ResizeObserver(([{ contentRect: { width, height } }]) => {
        const size = `${width} ${height}`;
        if (this.open && measured && measured !== size) this.hang(); // it tells the first size, too
        measured = size;
      });
      nextTick(() => sizing?.observe(/** @type {Element} */ (bench.root.querySelector(".wall"))));
    },
    leave() {
      asking?.abort();
      sizing?.disconnect();
      measured = "";
      this.open = false;
      bench.parts.picture.surround.focus({ preventScroll: true });
    },
    /** @param {string} key @returns {HTMLElement|null} */
    tileOf(key) {
      return bench.root.querySelector(`[data-tile="${key}"]`);
    },
    columns() {
      const count = this.tiles().length;
      return count <= 3 ? count : count === 4 ? 2 : count <= 6 ? 3 : count <= 8 ? 4 : 3;
    },
    wallStyle() {
      return { "grid-template-columns": `repeat(${this.columns()}, minmax(0, 1fr))` };
    },
    /** What of the file is seen in a tile of this size. @param {{width: number, height: number}} room in device pixels */
    seen({ width, height }) {
      const { file } = bench.parts.picture;
      const whole = { side: Math.round(Math.max(file.width, file.height) * Math.min(width / file.width, height / file.height)), region: null };
      if (this.zoom === "fit") return whole;
      const part = (/** @type {number} */ share, /** @type {number} */ all, /** @type {number} */ px) => {
        const long = Math.min(all, Math.round(px / Number(this.zoom)));
        return [Math.round(clamp(share * all - long / 2, 0, all - long)), long];
      };
      const [x, wide] = part(this.centre.x, file.width, width);
      const [y, high] = part(this.centre.y, file.height, height);
      return { side: whole.side, region: [x, y, wide, high] };
    },
    /** Draw every tile as it is seen now; what was asked for before is not wanted any more. */
    hang() {
      asking?.abort();
      const here = new AbortController();
      asking = here;
      nextTick(() => {
        const left = this.tiles();
        const next = async () => {
          for (let tile = left.shift(); tile && !here.signal.aborted; tile = left.shift()) await this.draw(tile, here.signal);
        };
        for (let lane = 0; lane < AT_ONCE; lane += 1) next();
      });
    },
    /** The picture was worked on while the wall hangs: its own tile follows. */
    nowChanged() {
      if (this.open && asking) this.draw(this.tiles()[0], asking.signal);
    },
    /** @param {Pinned} tile @param {AbortSignal} signal */
    async draw(tile, signal) {
      const canvas = /** @type {HTMLCanvasElement|null} */ (this.tileOf(tile.key)?.querySelector("canvas"));
      const { width, height } = canvas?.parentElement?.getBoundingClientRect() ?? { width: 0, height: 0 };
      if (!canvas || !width || !height) return;
      const { density } = bench.parts.picture.view;
      const recipe = tile.recipe ? bench.compare.inPresentFrame(tile.recipe) : copy(bench.work.recipe);
      const wish = { recipe, layers: ["grey"], ...this.seen({ width: width * density, height: height * density }) };
      try {
        const frame = await bench.parts.frames.fetch(wish, signal);
        if (signal.aborted) return;
        drawGreys(canvas, frame);
        const scale = this.zoom === "fit" ? 1 / density : Number(this.zoom) / density;
        Object.assign(canvas.style, { width: `${frame.width * scale}px`, height: `${frame.height * scale}px`, transform: "" });
      } catch (problem) {
        if (problem.name !== "AbortError") say(problem.message);
      }
    },
    /** @param {"fit"|number} zoom */
    zoomTo(zoom) {
      this.zoom = zoom;
      this.hang();
    },
    /** @param {number} way */
    zoomStep(way) {
      const next = ZOOMS[ZOOMS.indexOf(this.zoom) + way];
      if (next) this.zoomTo(next);
    },
    zoomName(zoom) {
      return zoom === "fit" ? "Fit" : percent(zoom, 0);
    },
    wheel(event) {
      if (Date.now() - turned < WHEEL_MS || !event.deltaY) return;
      turned = Date.now();
      this.zoomStep(event.deltaY < 0 ? 1 : -1);
    },
    /** Move what all tiles show by CSS pixels. @param {number} x @param {number} y */
    moveBy(x, y) {
      if (this.zoom === "fit") return;
      const { file, view } = bench.parts.picture;
      const scale = Number(this.zoom) / view.density;
      this.centre = { x: clamp(this.centre.x + x / scale / file.width, 0, 1), y: clamp(this.centre.y + y / scale / file.height, 0, 1) };
    },
    /** A press on a tile makes it the picture; a drag moves all of them. @param {PointerEvent & {currentTarget: HTMLElement}} event @param {Pinned} tile */
    grab(event, tile) {
      if (event.button !== 0) return;
      event.preventDefault();
      event.currentTarget.focus({ preventScroll: true });
      const canvases = /** @type {HTMLElement[]} */ ([...bench.root.querySelectorAll(".wall canvas")]);
      let last = event;
      let moved = false;
      follow(event.currentTarget, event, (next) => {
        moved ||= dragged(event, next);
        if (!moved || this.zoom === "fit") return;
        this.moveBy(last.clientX - next.clientX, last.clientY - next.clientY);
        last = next;
        for (const canvas of canvases) canvas.style.transform = `translate(${next.clientX - event.clientX}px, ${next.clientY - event.clientY}px)`;
      }, (ended) => {
        if (moved) this.hang();
        else if (ended.type === "pointerup") this.choose(tile);
      });
    },
    /** @param {KeyboardEvent} event @param {Pinned} tile */
    key(event, tile) {
      const by = ARROWS[/** @type {keyof typeof ARROWS} */ (event.key)];
      if (event.key === "Enter" || event.key === " ") this.choose(tile);
      else if (event.key === "Delete") this.takeAway(tile.key);
      else if (by && this.zoom !== "fit") {
        const room = /** @type {HTMLElement} */ (event.currentTarget).getBoundingClientRect();
        this.moveBy(by[0] * room.width * PAN_STEP, by[1] * room.height * PAN_STEP);
        this.hang();
      } else if (by) {
        const all = /** @type {HTMLElement[]} */ ([...bench.root.querySelectorAll("[data-tile]")]);
        const to = all.indexOf(/** @type {HTMLElement} */ (event.currentTarget)) + by[0] + by[1] * this.columns();
        all[to]?.focus();
      } else return;
      event.preventDefault();
      event.stopPropagation();
    },
    /** @param {Pinned} tile */
    choose(tile) {
      this.leave();
      if (!tile.recipe) return;
      bench.work.adopt({ ...bench.compare.inPresentFrame(tile.recipe), name: bench.work.recipe.name });
      bench.work.settle();
      bench.work.tellStep(`“${tile.words}” is the picture now.`);
    },
    words() {
      const count = this.tiles().length;
      return `${count} on the wall · same place, same zoom · press one to make it the picture · Delete takes it away`;
    },
    chipWords() {
      return `Wall: ${this.tiles().length}`;
    },
  };
}
