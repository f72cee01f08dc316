// A finished print: the recipe that made it of this photograph, or only its look.
import { ask, say, upload } from "../api.js";
import { clamp, copy } from "./paths.js";
import { bind } from "./panels.js";
import { nextTick } from "./ticks.js";

const LOOK_MS = 250;
const STEPS = { waiting: "waiting", opening: "opening the pictures", aligning: "laying the print on the picture", fitting: "trying bases and lifts", comparing: "comparing" };

/**
 * Reading a print.
 * @param {Pick<import("./bench.js").Bench, "parts" | "photograph" | "refs" | "series" | "work">} bench
 */
export function readingPrints(bench) {
  const own = bench.photograph.id;
  const empty = (photograph) => ({ photograph, print: {}, name: "" });
  return {
    readingOpen: false,
    /** The library, this series first. @type {{id: number, name: string, photographs: {id: number, words: string}[]}[]} */
    groups: [],
    lookOnly: false,
    strength: 70,
    /** @type {any[]} */
    pairs: [empty(own)],
    step: "",
    problem: "",
    token: "",
    /** What the server read. @type {any} */
    found: null,
    name: "",
    run: 0,

    async openReading() {
      bind("reading");
      this.readingOpen = true;
      this.found = null;
      await nextTick();
      bench.refs.readingClose.focus();
      try {
        const { groups } = await ask("GET", "/api/prints/sources");
        this.groups = [...groups.filter(({ id }) => id === bench.series), ...groups.filter(({ id }) => id !== bench.series)];
      } catch (problem) {
        this.problem = problem.message;
      }
    },
    closeReading() {
      this.readingOpen = false;
      this.run += 1;
      this.step = "";
      bench.parts.picture.surround.focus();
    },
    setLook(only) {
      this.lookOnly = only;
      this.forget();
      if (only && this.mayRead()) this.read();
    },
    setStrength(event) {
      const number = Number(String(event.target.value).replace(",", "."));
      if (Number.isFinite(number)) this.strength = Math.round(clamp(number, 0, 100));
      event.target.value = this.strength;
      if (this.mayRead()) this.read();
    },
    pairsShown() {
      return this.lookOnly ? this.pairs.slice(0, 1) : this.pairs;
    },
    addPair() {
      const taken = this.pairs.map(({ photograph }) => photograph);
      const all = this.groups.flatMap(({ photographs }) => photographs);
      const next = all.find(({ id }) => !taken.includes(id)) || { id: own };
      this.pairs = [...this.pairs, empty(next.id)];
    },
    removePair(number) {
      this.pairs = this.pairs.filter((_, place) => place !== number);
      this.forget();
    },
    choosePhotograph(number, event) {
      this.pairs[number].photograph = Number(event.target.value);
      this.forget();
    },
    choosePrint(number, event) {
      const id = Number(event.target.value);
      Object.assign(this.pairs[number], { print: id ? { photograph: id } : {}, name: "" });
      this.forget();
    },
    async chooseFile(number, event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return;
      this.forget();
      this.step = "opening";
      try {
        const sent = await upload("/api/prints/file", file, () => {}, new AbortController().signal);
        Object.assign(this.pairs[number], { print: { file: sent.file }, name: sent.name });
      } catch (problem) {
        this.problem = problem.message;
      }
      this.step = "";
    },
    forget() {
      this.run += 1;
      Object.assign(this, { found: null, problem: "", step: "" });
    },
    mayRead() {
      return !this.step && this.pairsShown().every(({ print }) => print.file || print.photograph);
    },
    /** Ask until the print is read. */
    async read() {
      this.forget();
      const { run } = this;
      this.step = "waiting";
      const pairs = copy(this.pairsShown()).map(({ photograph, print }) => ({ photograph, print }));
      const wanted = { recipe: copy(bench.work.recipe), pairs, look: this.lookOnly, strength: this.strength };
      try {
        while (run === this.run) {
          const answer = await ask("POST", "/api/prints/look", wanted);
          if (run !== this.run) return;
          if (answer.problem || answer.found) {
            Object.assign(this, { step: "", problem: answer.problem || "", token: answer.token, found: answer.found || null });
            return;
          }
          this.step = answer.step;
          await new Promise((resolve) => { setTimeout(resolve, LOOK_MS); });
        }
      } catch (problem) {
        if (run === this.run) Object.assign(this, { step: "", problem: problem.message });
      }
    },
    statusWords() {
      return this.step ? `${STEPS[this.step] || this.step} …` : "";
    },
    shownPairs() {
      return Array.from({ length: this.found?.pairs || 1 }, (_, number) => number);
    },
    pictures(number) {
      const at = (name) => `/api/prints/${this.token}/${number}-${name}.jpg`;
      if (this.lookOnly) return [{ src: at("print"), words: "the print" }, { src: at("read"), words: "this photograph with its look" }];
      return [{ src: at("print"), words: "the print" }, { src: at("read"), words: "as it was read" }, { src: at("apart"), words: "the difference, strengthened: lighter where it came out lighter" }];
    },
    baseWords() {
      return `Made from ${this.found.base}`;
    },
    figureWords() {
      const { error, plain, explains, low, middle, high } = this.found;
      return `It explains ${Math.round(100 * explains)} % of how this print differs from a plain one: off by ${error.toFixed(1)} L*, plain luminance with its best curve by ${plain.toFixed(1)}. Left over: ${low.toFixed(1)} L* over wide parts, as of local work; ${middle.toFixed(1)} in texture; ${high.toFixed(1)} in grain.`;
    },
    lifts() {
      return Object.entries(this.found.recipe.mix.lifts).map(([name, stops]) => {
        const unsure = this.found.unsure.includes(name);
        const words = `${name} ${stops < 0 ? "−" : stops > 0 ? "+" : ""}${Math.abs(stops).toFixed(2)}`;
        return { name, unsure, words, title: unsure ? `too little ${name} to read its lift` : `${name} lift in stops` };
      });
    },
    /** One undo step. */
    use() {
      bench.work.replace(copy(this.found.recipe));
      bench.work.settle();
      this.closeReading();
    },
    async keep() {
      try {
        const { name } = await ask("POST", "/api/recipes", { name: this.name, recipe: copy(this.found.recipe) });
        say(`Saved as the recipe “${name}”.`, "See recipes", () => window.location.assign("/recipes"));
      } catch (problem) {
        say(problem.message);
      }
    },
  };
}
