// Only here: what was done everywhere becomes an area round the place where it was meant.
import { say } from "../api.js";
import { copy } from "./paths.js";
import { placing } from "./places.js";

/** Farther from the place than this share of the longer side is somewhere else. */
const ELSEWHERE = 0.2;
/** What is moved elsewhere counts from this share of all that is moved. */
const WORTH = 0.15;
const HALF = 96;
const WAIT_MS = 40;
const LONGEST_MS = 600;

/**
 * Makes areas of what is alike and hangs together with a place.
 * @param {Pick<import("./bench.js").Bench, "areas" | "crop" | "parts" | "photograph" | "vocabulary" | "work">} bench
 */
export function limiting(bench) {
  const where = placing(bench);
  return {
    /**
     * An area round a place, with these values; it opens in Areas. What it stands for is taken back only where there can be one.
     * @param {{x: number, y: number}} at in shares of the framed picture @param {any} values @param {string} name @param {() => void} takeBack
     */
    make(at, values, name, takeBack) {
      const area = bench.areas.make("alike");
      if (!area) return;
      takeBack();
      const place = where.placeAt(bench.parts.picture.point(at));
      area.mask.push({ ...copy(bench.vocabulary.new_parts.alike), this: [where.pathOf([place])] });
      Object.assign(area, { name, values: { ...area.values, ...values } });
      bench.areas.part = 0;
      bench.work.open("areas");
      bench.work.settle();
      bench.areas.look();
    },
    /** What is moved is on its way: wait for it, but not long. */
    async known() {
      for (let waited = 0; !bench.parts.picture.touched && waited < LONGEST_MS; waited += WAIT_MS) {
        await new Promise((resolve) => setTimeout(resolve, WAIT_MS));
      }
    },
    /** True if much of what is moved lies far from a place, as far as it is in view. @param {{x: number, y: number}} at */
    reachesElsewhere(at) {
      const { file, touched: layer } = bench.parts.picture;
      if (!layer) return false;
      const { width, height, data } = layer;
      const [left, top, across] = layer.region ?? [0, 0, file.width];
      const scale = width / across;
      const here = { x: (at.x * file.width - left) * scale, y: (at.y * file.height - top) * scale };
      const far = (ELSEWHERE * Math.max(file.width, file.height) * scale) ** 2;
      let [all, away] = [0, 0];
      for (let y = 0, i = 0; y < height; y += 1) {
        for (let x = 0; x < width; x += 1, i += 1) {
          if (data[i] < HALF) continue;
          all += 1;
          if ((x - here.x) ** 2 + (y - here.y) ** 2 > far) away += 1;
        }
      }
      return all > 0 && away > WORTH * all;
    },
    /** After a drag that moved more than was meant. @param {{x: number, y: number}} at @param {any} before the lifts as they were */
    offer(at, before) {
      const { recipe } = bench.work;
      const added = Object.fromEntries(Object.entries(recipe.mix.lifts).map(([name, value]) => [name, Math.round((value - before[name]) * 100) / 100]));
      const moved = Object.entries(added).filter(([, value]) => value).map(([name]) => name);
      if (!moved.length) return;
      const made = copy(recipe.mix.lifts);
      const same = () => Object.entries(made).every(([name, value]) => bench.work.recipe.mix.lifts[name] === value);
      say(`All that is ${moved.join(", ")} moved, elsewhere too.`, "Only here", () => {
        this.make(at, { lifts: added }, `Only ${moved[0]}`, () => { bench.work.recipe.mix.lifts = copy(before); });
      }, same);
    },
  };
}
