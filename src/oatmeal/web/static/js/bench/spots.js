// On the picture: drag to lift what is under the pointer, and clicks that pick something.
import { ask, say } from "../api.js";
import { clamp, copy } from "./paths.js";
import { within } from "./settings.js";
import { follow } from "./svg.js";
import { ARROWS, dragged, nudged } from "./pointer.js";

const PX_PER_STOP = 90;
const FINE = 0.2;

/**
 * What a press on the picture does, and the drag that lifts what is under the pointer.
 * @param {Pick<import("./bench.js").Bench, "areas" | "clean" | "compare" | "crop" | "finish" | "frame" | "kept" | "light" | "limits" | "masks" | "parts" | "photograph" | "picked" | "pins" | "sight" | "strips" | "threads" | "tone" | "vocabulary" | "work">} bench
 */
export function spotting(bench) {
  const { settings } = bench.vocabulary;
  const shares = (at) => bench.parts.picture.shares(at);
  return {
    mode: "",
    dragLifts: false,
    /** A press on the picture; true if it is dealt with here. */
    press(event, at) {
      if (bench.strips.strip) return bench.strips.stripPressed();
      if (this.mode === "stroke") this.endWay(); // the pointer draws it
      if (this.mode === "pick") this.pickHere(shares(at));
      else if (this.mode === "keep") bench.kept.keepHere(shares(at));
      else if (this.mode === "pin") bench.pins.putPin(shares(at));
      else if (this.mode === "black" || this.mode === "white") bench.tone.pointHere(this.mode, shares(at));
      else if (this.mode === "neutral") bench.light.neutralHere(shares(at));
      else if (this.mode === "patch") (bench.finish.isOpen() ? bench.finish : bench.clean).patchHere(shares(at));
      else if (bench.clean.isOpen() && bench.work.recipe.prepare.on && !bench.compare.comparing) bench.clean.press(event);
      else if (bench.work.step === "prepare" && bench.work.recipe.prepare.on && bench.sight.zoom === "fit") {
        if (bench.crop.group === "threads") bench.threads.drag(event, shares(at));
        else if (bench.crop.group !== "clean") bench.light.drag(event);
      }
      else if (bench.areas.works()) return bench.masks.press(event, shares(at)) && this.taken(event);
      else if (bench.finish.aims() && bench.sight.zoom === "fit") bench.finish.press(event);
      else if (bench.work.step === "mix" && bench.work.recipe.mix.on && (bench.sight.zoom === "fit" || this.dragLifts)) this.dragSpot(event, shares(at), "mix");
      else if (bench.work.step === "tone" && bench.work.recipe.tone.on && (bench.sight.zoom === "fit" || this.dragLifts)) this.dragSpot(event, shares(at), "tone");
      else return false;
      return this.taken(event);
    },
    /** A press beside the picture: shapes of areas may begin there. @param {PointerEvent} event */
    beyond(event) {
      if (this.mode || event.pointerType === "touch" || !bench.areas.works() || !bench.masks.shapes()) return false;
      bench.masks.shape(event);
      return this.taken(event);
    },
    taken(event) {
      event.preventDefault();
      return true;
    },
    setMode(mode) {
      if (this.way.length) this.endWay();
      this.mode = this.mode === mode ? "" : mode;
      this.aim = null;
      if (!this.mode || !document.activeElement?.matches(":focus-visible")) return;
      this.aim = bench.parts.picture.middle(); // by keys: a crosshair that arrows move and Enter sets
      this.readAim();
      bench.parts.picture.surround.focus({ preventScroll: true });
    },
    /** Where the crosshair stands, in the picture's pixels. @type {{x: number, y: number}|null} */
    aim: null,
    aiming() {
      return this.mode !== "" && this.aim !== null;
    },
    /** @param {KeyboardEvent} event */
    aimKey(event) {
      if (!this.aiming() || !this.aim) return false;
      const { file, view } = bench.parts.picture;
      if (event.key === "Enter") {
        this.aimed(event);
        return true;
      }
      const by = ARROWS[event.key];
      if (!by) return false;
      const far = nudged(event) / view.scale;
      this.aim = { x: clamp(this.aim.x + by[0] * far, 0, file.width - 1), y: clamp(this.aim.y + by[1] * far, 0, file.height - 1) };
      this.readAim();
      if (this.way.length) {
        this.way.push(this.aim);
        bench.masks.sketchWay(this.way);
      }
      return true;
    },
    /** Enter: what a click there does; a stroke or a shape is begun, and ended. @param {KeyboardEvent} event */
    aimed(event) {
      const at = /** @type {{x: number, y: number}} */ (this.aim);
      if (this.mode !== "stroke") {
        this.aim = null;
        this.press(event, at);
      } else if (!this.way.length) {
        this.way = [at];
        bench.masks.sketchWay(this.way);
      } else {
        const way = this.way;
        this.endWay();
        bench.masks.drawWay(way);
      }
    },
    /** Places that a stroke by keys has gone through. @type {{x: number, y: number}[]} */
    way: [],
    endWay() {
      this.way = [];
      this.mode = "";
      this.aim = null;
      bench.parts.overlay?.sketch(null);
    },
    /** A stroke or a shape by keys: a crosshair that arrows move. */
    aimStroke() {
      this.way = [];
      this.mode = "stroke";
      this.aim = bench.parts.picture.middle();
      bench.parts.picture.surround.focus({ preventScroll: true });
    },
    readAim() {
      const { picture } = bench.parts;
      if (this.aim) bench.sight.meter(picture.values(this.aim));
    },
    aimStyle() {
      if (bench.crop.aim) return { left: `${bench.crop.aim.x}px`, top: `${bench.crop.aim.y}px` };
      if (!this.aim) return {};
      const { x, y } = bench.parts.picture.placeOf(this.aim);
      return { left: `${x}px`, top: `${y}px` };
    },
    modeWords() {
      const what = {
        pick: "a colour in the picture", keep: "the colour that should be kept", pin: "where the pin should stand",
        black: "the tone that should become black", white: "the tone that should become white",
        neutral: "something that should be grey", patch: "what the patches should show",
      }[this.mode];
      if (this.mode === "stroke") return `Arrows move the crosshair; Enter ${this.way.length ? "ends" : "begins"} here (Escape to leave)`;
      if (!what) return "";
      if (this.aiming()) return `Find ${what}: arrows move the crosshair, Enter sets (Escape to leave)`;
      return bench.sight.touch ? `Touch ${what}` : `Click ${what} (Escape to leave)`;
    },
    async pickHere(at) {
      this.mode = "";
      bench.frame.waiting = true;
      try {
        await bench.picked.pickAt(at);
      } catch (problem) {
        bench.frame.waiting = false;
        say(problem.message);
      }
    },
    /** Lifts are for colours: a place without any is picked, or an area is drawn. @param {{x: number, y: number}} at */
    hardlyAnswers(at) {
      const words = "This spot has hardly any colour of its own: whole ranges would move for it. Pick it as a colour, or draw an area.";
      if (bench.picked.mayPick()) say(words, "Pick it", () => this.pickHere(at));
      else say(words);
    },
    spotAt(at) {
      return ask("POST", `/api/photographs/${bench.photograph.id}/spot`, { recipe: copy(bench.work.recipe), ...at });
    },
    /** Up lightens what is under the pointer, down darkens it: its ranges in Mix, its zones in Tone. @param {"mix"|"tone"} step */
    dragSpot(event, at, step) {
      const { map, picture } = bench.parts;
      const inTone = step === "tone";
      const key = inTone ? "zones" : "lifts";
      const begun = copy(bench.work.recipe[step][key]);
      const moves = () => (inTone ? spot.zones : spot.per_stop);
      const light = () => inTone || map.light(Object.keys(spot.per_stop));
      let spot = null;
      let stops = 0;
      let last = event;
      let moved = false;
      const move = () => {
        if (!spot || !moved) return;
        for (const [name, share] of Object.entries(moves())) {
          bench.work.recipe[step][key][name] = within(settings[`${step}.${key}.${name}`], begun[name] + stops * share);
        }
        bench.work.changing();
      };
      const asked = this.spotAt(at).then((found) => {
        spot = found;
        if (moved) light();
        move();
      });
      asked.catch((problem) => say(problem.message));
      picture.surround.focus({ preventScroll: true });
      follow(picture.surround, event, (next) => {
        stops += ((last.clientY - next.clientY) / PX_PER_STOP) * (next.shiftKey ? FINE : 1);
        last = next;
        if (!moved && !dragged(event, next)) return;
        if (!moved) {
          moved = true;
          bench.frame.touching = [at.x, at.y];
        }
        if (spot) light();
        move();
      }, async (ended) => {
        await asked.catch(() => {});
        const mine = bench.frame.touching;
        if (!inTone && moved && spot && ended.type !== "pointercancel") {
          bench.work.settle();
          await bench.limits.known();
          if (bench.frame.touching !== mine) return; // another drag has begun
        }
        const elsewhere = !inTone && bench.limits.reachesElsewhere(at);
        bench.frame.touching = null;
        map.light([]);
        picture.outline(null);
        if (!moved || !spot) return;
        if (ended.type === "pointercancel") {
          bench.work.recipe[step][key] = begun;
          bench.frame.ask(false);
          return;
        }
        if (!Object.keys(moves()).length) {
          this.hardlyAnswers(at);
          return;
        }
        bench.work.settle();
        if (elsewhere) bench.limits.offer(at, begun);
      });
    },
  };
}
