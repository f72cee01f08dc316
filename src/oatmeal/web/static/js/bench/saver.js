// Saving by itself: every change is one undo step, sent in order; nothing is overwritten silently.
import { ask } from "../api.js";
import { own } from "../library.js";
import { copy, same } from "./paths.js";
import { remembered } from "../told.js";

const RETRY_MS = 3000;
/** The key is another one. */
const REFUSED = 403;

export class Saver {
  /**
   * @param {any} version the version's state as the server told it
   * @param {any} shown what the page shows of saving: words, trouble, conflict, undo, redo
   * @param {(recipe: any, pins?: any[]) => void} replaced called when another recipe is in force, and other pins
   */
  constructor(version, shown, replaced) {
    this.address = `/api/versions/${version.id}`;
    this.memory = own(`oatmeal-unsaved-${version.id}`);
    this.shown = shown;
    this.replaced = replaced;
    /** What is not stored yet, in order: recipes, and moves through the history. @type {{recipe?: any, where?: string, body?: any}[]} */
    this.queue = [];
    /** Pins that are not stored yet. @type {any[]|null} */
    this.pins = null;
    this.busy = null;
    this.take(version);
    this.hold(version.recipe);
  }

  /**
   * What the server holds, and the form in which this page sent it: the server leaves out what rests.
   * @param {any} recipe @param {any} [sent]
   */
  hold(recipe, sent = recipe) {
    this.saved = copy(recipe);
    this.sent = copy(sent);
  }

  take(version) {
    this.revision = version.revision;
    this.shown.undo = version.undo;
    this.shown.redo = version.redo;
  }

  /** What an earlier page could not save, if there is any. */
  unsaved() {
    try {
      return remembered(this.memory);
    } catch {
      return null;
    }
  }

  /** Store a recipe as one undo step; false if there is nothing new in it. */
  save(recipe) {
    const mine = this.mine();
    const known = mine ? [mine] : [this.saved, this.sent];
    if (known.some((one) => same(recipe, one))) return false;
    this.add({ recipe: copy(recipe) });
    return true;
  }

  /** Let something wait its turn; resolves when everything is stored. @param {{recipe?: any, where?: string, body?: any}} entry */
  add(entry) {
    this.queue.push(entry);
    this.remember();
    return this.flush();
  }

  /** The newest recipe that is not stored. */
  mine() {
    return this.queue.findLast(({ recipe }) => recipe)?.recipe;
  }

  /** Store the pins, in order with the recipes. @param {any[]} pins */
  savePins(pins) {
    this.pins = copy(pins);
    this.flush();
  }

  remember() {
    if (!this.queue.length) localStorage.removeItem(this.memory);
    else {
      const recipe = this.mine();
      const after = this.queue.slice(this.queue.findLastIndex((entry) => entry.recipe) + 1);
      localStorage.setItem(this.memory, JSON.stringify({ revision: this.revision, recipe, moves: after }));
    }
  }

  /** Resolves when everything is stored, or cannot be now. */
  flush() {
    this.busy ??= this.work().finally(() => {
      this.busy = null;
    }).then(() => (this.waits() ? this.flush() : undefined)); // it came while the last answer was taken
    return this.busy;
  }

  waits() {
    return (this.queue.length > 0 || this.pins !== null) && !this.shown.conflict;
  }

  async work() {
    while (this.waits()) {
      this.say("saving …");
      try {
        const [next] = this.queue;
        if (next?.recipe) await this.sendRecipe(next.recipe);
        else if (next) await this.sendMove(next);
        else await this.sendPins(this.pins);
      } catch (problem) {
        if (!this.trouble(problem)) return;
        await new Promise((resolve) => { setTimeout(resolve, RETRY_MS); });
      }
    }
    if (!this.shown.conflict) this.say("saved");
  }

  async sendRecipe(recipe) {
    const version = await ask("PUT", `${this.address}/recipe`, { revision: this.revision, recipe }, { keepalive: true });
    this.queue.shift();
    this.hold(version.recipe, recipe);
    this.take(version);
    this.remember();
  }

  /** Undo, redo or another step of the history; what the page shows is replaced unless it was changed since. */
  async sendMove(/** @type {any} */ { where, body }) {
    if (!(where in this.shown) || this.shown[where]) {
      const version = await ask("POST", `${this.address}/${where}`, { revision: this.revision, ...body });
      this.take(version);
      this.hold(version.recipe);
    }
    this.queue.shift();
    this.remember();
    if (!this.queue.length) this.replaced(copy(this.saved));
  }

  async sendPins(pins) {
    const version = await ask("PUT", `${this.address}/pins`, { revision: this.revision, pins }, { keepalive: true });
    if (this.pins === pins) this.pins = null;
    this.take(version);
  }

  /** Tell what went wrong; true if trying again makes sense. */
  trouble(problem) {
    if (problem.status === 409) {
      this.newer = problem.body.current;
      this.shown.conflict = true;
      this.say("not saved", true);
      return false;
    }
    if (problem.status === REFUSED) {
      this.say(problem.message, true); // Oatmeal was started anew: in another tab one may come in by its new address
      return true;
    }
    if (problem.status === 0 || problem.status >= 500) {
      this.say("not saved yet, trying again", true);
      return true;
    }
    this.queue = [];
    this.pins = null;
    this.remember();
    this.say(problem.message, true);
    return false;
  }

  say(words, trouble = false) {
    this.shown.words = words;
    this.shown.trouble = trouble;
  }

  /** @param {"undo"|"redo"} which */
  step(which) {
    return this.add({ where: which });
  }

  /** Let a step of the history be in force. @param {number} step */
  go(step) {
    return this.add({ where: "go", body: { step } });
  }

  /** Ask whether this version was changed elsewhere; if so, say so before anything is done on top. */
  async check() {
    if (this.busy || this.queue.length || this.pins || this.shown.conflict) return;
    let version;
    try {
      version = await ask("GET", this.address);
    } catch {
      return; // the next change will tell what is wrong
    }
    if (this.busy || this.queue.length || version.revision <= this.revision) return;
    this.newer = version;
    this.shown.conflict = true;
    this.say("behind", true);
  }

  /** Show what was stored elsewhere; what this page holds stays in the history, as a branch that was left. */
  async showNewer() {
    const mine = this.mine();
    this.queue = [];
    this.pins = null;
    this.remember();
    this.shown.conflict = false;
    this.take(this.newer);
    this.hold(this.newer.recipe);
    this.say("saved");
    if (mine && !same(mine, this.newer.recipe)) {
      this.save(mine);
      await this.step("undo");
    }
    this.replaced(copy(this.saved), copy(this.newer.pins));
  }

  /** Store what this page holds as a further step on top of the newer state. */
  takeOver() {
    const mine = this.mine() || this.saved;
    this.shown.conflict = false;
    this.take(this.newer);
    this.hold(this.newer.recipe);
    this.queue = [];
    this.say("saved");
    this.save(mine);
    this.flush();
  }
}
