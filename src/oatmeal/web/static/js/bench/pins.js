// Pins: fixed meter readings on the picture.
import { say } from "../api.js";
import { clamp, copy } from "./paths.js";
import { within } from "./settings.js";
import { follow } from "./svg.js";
import { nextTick } from "./ticks.js";
import { dragged, nudged } from "./pointer.js";

const FINE = 0.2;
const MOST_PINS = 8;
const PIN_STEPS = { ArrowUp: 0.1, ArrowDown: -0.1, PageUp: 0.5, PageDown: -0.5 };
const PIN_MOVES = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

const inside = ({ x, y }) => ({ x: clamp(x, 0, 1), y: clamp(y, 0, 1) });

/**
 * Fixed meter readings.
 * @param {Pick<import("./bench.js").Bench, "crop" | "frame" | "parts" | "photograph" | "root" | "spots" | "version" | "vocabulary" | "work">} bench
 */
export function pinning(bench) {
  const { version } = bench;
  const shares = (at) => bench.parts.picture.shares(at);
  /** A place of the framed picture, as the pins are kept: in shares of the picture as it was taken. */
  const kept = (at) => {
    const { x, y } = bench.crop.taken(at);
    return { x: clamp(x, 0, 1), y: clamp(y, 0, 1) };
  };
  return {
    pins: copy(version.pins),
    pinsAt: [],
    /** @type {any[]} */
    pinReadings: [],
    pinsOpen: version.pins.length > 0,
    // pins
    pinNumbers() {
      return this.pins.map((_, number) => number);
    },
    mayPin() {
      return this.pins.length < MOST_PINS;
    },
    putPin(at) {
      bench.spots.mode = "";
      if (!this.mayPin()) return;
      this.pins.push({ ...kept(at), label: "" });
      this.pinsOpen = true;
      this.savePins();
      nextTick(() => /** @type {HTMLElement} */ (bench.root.querySelector(`[data-pin="${this.pins.length - 1}"]`))?.focus());
    },
    /** By key: a pin under the pointer, or in the middle of what is seen. */
    pinHere() {
      const { picture } = bench.parts;
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
    savePins() {
      this.layPins();
      bench.frame.ask(false);
      bench.parts.saver.savePins(this.pins);
    },
    /** Put the pins where they belong and read them. */
    layPins() {
      const { picture } = bench.parts;
      if (!picture) return;
      this.pinsAt = this.pins.map((pin) => bench.crop.placeOf(pin));
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
    pinInk(number) {
      const reading = this.pinReadings[number];
      return reading ? Math.round(bench.vocabulary.codes[Math.round(reading.code)].ink) : "";
    },
    pinZone(number) {
      return this.pinReadings[number]?.zone ?? "";
    },
    closestPins() {
      /** @type {any} two pins, and how far they are apart */
      let best = null;
      this.pinReadings.forEach((here, one) => this.pinReadings.slice(one + 1).forEach((there, more) => {
        if (!here || !there) return;
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
        const { picture } = bench.parts;
        const far = nudged(event);
        const pin = this.pins[number];
        const { x, y } = bench.crop.framed(pin);
        Object.assign(pin, kept({ x: x + (way[0] * far) / picture.file.width, y: y + (way[1] * far) / picture.file.height }));
        this.savePins();
        return;
      }
      const step = PIN_STEPS[event.key];
      if (!step || bench.work.step !== "mix") return;
      event.preventDefault();
      event.stopPropagation();
      await this.liftPin(number, step * (event.shiftKey ? FINE : 1));
    },
    async liftPin(number, stops) {
      bench.frame.waiting = true;
      const { per_stop: shares_ } = await bench.spots.spotAt(inside(bench.crop.framed(this.pins[number])));
      if (!Object.keys(shares_).length) {
        bench.frame.waiting = false;
        bench.spots.hardlyAnswers(bench.crop.framed(this.pins[number]));
        return;
      }
      for (const [name, share] of Object.entries(shares_)) {
        bench.work.recipe.mix.lifts[name] = within(bench.vocabulary.settings[`mix.lifts.${name}`], bench.work.recipe.mix.lifts[name] + stops * share);
      }
      bench.work.changing();
      bench.work.settle("soon");
    },
    grabPin(event, number) {
      if (event.button !== 0) return;
      event.stopPropagation();
      let moved = false;
      follow(event.currentTarget, event, (next) => {
        const at = bench.crop.placeAt(next);
        if (!at || (!moved && !dragged(event, next))) return;
        moved = true;
        Object.assign(this.pins[number], { x: clamp(at.x, 0, 1), y: clamp(at.y, 0, 1) });
        this.layPins();
      }, () => moved && this.savePins());
    },
  };
}
