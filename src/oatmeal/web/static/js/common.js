// What every page has: Alpine and the lines at the foot.
import Alpine from "../vendor/alpine-csp.js";
import { ask, say } from "./api.js";

const STAYS_MS = 9000;

Alpine.data("toasts", () => ({
  lines: [],
  init() {
    const waiting = sessionStorage.getItem("say");
    sessionStorage.removeItem("say");
    if (!waiting) return;
    const { text, action, request } = JSON.parse(waiting);
    const act = request && (async () => {
      await ask(...request);
      window.location.reload();
    });
    this.add({ text, action, act });
  },
  add({ text, action, act }) {
    const line = { id: crypto.randomUUID(), text, action: action || "", act };
    this.lines.push(line);
    setTimeout(() => this.drop(line.id), STAYS_MS);
  },
  drop(id) {
    this.lines = this.lines.filter((line) => line.id !== id);
  },
  async act(line) {
    this.drop(line.id);
    try {
      await line.act();
    } catch (problem) {
      say(problem.message);
    }
  },
}));

/** The switch between the themes: as the system says, Oat, Rye. */
Alpine.data("theme", () => ({
  chosen: localStorage.getItem("oatmeal-theme") || "",
  next() {
    this.chosen = { "": "oat", oat: "rye", rye: "" }[this.chosen];
    if (this.chosen) localStorage.setItem("oatmeal-theme", this.chosen);
    else localStorage.removeItem("oatmeal-theme");
    window.dispatchEvent(new Event("theme"));
  },
  words() {
    return { "": "Theme: as the system says", oat: "Theme: Oat, light", rye: "Theme: Rye, dark" }[this.chosen];
  },
}));

export default Alpine;
