// The small dialog that asks for a name.
import { part } from "./part.js";

/** The part of a page that asks for names; `ask(title, name, save)` opens it. */
export function naming() {
  /** @type {import("./part.js").Part<unknown>} */
  const own = part;
  return own({
    /** @type {any} */
    naming: null,
    name: "",
    nameError: "",

    askName(title, name, save) {
      this.naming = { title, save };
      this.name = name;
      this.nameError = "";
      this.$nextTick(() => {
        this.$refs.name.focus();
        this.$refs.name.select();
      });
    },
    namingTitle() {
      return this.naming ? this.naming.title : "";
    },
    async named() {
      if (!this.naming) return;
      try {
        await this.naming.save(this.name);
        this.naming = null;
      } catch (problem) {
        this.nameError = problem.message;
      }
    },
  });
}
