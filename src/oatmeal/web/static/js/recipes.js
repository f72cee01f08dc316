// Recipes kept by name, each shown on the photograph in hand.
import Alpine from "./common.js";
import { ask, say, sayNext, send } from "./api.js";
import { toldBy } from "./told.js";

const start = toldBy("start");

Alpine.data("recipesPage", () => ({
  recipes: start.recipes,
  hand: start.hand,
  wanted: "",
  pictures: {},
  saving: false,
  name: start.hand?.treatment || "",
  holds: start.groups.filter(({ stays }) => !stays).map(({ name }) => name),
  editing: null,
  draft: { name: "", note: "", tags: "" },
  /** @type {string[]} */
  problems: [],
  problemFile: "",

  init() {
    this.drawAll();
  },
  shown() {
    const words = this.wanted.trim().toLowerCase();
    return this.recipes.filter(({ name, tags, note }) => `${name} ${tags} ${note}`.toLowerCase().includes(words));
  },
  encoded: encodeURIComponent,
  /** Small pictures of the photograph in hand, one after another. */
  async drawAll() {
    if (!this.hand) return;
    for (const recipe of this.recipes) {
      if (!this.pictures[recipe.source]) await this.draw(recipe);
    }
  },
  async draw(recipe) {
    try {
      const picture = await send("POST", `/api/photographs/${this.hand.photograph}/small`, { recipe: recipe.recipe });
      this.pictures[recipe.source] = URL.createObjectURL(await picture.blob());
    } catch (problem) {
      say(problem.message);
    }
  },
  async tryIt(work) {
    try {
      return await work();
    } catch (problem) {
      say(problem.message);
      return null;
    }
  },
  async refresh() {
    this.recipes = (await ask("GET", "/api/recipes")).recipes;
    this.drawAll();
  },

  toggleHolds(name) {
    this.holds = this.holds.includes(name) ? this.holds.filter((one) => one !== name) : [...this.holds, name];
  },
  save() {
    return this.tryIt(async () => {
      const { name } = await ask("POST", "/api/recipes", { name: this.name, recipe: this.hand.recipe, groups: this.holds });
      this.saving = false;
      say(`Saved as “${name}”.`);
      await this.refresh();
    });
  },
  use(recipe) {
    return this.tryIt(async () => {
      await ask("POST", `/api/versions/${this.hand.version}/use`, { source: recipe.source, revision: this.hand.revision });
      sayNext(`“${recipe.name}” applied; undo takes it back.`);
      window.location.assign(`/bench/${this.hand.photograph}?version=${this.hand.version}`);
    });
  },
  edit(recipe) {
    this.editing = this.editing === recipe.id ? null : recipe.id;
    this.draft = { name: recipe.name, note: recipe.note, tags: recipe.tags };
  },
  editDone(recipe) {
    return this.tryIt(async () => {
      await ask("PATCH", `/api/recipes/${recipe.id}`, { ...this.draft });
      this.editing = null;
      await this.refresh();
    });
  },
  atImport(recipe) {
    return this.tryIt(async () => {
      const id = recipe.at_import ? null : recipe.id;
      await ask("PUT", "/api/recipes/at-import", { id });
      say(id ? `New photographs begin with “${recipe.name}”.` : "New photographs begin as taken.");
      await this.refresh();
    });
  },
  remove(recipe) {
    return this.tryIt(async () => {
      await ask("DELETE", `/api/recipes/${recipe.id}`);
      await this.refresh();
      say(`“${recipe.name}” deleted.`, "Undo", async () => {
        await ask("POST", `/api/recipes/${recipe.id}/restore`);
        await this.refresh();
      });
    });
  },

  chooseFiles(event) {
    const files = Array.from(event.target.files);
    event.target.value = "";
    return this.takeIn(files);
  },
  /** Take in recipe files; what is wrong with one is said with its place. */
  async takeIn(files) {
    this.problems = [];
    let count = 0;
    for (const file of files) {
      try {
        await ask("POST", "/api/recipes/file", { file: file.name, text: await file.text() });
        count += 1;
      } catch (problem) {
        this.problemFile = file.name;
        this.problems = (problem.body?.problems || []).map(({ path, message }) => (path ? `${path}: ${message}` : message));
        if (!this.problems.length) this.problems = [problem.message];
      }
    }
    if (!count) return;
    say(`${count} ${count === 1 ? "recipe" : "recipes"} taken in.`);
    await this.refresh();
  },
}));

Alpine.start();
