// The light of the colour picture: the point of light, neutral here, Find, Begin, and what is shown meanwhile.
import { ask, say } from "../api.js";
import { kelvinOf } from "./lightfield.js";
import { clamp, copy } from "./paths.js";
import { follow } from "./svg.js";
import { dragged } from "./pointer.js";

/** Pixels of a drag on the picture for a mired, and for a step of tint. */
const PX_A_STEP = 2;
const FINE = 0.2;
const SHOWN_AS = "oatmeal-prepare-shown-in";

/**
 * The light of the colour picture.
 * @param {Pick<import("./bench.js").Bench, "areas" | "clean" | "crop" | "finish" | "frame" | "parts" | "photograph" | "sight" | "spots" | "strips" | "vocabulary" | "work">} bench
 */
export function lighting(bench) {
  const { settings } = bench.vocabulary;
  const address = (what) => `/api/photographs/${bench.photograph.id}/${what}`;
  return {
    busyWith: "",
    /** What is shown while a group of Prepare is open: colour first, grey first for threads. @type {Object<string, "prepared"|"grey">} */
    shownIn: { frame: "prepared", light: "prepared", threads: "grey", clean: "prepared", ...JSON.parse(sessionStorage.getItem(SHOWN_AS) || "{}") },

    /** @returns {"prepared"|"grey"} */
    shown() {
      return this.shownIn[bench.crop.group];
    },
    /** The layer of the open step: the colour picture where that is worked on, a mask alone; a test strip is of greys. */
    layer() {
      if (bench.strips.strip) return "grey";
      if (bench.areas.isOpen() && bench.areas.alone && bench.areas.one()) return "mask";
      if (bench.finish.isOpen() && bench.finish.masking) return "edges";
      return bench.work.step === "prepare" ? this.shown() : "grey";
    },
    /** @param {"prepared"|"grey"} layer */
    show(layer) {
      this.shownIn[bench.crop.group] = layer;
      sessionStorage.setItem(SHOWN_AS, JSON.stringify(this.shownIn));
      this.look();
    },
    /** Show what the open step works on. */
    look() {
      bench.sight.show(this.layer());
      bench.frame.ask(false);
      bench.parts.field.draw();
      bench.crop.draw();
      if (bench.work.step === "prepare") bench.crop.askLens();
      bench.clean.look();
      bench.areas.draw();
      bench.finish.look();
    },
    kelvinWords() {
      const { warmth } = bench.work.recipe.prepare.light;
      return warmth === 0 ? "daylight, 6500 K" : `${Math.round(kelvinOf(warmth) / 10) * 10} K`;
    },
    raw: bench.photograph.developer !== "",
    /** True while a raw file's tones are those that its camera meant. */
    meant() {
      return bench.work.recipe.prepare.light.camera.length > 2;
    },
    flat() {
      bench.work.recipe.prepare.light.camera = copy(bench.work.rest.prepare.light.camera);
      bench.work.settle();
    },
    async asMeant() {
      if (this.busyWith) return;
      this.busyWith = "camera-look";
      bench.frame.waiting = true;
      try {
        const { camera } = await ask("GET", address("camera-look"));
        bench.work.recipe.prepare.light.camera = camera;
        bench.work.settle();
      } catch (problem) {
        bench.frame.waiting = false;
        say(problem.message);
      }
      this.busyWith = "";
    },
    /** What made colours of the raw file, when this version was begun and now. */
    developedWords() {
      const { developed } = bench.work.recipe.prepare.lens;
      const { developer } = bench.photograph;
      if (!developed || developed === developer) return `developed by ${developer}`;
      return `begun with ${developed}; now ${developer}: colours may differ a little`;
    },
    move(warmth, tint) {
      Object.assign(bench.work.recipe.prepare.light, { warmth, tint });
      bench.work.changing();
    },
    /** Ask the server for a light; `said` makes the line from the answer. */
    async find(what, body, said) {
      if (this.busyWith) return;
      this.busyWith = what;
      bench.frame.waiting = true;
      try {
        const found = await ask("POST", address(what), { recipe: copy(bench.work.recipe), ...body });
        const light = { ...bench.work.recipe.prepare.light, ...found.light };
        const same = JSON.stringify(light) === JSON.stringify(bench.work.recipe.prepare.light);
        if (!same) {
          bench.work.recipe.prepare.light = light;
          bench.work.settle();
          bench.work.tellStep(said(found));
        } else {
          bench.frame.ask(false);
          say(said(found));
        }
      } catch (problem) {
        bench.frame.waiting = false;
        say(problem.message);
      }
      this.busyWith = "";
    },
    begin() {
      return this.find("begin", {}, ({ words }) => `Begin: ${words}.`);
    },
    findLight() {
      return this.find("light", {}, ({ light, words }) => (light ? `Light of ${this.kelvinWords()}: ${words}.` : words));
    },
    neutralHere(at) {
      bench.spots.mode = "";
      return this.find("neutral", at, () => `This place is neutral now: light of ${this.kelvinWords()}.`);
    },
    /** On the picture: sideways moves the warmth of the light, up and down its green. */
    drag(event) {
      const { surround } = bench.parts.picture;
      const begun = copy(bench.work.recipe.prepare.light);
      const { "prepare.light.warmth": warmth, "prepare.light.tint": tint } = settings;
      let last = event;
      let moved = false;
      const by = { x: 0, y: 0 };
      surround.focus({ preventScroll: true });
      follow(surround, event, (next) => {
        const fine = next.shiftKey ? FINE : 1;
        by.x += ((next.clientX - last.clientX) / PX_A_STEP) * fine;
        by.y += ((last.clientY - next.clientY) / PX_A_STEP) * fine;
        last = next;
        moved ||= dragged(event, next);
        if (!moved) return;
        const across = clamp(begun.warmth + by.x, warmth.low, warmth.high);
        this.move(Math.round(across), Math.round(clamp(begun.tint + by.y, tint.low, tint.high)));
      }, (ended) => {
        if (!moved) return;
        if (ended.type === "pointercancel") Object.assign(bench.work.recipe.prepare.light, begun);
        bench.work.settle();
      });
    },
  };
}
