// Saving by itself: every change is one undo step, sent in order; nothing is overwritten silently.
import { ask } from "../api.js";
import { own } from "../library.js";
import { copy, same } from "./paths.js";

const RETRY_MS = 3000;

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
      return JSON.parse(localStorage.getItem(this.memory));
    } catch {
      return null;
    }
  }

  /** Store a recipe as one undo step. */
  save(recipe) {
    const last = this.queue.length ? [this.queue.at(-1)] : [this.saved, this.sent];
    if (last.some((one) => same(recipe, one))) return;
    this.queue.push(copy(recipe));
    this.remember();
    this.flush();
  }

  /** Store the pins, in order with the recipes. @param {any[]} pins */
  savePins(pins) {
    this.pins = copy(pins);
    this.flush();
  }

  remember() {
    if (!this.queue.length) localStorage.removeItem(this.memory);
    else {
      const left = { revision: this.revision, recipe: this.queue.at(-1) };
      localStorage.setItem(this.memory, JSON.stringify(left));
    }
  }

  /** Resolves when everything is stored, or cannot be now. */
  flush() {
    this.busy ??= this.work().finally(() => {
      this.busy = null;
    });
    return this.busy;
  }

  async work() {
    while ((this.queue.length || this.pins) && !this.shown.conflict) {
      this.say("saving …");
      try {
        if (this.queue.length) await this.sendRecipe(this.queue[0]);
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
  async step(which) {
    this.say("saving …");
    await this.flush();
    if (this.shown.conflict) return;
    if (!this.shown[which]) {
      this.say("saved");
      return;
    }
    await this.move(which, {});
  }

  /** Let a step of the history be in force. */
  async go(step) {
    await this.flush();
    if (!this.shown.conflict) await this.move("go", { step });
  }

  async move(where, body) {
    this.say("saving …");
    try {
      const version = await ask("POST", `${this.address}/${where}`, { revision: this.revision, ...body });
      this.take(version);
      this.hold(version.recipe);
      this.replaced(copy(version.recipe));
      this.say("saved");
    } catch (problem) {
      this.trouble(problem);
    }
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
    const mine = this.queue.at(-1);
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
    const mine = this.queue.at(-1) || this.saved;
    this.shown.conflict = false;
    this.take(this.newer);
    this.hold(this.newer.recipe);
    this.queue = [];
    this.say("saved");
    this.save(mine);
    this.flush();
  }
}
