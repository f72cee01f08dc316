// The Tone step beyond numbers: the curve, points from the picture, zones, character, the hint about mud.
import { ask, say } from "../api.js";
import { clamp, copy, same, typed, words } from "./paths.js";
import { endWithin } from "./settings.js";
import { nextTick } from "./ticks.js";
import { context } from "../told.js";

const EMPTY_END = 0.002;
const USUAL_BUDGET = 0.05;

/**
 * The Tone step beyond numbers.
 * @param {Pick<import("./bench.js").Bench, "frame" | "mix" | "parts" | "photograph" | "refs" | "spots" | "vocabulary" | "work">} bench
 */
export function toning(bench) {
  const { photograph } = bench;
  return {
    // the curve
    curveName() {
      const curves = Object.entries(bench.vocabulary.curves);
      return curves.find(([, points]) => same(points, bench.work.recipe.tone.curve))?.[0] || "";
    },
    /** @param {string} name */
    chooseCurve(name) {
      bench.work.recipe.tone.curve = copy(bench.vocabulary.curves[name]);
      bench.work.settle();
    },
    zonesOpen: false,
    muddy: "",
    waveOpen: false,
    curveOpen: false,
    budget: USUAL_BUDGET,
    /** @param {"both"|"black"|"white"} which ends that are set */
    async setPoints(which = "both") {
      bench.mix.busyWith = "points";
      bench.frame.waiting = true;
      try {
        const wanted = { recipe: copy(bench.work.recipe), budget: this.budget };
        const { levels } = await ask("POST", `/api/photographs/${photograph.id}/points`, wanted);
        const own = bench.work.recipe.tone.levels;
        if (which !== "both") Object.assign(levels, { ...own, [which]: endWithin(bench.vocabulary, own, which, levels[which]) }, which === "white" ? { out_white: levels.out_white } : {});
        bench.work.recipe.tone.levels = levels;
        bench.work.settle();
        const end = levels.out_white < 255 ? "the lightest tone leaves 2 % ink" : "the curve itself ends darker than 2 % ink";
        bench.work.tellStep(`Black at ${words(levels.black)}, white at ${words(levels.white)}; ${end}.`);
      } catch (problem) {
        bench.frame.waiting = false;
        say(problem.message);
      }
      bench.mix.busyWith = "";
    },
    setBudget(event) {
      const number = typed(event.target.value);
      if (Number.isFinite(number)) this.budget = clamp(number, 0, 5);
      event.target.value = this.budget;
    },
    /** Make the tone at a place of the picture black or white. */
    async pointHere(which, at) {
      bench.spots.mode = "";
      bench.frame.waiting = true;
      try {
        const { code } = await bench.spots.spotAt(at);
        const { levels } = bench.work.recipe.tone;
        levels[which] = endWithin(bench.vocabulary, levels, which, code);
        bench.work.settle();
      } catch (problem) {
        bench.frame.waiting = false;
        say(problem.message);
      }
    },
    chooseCharacter(character) {
      bench.work.recipe.tone.character = character;
      bench.work.settle();
    },
    /** The curve as text, to copy and to paste. */
    curveText() {
      return bench.work.recipe.tone.curve.map(([x, y]) => `${round(x * 255)} ${round(y * 255)}`).join(", ");
    },
    pasteCurve(event) {
      const points = event.target.value.replace(/[[\]]/g, " ").split(/[;,\n]+\s*/).map((pair) => pair.trim().split(/\s+/).map(Number));
      const flat = points.flat();
      const top = Math.max(...flat) > 1 ? 255 : 1; // codes as in the fields, or shares
      const paired = (points.every((pair) => pair.length === 2) ? points : pairs(flat)).map((pair) => pair.map((value) => value / top));
      const fit = paired.length >= 2 && paired.length <= 16 && flat.every((value) => value >= 0 && value <= top)
        && paired.every((pair, place) => pair.length === 2 && (!place || pair[0] > paired[place - 1][0]));
      if (!fit) {
        say("A curve is 2 to 16 points “x y” between 0 and 255, from left to right, with commas between them.");
        event.target.value = this.curveText();
        return;
      }
      bench.work.recipe.tone.curve = paired;
      bench.work.settle();
    },
    setLog(event) {
      bench.parts.scale.log = event.target.checked;
      bench.frame.ask(false);
    },
    toggleWave() {
      this.waveOpen = !this.waveOpen;
      if (this.waveOpen) nextTick(() => this.drawWave());
    },
    /** Columns of the picture against tone, from the frame that is shown. */
    drawWave() {
      const { picture } = bench.parts;
      const layer = (picture.region ? picture.part : picture.whole).grey || picture.whole.grey;
      if (layer) wave(bench.refs.wave, layer);
    },
    toggleZones() {
      this.zonesOpen = !this.zonesOpen;
      bench.parts.scale.showZones(this.zonesOpen);
    },
    /** One sentence where the scale does not reach both ends. */
    judge(zones) {
      const dark = zones[0] + zones[1] < EMPTY_END;
      const light = zones[9] + zones[10] < EMPTY_END;
      if (dark && light) this.muddy = "Muddy: nothing reaches black or white.";
      else if (dark) this.muddy = "Nothing reaches black.";
      else if (light) this.muddy = "Nothing reaches white.";
      else this.muddy = "";
    },
    pointPicked: false,
    // tone
    pointWords() {
      const point = this.pointPicked && bench.parts.scale.picked !== null && bench.work.recipe.tone.curve[bench.parts.scale.picked];
      return point ? `${Math.round(point[0] * 255)} → ${Math.round(point[1] * 255)}` : "";
    },
    removePoint() {
      bench.parts.scale.remove();
    },
  };
}

const round = (value) => Math.round(value * 10000) / 10000;

function pairs(flat) {
  return Array.from({ length: Math.ceil(flat.length / 2) }, (_, place) => flat.slice(2 * place, 2 * place + 2));
}

/** Draw a waveform: how many pixels of each column have which tone, black at the foot. */
function wave(canvas, { width, height, data }) {
  const [columns, tones] = [canvas.width, canvas.height];
  const counts = new Uint32Array(columns * tones);
  const step = height > 500 ? 2 : 1;
  for (let y = 0; y < height; y += step) {
    for (let x = 0; x < width; x += 1) {
      const tone = tones - 1 - ((data[y * width + x] * tones) >> 8);
      counts[tone * columns + Math.floor((x * columns) / width)] += 1;
    }
  }
  const full = (width / columns) * (height / step) * 0.06;
  const ink = (getComputedStyle(canvas).color.match(/\d+/g) ?? []).slice(0, 3).map(Number);
  const image = new ImageData(columns, tones);
  for (let i = 0; i < counts.length; i += 1) {
    const strength = Math.min(1, Math.sqrt(counts[i] / full));
    image.data.set([...ink, Math.round(255 * strength)], 4 * i);
  }
  context(canvas).putImageData(image, 0, 0);
}
