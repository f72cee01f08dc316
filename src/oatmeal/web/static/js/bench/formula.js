// The base Formula: its text, what is wrong with it, and its sliders.
import { say } from "../api.js";
import { copy, words } from "./paths.js";

const TYPING_MS = 350;
const MOST_PARAMETERS = 6;

/**
 * A formula as it is typed; it becomes part of the recipe once it can be computed.
 * @param {Pick<import("./bench.js").Bench, "base" | "frame" | "root" | "vocabulary" | "work">} bench
 */
export function formulating(bench) {
  return {
    draft: "",
    formulaError: "",
    formulaColumn: 0,
    // formula: the draft becomes part of the recipe once it can be computed
    formulaShown() {
      return this.draft || bench.base.now().text;
    },
    typeFormula(event) {
      this.draft = event.target.value;
      clearTimeout(this.typingTimer);
      this.typingTimer = setTimeout(() => this.tryFormula(), TYPING_MS);
    },
    async tryFormula(parameters) {
      const text = this.draft || bench.base.now().text;
      const wanted = copy(bench.base.recipe());
      wanted.mix.base = { ...wanted.mix.base, text, parameters: parameters || wanted.mix.base.parameters };
      try {
        await bench.frame.try(wanted);
        if (bench.base.now().kind !== "formula") return false;
        this.formulaError = "";
        this.draft = "";
        bench.base.choose(wanted.mix.base);
        return true;
      } catch (problem) {
        const found = problem.body?.problems?.[0];
        this.formulaError = found ? found.message.replace(/^column \d+: /, "") : problem.message;
        this.formulaColumn = found?.column || 0;
        return false;
      }
    },
    /** The name that the formula does not know, if it can become a slider. */
    unknownName() {
      const name = /^(\w+) is not known/.exec(this.formulaError)?.[1] ?? "";
      return /^[a-zA-Z]\w*$/.test(name) && this.mayAddParameter() ? name : "";
    },
    makeSlider() {
      return this.tryFormula({ ...copy(bench.base.now().parameters ?? {}), [this.unknownName()]: { value: 0.5, low: 0, high: 1 } });
    },
    formulaPointer() {
      return this.formulaColumn ? `column ${this.formulaColumn}` : "";
    },
    /** @returns {HTMLTextAreaElement} */
    formulaField() {
      return /** @type {HTMLTextAreaElement} */ (bench.root.querySelector(".formula textarea"));
    },
    async showFormulaError() {
      const field = this.formulaField();
      field.focus();
      field.setSelectionRange(Math.max(0, this.formulaColumn - 1), this.formulaColumn);
    },
    async formulaExample(event) {
      const example = bench.vocabulary.formula_examples[Number(event.target.value)];
      event.target.value = "";
      if (!example) return;
      this.draft = example.text;
      await this.tryFormula(copy(example.parameters));
      this.formulaField().value = this.formulaShown();
    },
    parameterNames() {
      return Object.keys(bench.base.now().parameters || {});
    },
    parameterShown(name) {
      return words(bench.base.now().parameters[name].value);
    },
    slideParameter(event, name) {
      bench.base.take().parameters[name].value = Number(event.target.value);
      bench.work.changing();
    },
    typeParameter(event, name) {
      const own = copy(bench.base.now().parameters[name]);
      const number = Number(event.target.value.replace("\u2212", "-").replace(",", "."));
      if (Number.isFinite(number)) {
        own.low = Math.min(own.low, number);
        own.high = Math.max(own.high, number);
        own.value = number;
        bench.base.take().parameters[name] = own;
        bench.work.settle();
      }
      event.target.value = this.parameterShown(name);
    },
    async addParameter() {
      const { parameters } = bench.base.now();
      if (Object.keys(parameters).length >= MOST_PARAMETERS) return;
      const name = ["k", "m", "n", "p", "q", "s", "t"].find((letter) => !(letter in parameters)) ?? "u";
      await this.tryFormula({ ...copy(parameters), [name]: { value: 0.5, low: 0, high: 1 } });
    },
    async dropParameter(name) {
      const { [name]: _, ...rest } = copy(bench.base.now().parameters);
      if (!await this.tryFormula(rest)) say(`The formula uses ${name}: take it out of the text first.`);
    },
    mayAddParameter() {
      return this.parameterNames().length < MOST_PARAMETERS;
    },
  };
}
