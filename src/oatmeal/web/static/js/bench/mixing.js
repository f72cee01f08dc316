// The Mix step beyond numbers: film, formula, guard, balance, separate, picked colours.
import { ask, say } from "../api.js";
import { clamp, copy, percent, words } from "./paths.js";

const RARE = 0.02;
const NOTHING = 0.001;
const TYPING_MS = 350;
const MOST_PICKED = 6;
const MOST_PARAMETERS = 6;

/** The part of the bench that mixes; needs the values of `values()`, `changing`, `settle`, `picture`. */
export function mixing(photograph) {
  const address = (what) => `/api/photographs/${photograph.id}/${what}`;
  return {
    shares: {},
    merging: null,
    mergingCount: 0,
    strength: 70,
    busyWith: "",
    film: null,
    autoGuard: 0,
    draft: "",
    formulaError: "",
    formulaColumn: 0,
    pickedShares: [],
    reachShown: null,

    // the map
    liftOf(name) {
      const { mix } = this.recipe;
      return typeof name === "string" ? mix.lifts[name] : mix.picked[name]?.lift ?? 0;
    },
    lift(name, stops) {
      const { mix } = this.recipe;
      const kept = clamp(Math.round(stops * 100) / 100, -4, 4);
      if (typeof name === "string") mix.lifts[name] = kept;
      else mix.picked[name].lift = kept;
      this.changing();
    },
    spinLift(name, by) {
      this.lift(name, by === null ? 0 : this.liftOf(name) + by);
      this.settle("soon");
    },
    moveCentre(name, hue) {
      this.recipe.mix.centres[name] = hue;
      this.changing();
    },
    isPale(name) {
      return (this.shares[name] ?? 0) < RARE;
    },
    shareOf(name) {
      return shareWords(this.shares[name]);
    },
    /** A lift that does nothing here says so. */
    idleLift() {
      const idle = Object.entries(this.recipe.mix.lifts).filter(([name, stops]) => stops !== 0 && (this.shares[name] ?? 1) < NOTHING);
      if (!idle.length) return "";
      const names = idle.map(([name]) => name).join(" and ");
      return `This picture holds no ${names}: ${idle.length > 1 ? "those lifts do" : "that lift does"} nothing here.`;
    },
    mergingWords() {
      return this.merging ? `${this.merging.apart.toFixed(1)} L* apart` : "";
    },
    mergingChip() {
      return `Merging: ${this.mergingCount} ${this.mergingCount === 1 ? "pair" : "pairs"}`;
    },

    // finding lifts
    async find(what, body, said) {
      if (this.busyWith) return;
      this.busyWith = what;
      this.waiting = true;
      try {
        const found = await ask("POST", address(what), { recipe: copy(this.recipe), ...body });
        Object.assign(this.recipe.mix.lifts, found.lifts);
        this.settle();
        say(`${said}: ${found.words}.`, "Undo", () => this.undo());
      } catch (problem) {
        this.waiting = false;
        say(problem.message);
      }
      this.busyWith = "";
    },
    balance() {
      return this.find("balance", { strength: this.strength }, `Balance at ${this.strength}`);
    },
    setStrength(event) {
      const number = Number(event.target.value);
      this.strength = Number.isFinite(number) ? clamp(Math.round(number), 0, 100) : 70;
      event.target.value = this.strength;
    },
    separate() {
      return this.find("separate", { colours: this.merging.colours }, "Separated");
    },

    // film
    chooseFilm(event) {
      const { film_edges: _, ...base } = this.recipe.mix.base;
      this.recipe.mix.base = { ...base, film: event.target.value };
      this.settle();
    },
    chooseFilter(event) {
      const { filter_edges: _, ...base } = this.recipe.mix.base;
      this.recipe.mix.base = { ...base, filter: event.target.value };
      this.settle();
    },
    filmEdges(which, edges) {
      this.recipe.mix.base[`${which}_edges`] = edges;
      this.changing();
    },
    ownEdges(which) {
      return Boolean(this.recipe.mix.base[`${which}_edges`]);
    },
    costWords() {
      return this.film ? `costs ${words(this.film.cost)} ${this.film.cost === 1 ? "stop" : "stops"}` : "";
    },
    equalWords() {
      if (!this.film) return "";
      const [red, green, blue] = this.film.channels.map((share) => words(Math.round(share)));
      return `equal to red ${red}, green ${green}, blue ${blue} %`;
    },
    takeAsChannels() {
      const [red, green, blue] = this.film.channels;
      this.bases.film = copy(this.recipe.mix.base);
      this.recipe.mix.base = { ...copy(this.vocabulary.bases.channels), red, green, blue, light: "linear" };
      this.settle();
    },
    startChannels(event) {
      const start = this.vocabulary.channel_starts[event.target.value];
      event.target.value = "";
      if (!start) return;
      const [red, green, blue] = start;
      Object.assign(this.recipe.mix.base, { red, green, blue });
      this.settle();
    },

    // guard
    guardIsAuto() {
      return this.recipe.mix.guard === "auto";
    },
    guardWords() {
      if (!this.guardIsAuto()) return "";
      if (this.autoGuard) return `auto: ${Math.round(this.autoGuard * 100)} for this JPEG`;
      return photograph.jpeg ? "auto: off, little compressed" : "auto: off, the file is clean";
    },
    toggleGuard() {
      this.recipe.mix.guard = this.guardIsAuto() ? Math.round(this.autoGuard * 100) : "auto";
      this.settle();
    },

    // formula: the draft becomes part of the recipe once it can be computed
    formulaShown() {
      return this.draft || this.recipe.mix.base.text;
    },
    typeFormula(event) {
      this.draft = event.target.value;
      clearTimeout(this.typingTimer);
      this.typingTimer = setTimeout(() => this.tryFormula(), TYPING_MS);
    },
    async tryFormula(parameters) {
      const text = this.draft || this.recipe.mix.base.text;
      const wanted = copy(this.recipe);
      wanted.mix.base = { ...wanted.mix.base, text, parameters: parameters || wanted.mix.base.parameters };
      try {
        await this.try(wanted);
        if (this.recipe.mix.base.kind !== "formula") return false;
        this.formulaError = "";
        this.recipe.mix.base = wanted.mix.base;
        this.draft = "";
        this.settle();
        return true;
      } catch (problem) {
        const found = problem.body?.problems?.[0];
        this.formulaError = found ? found.message.replace(/^column \d+: /, "") : problem.message;
        this.formulaColumn = found?.column || 0;
        return false;
      }
    },
    formulaPointer() {
      return this.formulaColumn ? `column ${this.formulaColumn}` : "";
    },
    async showFormulaError() {
      const field = this.$refs.formula;
      field.focus();
      field.setSelectionRange(Math.max(0, this.formulaColumn - 1), this.formulaColumn);
    },
    async formulaExample(event) {
      const example = this.vocabulary.formula_examples[Number(event.target.value)];
      event.target.value = "";
      if (!example) return;
      this.draft = example.text;
      await this.tryFormula(copy(example.parameters));
      this.$refs.formula.value = this.formulaShown();
    },
    parameterNames() {
      return Object.keys(this.recipe.mix.base.parameters || {});
    },
    parameterShown(name) {
      return words(this.recipe.mix.base.parameters[name].value);
    },
    slideParameter(event, name) {
      this.recipe.mix.base.parameters[name].value = Number(event.target.value);
      this.changing();
    },
    typeParameter(event, name) {
      const own = this.recipe.mix.base.parameters[name];
      const number = Number(event.target.value.replace("\u2212", "-").replace(",", "."));
      if (Number.isFinite(number)) {
        own.low = Math.min(own.low, number);
        own.high = Math.max(own.high, number);
        own.value = number;
        this.settle();
      }
      event.target.value = this.parameterShown(name);
    },
    async addParameter() {
      const { parameters } = this.recipe.mix.base;
      if (Object.keys(parameters).length >= MOST_PARAMETERS) return;
      const name = ["k", "m", "n", "p", "q", "s", "t"].find((letter) => !(letter in parameters));
      await this.tryFormula({ ...copy(parameters), [name]: { value: 0.5, low: 0, high: 1 } });
    },
    async dropParameter(name) {
      const { [name]: _, ...rest } = copy(this.recipe.mix.base.parameters);
      if (!await this.tryFormula(rest)) say(`The formula uses ${name}: take it out of the text first.`);
    },
    mayAddParameter() {
      return this.parameterNames().length < MOST_PARAMETERS;
    },

    // picked colours
    pickedNames() {
      return this.recipe.mix.picked.map((_, number) => number);
    },
    mayPick() {
      return this.recipe.mix.picked.length < MOST_PICKED;
    },
    async pickAt(place) {
      const found = await ask("POST", address("spot"), { recipe: copy(this.recipe), ...place });
      this.recipe.mix.picked.push({ colour: found.colour, reach: 0.06, lift: 0, name: "", on: true });
      this.settle();
      this.pickedOpen = this.recipe.mix.picked.length - 1;
      this.showReach(this.pickedOpen);
    },
    dropPicked(number) {
      this.recipe.mix.picked.splice(number, 1);
      this.pickedOpen = null;
      this.showReach(null);
      this.settle();
    },
    openPicked(number) {
      this.pickedOpen = this.pickedOpen === number ? null : number;
      this.showReach(this.pickedOpen);
    },
    setReach(event) {
      this.recipe.mix.picked[this.pickedOpen].reach = Number(event.target.value);
      this.changing();
      this.showReach(this.pickedOpen);
    },
    namePicked(event) {
      this.recipe.mix.picked[this.pickedOpen].name = event.target.value.trim().slice(0, 80);
      this.settle();
    },
    togglePicked(number) {
      const one = this.recipe.mix.picked[number];
      one.on = !one.on;
      this.settle();
    },
    pickedTitle(number) {
      const one = this.recipe.mix.picked[number];
      return one ? one.name || `colour ${number + 1}` : "";
    },
    pickedShare(number) {
      return shareWords(this.pickedShares[number]);
    },
    pickedReach() {
      const one = this.recipe.mix.picked[this.pickedOpen];
      return one ? one.reach : 0.06;
    },
    pickedIsOn(number) {
      return Boolean(this.recipe.mix.picked[number]?.on);
    },
  };
}

function shareWords(share) {
  if (share === undefined) return "";
  return share < 0.005 && share > 0 ? "<1 %" : percent(share, 0);
}
