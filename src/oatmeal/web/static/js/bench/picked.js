// Picked colours: taken from the picture, with reach, lift, name and switch.
import { ask } from "../api.js";
import { shareWords } from "./mix.js";
import { copy } from "./paths.js";

const REACH_SHOWN_MS = 3000;

/**
 * Colours taken from the picture, each with a lift of its own.
 * @param {Pick<import("./bench.js").Bench, "frame" | "limits" | "parts" | "photograph" | "vocabulary" | "work">} bench
 */
export function picking(bench) {
  const { vocabulary } = bench;
  /** Where colours were clicked since the page was opened. @type {Object<string, {x: number, y: number}>} */
  const places = {};
  return {
    pickedShares: [],
    reachShown: null,
    // picked colours
    pickedNames() {
      return bench.work.recipe.mix.picked.map((_, number) => number);
    },
    mayPick() {
      return bench.work.recipe.mix.picked.length < vocabulary.most_picked;
    },
    async pickAt(place) {
      const found = await ask("POST", `/api/photographs/${bench.photograph.id}/pick`, { recipe: copy(bench.work.recipe), ...place });
      bench.work.recipe.mix.picked.push({ colour: found.colour, reach: found.reach, lift: 0, name: "", on: true });
      places[found.colour] = place;
      bench.work.settle();
      this.pickedOpen = bench.work.recipe.mix.picked.length - 1;
      this.showReach(this.pickedOpen);
    },
    /** It is known where the open one was clicked. */
    hasPlace() {
      return Boolean(places[bench.work.recipe.mix.picked[this.pickedOpen]?.colour]);
    },
    /** The open one acts round its place alone: it becomes an area. */
    onlyHere() {
      const { colour, lift, name } = bench.work.recipe.mix.picked[this.pickedOpen];
      bench.limits.make(places[colour], { exposure: lift }, name || "Picked colour", () => {
        bench.work.recipe.mix.picked.splice(this.pickedOpen, 1);
        this.pickedOpen = null;
        this.showReach(null);
      });
    },
    dropPicked(number) {
      bench.work.recipe.mix.picked.splice(number, 1);
      this.pickedOpen = null;
      this.showReach(null);
      bench.work.settle();
    },
    openPicked(number) {
      this.pickedOpen = this.pickedOpen === number ? null : number;
      this.showReach(this.pickedOpen);
    },
    setReach(event) {
      bench.work.recipe.mix.picked[this.pickedOpen].reach = Number(event.target.value);
      bench.work.changing();
      this.showReach(this.pickedOpen);
    },
    namePicked(event) {
      bench.work.recipe.mix.picked[this.pickedOpen].name = event.target.value.trim().slice(0, 80);
      bench.work.settle();
    },
    togglePicked(number) {
      const one = bench.work.recipe.mix.picked[number];
      one.on = !one.on;
      bench.work.settle();
    },
    pickedTitle(number) {
      const one = bench.work.recipe.mix.picked[number];
      return one ? one.name || `colour ${number + 1}` : "";
    },
    pickedShare(number) {
      return shareWords(this.pickedShares[number]);
    },
    pickedReach() {
      const one = bench.work.recipe.mix.picked[this.pickedOpen];
      return one?.reach;
    },
    pickedIsOn(number) {
      return Boolean(bench.work.recipe.mix.picked[number]?.on);
    },
    /** @type {any} the number of the open one, or none */
    pickedOpen: null,
    /** Show softly what a picked colour reaches, for a while. */
    showReach(number) {
      clearTimeout(this.reachTimer);
      bench.frame.touching = number;
      bench.frame.touchedAs = number === null ? "" : "touched";
      if (number === null) {
        bench.parts.picture.outline(null);
        return;
      }
      bench.frame.ask(false);
    },
    /** What a picked colour reaches is on the screen: it stays there for a while. */
    reachArrived() {
      clearTimeout(this.reachTimer);
      this.reachTimer = setTimeout(() => this.showReach(null), REACH_SHOWN_MS);
    },
  };
}
