// The Tone step beyond numbers: points from the picture, zones, character, the hint about mud.
import { ask, say } from "../api.js";
import { clamp, copy, typed, words } from "./paths.js";

const EMPTY_END = 0.002;
const USUAL_BUDGET = 0.05;

/** The part of the bench that tones; needs the values of `values()` and `settle`. */
export function toning(photograph, parts) {
  return {
    zonesOpen: false,
    muddy: "",
    waveOpen: false,
    curveOpen: false,
    budget: USUAL_BUDGET,

    async setPoints() {
      this.busyWith = "points";
      this.waiting = true;
      try {
        const wanted = { recipe: copy(this.recipe), budget: this.budget };
        const { levels } = await ask("POST", `/api/photographs/${photograph.id}/points`, wanted);
        this.recipe.tone.levels = levels;
        this.settle();
        const end = levels.out_white < 255 ? "the lightest tone leaves 2 % ink" : "the curve itself ends darker than 2 % ink";
        say(`Black at ${words(levels.black)}, white at ${words(levels.white)}; ${end}.`, "Undo", () => this.undo());
      } catch (problem) {
        this.waiting = false;
        say(problem.message);
      }
      this.busyWith = "";
    },
    setBudget(event) {
      const number = typed(event.target.value);
      if (Number.isFinite(number)) this.budget = clamp(number, 0, 5);
      event.target.value = this.budget;
    },
    /** Make the tone at a place of the picture black or white. */
    async pointHere(which, at) {
      this.mode = "";
      this.waiting = true;
      try {
        const { code } = await this.spotAt(at);
        const { levels } = this.recipe.tone;
        if (which === "black") levels.black = clamp(code, 0, levels.white - 1);
        else levels.white = clamp(code, levels.black + 1, 255);
        this.settle();
      } catch (problem) {
        this.waiting = false;
        say(problem.message);
      }
    },
    chooseCharacter(character) {
      this.recipe.tone.character = character;
      this.settle();
    },
    /** The curve as text, to copy and to paste. */
    curveText() {
      return this.recipe.tone.curve.map(([x, y]) => `${round(x)} ${round(y)}`).join(", ");
    },
    pasteCurve(event) {
      const points = event.target.value.replace(/[[\]]/g, " ").split(/[;,\n]+\s*/).map((pair) => pair.trim().split(/\s+/).map(Number));
      const flat = points.flat();
      const paired = points.every((pair) => pair.length === 2) ? points : pairs(flat);
      const fit = paired.length >= 2 && paired.length <= 16 && flat.every((value) => value >= 0 && value <= 1)
        && paired.every((pair, place) => pair.length === 2 && (!place || pair[0] > paired[place - 1][0]));
      if (!fit) {
        say("A curve is 2 to 16 points “x y” between 0 and 1, from left to right, with commas between them.");
        event.target.value = this.curveText();
        return;
      }
      this.recipe.tone.curve = paired;
      this.settle();
    },
    setLog(event) {
      parts().scale.log = event.target.checked;
      this.waiting = true;
      parts().frames.ask(this.wish(false));
    },
    toggleWave() {
      this.waveOpen = !this.waveOpen;
      if (this.waveOpen) this.$nextTick(() => this.drawWave());
    },
    /** Columns of the picture against tone, from the frame that is shown. */
    drawWave() {
      const { picture } = parts();
      const layer = (picture.region ? picture.part : picture.whole).grey || picture.whole.grey;
      if (layer) wave(this.$refs.wave, layer);
    },
    toggleZones() {
      this.zonesOpen = !this.zonesOpen;
      parts().scale.showZones(this.zonesOpen);
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
  const ink = getComputedStyle(canvas).color.match(/\d+/g).slice(0, 3).map(Number);
  const image = new ImageData(columns, tones);
  for (let i = 0; i < counts.length; i += 1) {
    const strength = Math.min(1, Math.sqrt(counts[i] / full));
    image.data.set([...ink, Math.round(255 * strength)], 4 * i);
  }
  canvas.getContext("2d").putImageData(image, 0, 0);
}
