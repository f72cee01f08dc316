// The base Formula: its text, what is wrong with it, and its sliders.
import { say } from "../api.js";
import { copy, words } from "./paths.js";

const TYPING_MS = 350;
const MOST_PARAMETERS = 6;

/**
 * A formula as it is typed; it becomes part of the recipe once it can be computed.
 * @param {Pick<import("./bench.js").Bench, "frame" | "root" | "vocabulary" | "work">} bench
 */
export function formulating(bench) {
  return {
    draft: "",
    formulaError: "",
    formulaColumn: 0,
    // formula: the draft becomes part of the recipe once it can be computed
    formulaShown() {
      return this.draft || bench.work.recipe.mix.base.text;
    },
    typeFormula(event) {
      this.draft = event.target.value;
      clearTimeout(this.typingTimer);
      this.typingTimer = setTimeout(() => this.tryFormula(), TYPING_MS);
    },
    async tryFormula(parameters) {
      const text = this.draft || bench.work.recipe.mix.base.text;
      const wanted = copy(bench.work.recipe);
      wanted.mix.base = { ...wanted.mix.base, text, parameters: parameters || wanted.mix.base.parameters };
      try {
        await bench.frame.try(wanted);
        if (bench.work.recipe.mix.base.kind !== "formula") return false;
        this.formulaError = "";
        bench.work.recipe.mix.base = wanted.mix.base;
        this.draft = "";
        bench.work.settle();
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
      return Object.keys(bench.work.recipe.mix.base.parameters || {});
    },
    parameterShown(name) {
      return words(bench.work.recipe.mix.base.parameters[name].value);
    },
    slideParameter(event, name) {
      bench.work.recipe.mix.base.parameters[name].value = Number(event.target.value);
      bench.work.changing();
    },
    typeParameter(event, name) {
      const own = bench.work.recipe.mix.base.parameters[name];
      const number = Number(event.target.value.replace("\u2212", "-").replace(",", "."));
      if (Number.isFinite(number)) {
        own.low = Math.min(own.low, number);
        own.high = Math.max(own.high, number);
        own.value = number;
        bench.work.settle();
      }
      event.target.value = this.parameterShown(name);
    },
    async addParameter() {
      const { parameters } = bench.work.recipe.mix.base;
      if (Object.keys(parameters).length >= MOST_PARAMETERS) return;
      const name = ["k", "m", "n", "p", "q", "s", "t"].find((letter) => !(letter in parameters)) ?? "u";
      await this.tryFormula({ ...copy(parameters), [name]: { value: 0.5, low: 0, high: 1 } });
    },
    async dropParameter(name) {
      const { [name]: _, ...rest } = copy(bench.work.recipe.mix.base.parameters);
      if (!await this.tryFormula(rest)) say(`The formula uses ${name}: take it out of the text first.`);
    },
    mayAddParameter() {
      return this.parameterNames().length < MOST_PARAMETERS;
    },
  };
}
