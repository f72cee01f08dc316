// On the picture: drag to lift what is under the pointer, pick colours, and pins.
import { ask, say } from "../api.js";
import { clamp, copy } from "./paths.js";
import { follow } from "./svg.js";

const PX_PER_STOP = 90;
const FINE = 0.2;
const MOVED_PX = 3;
const REACH_SHOWN_MS = 3000;
const MOST_PINS = 8;
const PIN_STEPS = { ArrowUp: 0.1, ArrowDown: -0.1, PageUp: 0.5, PageDown: -0.5 };
const PIN_MOVES = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

/**
 * The part of the bench that acts on the picture itself.
 * @param {any} photograph @param {any} version @param {() => any} parts picture, map and frames
 */
export function spotting(photograph, version, parts) {
  const shares = (at) => ({ x: at.x / photograph.width, y: at.y / photograph.height });
  return {
    mode: "",
    dragLifts: false,
    pickedOpen: null,
    pins: copy(version.pins),
    pinsAt: [],
    pinReadings: [],
    pinsOpen: version.pins.length > 0,

    /** A press on the picture; true if it is dealt with here. */
    press(event, at) {
      if (this.strip) return this.stripPressed(at);
      if (this.mode === "pick") this.pickHere(shares(at));
      else if (this.mode === "pin") this.putPin(shares(at));
      else if (this.mode === "black" || this.mode === "white") this.pointHere(this.mode, shares(at));
      else if (this.step === "mix" && this.recipe.mix.on && (this.zoom === "fit" || this.dragLifts)) this.dragSpot(event, shares(at));
      else return false;
      event.preventDefault();
      return true;
    },
    setMode(mode) {
      this.mode = this.mode === mode ? "" : mode;
    },
    modeWords() {
      const what = {
        pick: "Click a colour in the picture", pin: "Click where the pin should stand",
        black: "Click the tone that should become black", white: "Click the tone that should become white",
      }[this.mode];
      return what ? `${what} (Escape to leave)` : "";
    },
    async pickHere(at) {
      this.mode = "";
      this.waiting = true;
      try {
        await this.pickAt(at);
      } catch (problem) {
        this.waiting = false;
        say(problem.message);
      }
    },
    spotAt(at) {
      return ask("POST", `/api/photographs/${photograph.id}/spot`, { recipe: copy(this.recipe), ...at });
    },

    /** Up lightens what is under the pointer, down darkens it. */
    dragSpot(event, at) {
      const { map, picture } = parts();
      const begun = { ...this.recipe.mix.lifts };
      let spot = null;
      let stops = 0;
      let last = event;
      let moved = false;
      const move = () => {
        if (!spot || !moved) return;
        for (const [name, share] of Object.entries(spot.per_stop)) {
          this.recipe.mix.lifts[name] = clamp(Math.round((begun[name] + stops * share) * 100) / 100, -4, 4);
        }
        this.changing();
      };
      const asked = this.spotAt(at).then((found) => {
        spot = found;
        move();
      });
      asked.catch((problem) => say(problem.message));
      picture.surround.focus({ preventScroll: true });
      follow(picture.surround, event, (next) => {
        stops += ((last.clientY - next.clientY) / PX_PER_STOP) * (next.shiftKey ? FINE : 1);
        last = next;
        if (!moved && Math.abs(next.clientY - event.clientY) < MOVED_PX) return;
        if (!moved) {
          moved = true;
          this.touching = [at.x, at.y];
        }
        if (spot) map.light(Object.keys(spot.per_stop));
        move();
      }, async (ended) => {
        await asked.catch(() => {});
        this.touching = null;
        map.light([]);
        picture.outline(null);
        if (!moved || !spot) return;
        if (ended.type === "pointercancel") {
          Object.assign(this.recipe.mix.lifts, begun);
          this.moved();
          return;
        }
        if (Object.keys(spot.per_stop).length) this.settle();
        else say("This spot is neutral: no range reaches it.");
      });
    },

    /** Show softly what a picked colour reaches, for a while. */
    showReach(number) {
      clearTimeout(this.reachTimer);
      this.touching = number;
      if (number === null) {
        parts().picture.outline(null);
        return;
      }
      this.waiting = true;
      parts().frames.ask(this.wish(false));
      this.reachTimer = setTimeout(() => this.showReach(null), REACH_SHOWN_MS);
    },

    // pins
    pinNumbers() {
      return this.pins.map((_, number) => number);
    },
    mayPin() {
      return this.pins.length < MOST_PINS;
    },
    putPin(at) {
      this.mode = "";
      if (!this.mayPin()) return;
      this.pins.push({ ...at, label: "" });
      this.pinsOpen = true;
      this.savePins();
      this.$nextTick(() => this.$root.querySelector(`[data-pin="${this.pins.length - 1}"]`)?.focus());
    },
    /** By key: a pin under the pointer, or in the middle of what is seen. */
    pinHere() {
      const { picture } = parts();
      if (!this.mayPin()) say(`There can be ${MOST_PINS} pins at the most.`);
      else this.putPin(shares(picture.pointer || picture.middle()));
    },
    dropPin(number) {
      this.pins.splice(number, 1);
      this.savePins();
    },
    labelPin(event, number) {
      this.pins[number].label = event.target.value.trim().slice(0, 40);
      this.savePins();
    },
    async savePins() {
      this.layPins();
      parts().frames.ask(this.wish(false));
      try {
        await ask("PUT", `/api/versions/${version.id}/pins`, { pins: copy(this.pins) });
      } catch (problem) {
        say(problem.message);
      }
    },
    /** Put the pins where they belong and read them. */
    layPins() {
      const { picture } = parts();
      if (!picture) return;
      const file = (pin) => ({ x: pin.x * photograph.width, y: pin.y * photograph.height });
      this.pinsAt = this.pins.map((pin) => picture.placeOf(file(pin)));
    },
    pinStyle(number) {
      const at = this.pinsAt[number];
      return at ? { left: `${at.x}px`, top: `${at.y}px` } : { display: "none" };
    },
    pinTitle(number) {
      const pin = this.pins[number];
      return pin ? `Pin ${number + 1}${pin.label ? `, ${pin.label}` : ""}: arrows lift or lower what is under it, Ctrl and arrows move it, Delete removes it` : "";
    },
    pinSwatch(number) {
      return { background: this.pinReadings[number]?.colour || "transparent" };
    },
    pinLightness(number, which) {
      return this.pinReadings[number]?.[which].toFixed(1) ?? "";
    },
    pinZone(number) {
      return this.pinReadings[number]?.zone ?? "";
    },
    closestPins() {
      let best = null;
      this.pinReadings.forEach((here, one) => this.pinReadings.slice(one + 1).forEach((there, more) => {
        const apart = Math.abs(here.now - there.now);
        if (!best || apart < best.apart) best = { one, other: one + 1 + more, apart };
      }));
      return best ? `Closest: ${best.one + 1} and ${best.other + 1}, ${best.apart.toFixed(1)} L* apart` : "";
    },
    async pinKey(event, number) {
      if (event.key === "Delete" || event.key === "Backspace") {
        event.preventDefault();
        event.stopPropagation();
        this.dropPin(number);
        return;
      }
      const way = PIN_MOVES[event.key];
      if (way && (event.ctrlKey || event.metaKey)) {
        event.preventDefault();
        event.stopPropagation();
        const far = event.shiftKey ? 10 : 1;
        const pin = this.pins[number];
        pin.x = clamp(pin.x + (way[0] * far) / photograph.width, 0, 1);
        pin.y = clamp(pin.y + (way[1] * far) / photograph.height, 0, 1);
        this.savePins();
        return;
      }
      const step = PIN_STEPS[event.key];
      if (!step || this.step !== "mix") return;
      event.preventDefault();
      event.stopPropagation();
      await this.liftPin(number, step * (event.shiftKey ? FINE : 1));
    },
    async liftPin(number, stops) {
      this.waiting = true;
      const { per_stop: shares_ } = await this.spotAt({ x: this.pins[number].x, y: this.pins[number].y });
      if (!Object.keys(shares_).length) {
        this.waiting = false;
        say("This spot is neutral: no range reaches it.");
        return;
      }
      for (const [name, share] of Object.entries(shares_)) {
        this.recipe.mix.lifts[name] = clamp(Math.round((this.recipe.mix.lifts[name] + stops * share) * 100) / 100, -4, 4);
      }
      this.changing();
      this.settle("soon");
    },
    grabPin(event, number) {
      if (event.button !== 0) return;
      event.stopPropagation();
      const { picture } = parts();
      let moved = false;
      follow(event.currentTarget, event, (next) => {
        const at = picture.locate(next);
        if (!at || (!moved && Math.hypot(next.clientX - event.clientX, next.clientY - event.clientY) < MOVED_PX)) return;
        moved = true;
        Object.assign(this.pins[number], shares(at));
        this.layPins();
      }, () => moved && this.savePins());
    },
  };
}
