// The bench's keys: what they do, and which key the photographer gave each.
import { say } from "../api.js";

const MEMORY = "oatmeal-keys";

/** What single keys do: id, key, words; `held` acts act while the key is down. */
export const ACTS = [
  { id: "colour", key: "c", words: "see the colour original", held: true },
  { id: "plain", key: "p", words: "see the plain conversion", held: true },
  { id: "without", key: "w", words: "see the frame without the step that is open", held: true },
  { id: "flip", key: "x", words: "see the compared picture in place of the present one", held: true },
  { id: "compare", key: "k", words: "compare, or leave comparing" },
  { id: "beside", key: "b", words: "compare split or side by side" },
  { id: "zoom", key: "f", words: "fit, or the file’s own pixels" },
  { id: "closer", key: "+", words: "zoom closer" },
  { id: "farther", key: "-", words: "zoom farther" },
  { id: "alone", key: "o", words: "the picture alone on the window" },
  { id: "thirds", key: "g", words: "lines of thirds" },
  { id: "surround", key: "u", words: "next surround: grey, white, black" },
  { id: "clipping", key: "e", words: "mark what clips at the ends" },
  { id: "pin", key: "i", words: "pin under the pointer" },
  { id: "mix", key: "m", words: "the step Mix" },
  { id: "tone", key: "t", words: "the step Tone" },
  { id: "strip", key: "s", words: "test strip; 1 to 9 keep a band" },
  { id: "switch", key: "q", words: "take the open step out, or put it back" },
  { id: "history", key: "h", words: "history" },
  { id: "version", key: "v", words: "next version" },
  { id: "before", key: ",", words: "previous frame" },
  { id: "after", key: ".", words: "next frame" },
  { id: "export", key: "d", words: "export" },
  { id: "help", key: "?", words: "this list" },
];

/** Keys that are not free: digits keep bands, and these mean something on every control. */
const TAKEN = /^[0-9 ]$|^.{2,}$/;

/** The part of the bench that listens to keys; `acts()` gives what each id does, `held(id, on)` acts while held. */
export function keying() {
  return {
    helping: false,
    keys: { ...standard(), ...remembered() },
    keyAsked: "",
    actList: ACTS,

    /** Words with the key that does the same. */
    keyed(words, id) {
      return `${words} (${this.keyName(id)})`;
    },
    keyName(id) {
      return this.keyAsked === id ? "press a key …" : this.keys[id].toUpperCase();
    },
    help() {
      this.helping = true;
      this.keyAsked = "";
      this.$nextTick(() => this.$refs.helpClose.focus());
    },
    closeHelp() {
      this.helping = false;
      this.keyAsked = "";
      this.$refs.surround.focus({ preventScroll: true });
    },
    askKey(id) {
      this.keyAsked = this.keyAsked === id ? "" : id;
    },
    usualKeys() {
      this.keys = standard();
      this.keyAsked = "";
      localStorage.removeItem(MEMORY);
    },
    /** Give the act that was asked for the key that was pressed. */
    takeKey(event) {
      if (["Tab", "Shift", "Enter", "Control", "Alt", "Meta", "CapsLock"].includes(event.key)) return;
      event.preventDefault();
      event.stopPropagation();
      const key = event.key.toLowerCase();
      const id = this.keyAsked;
      const owner = ACTS.find((act) => act.id !== id && this.keys[act.id] === key);
      if (event.key === "Escape") this.keyAsked = "";
      else if (event.ctrlKey || event.altKey || event.metaKey || TAKEN.test(key)) say("Take a single letter or sign.");
      else if (owner) say(`That key is for “${owner.words}”: give that another one first.`);
      else {
        this.keys[id] = key;
        this.keyAsked = "";
        localStorage.setItem(MEMORY, JSON.stringify(this.keys));
      }
    },

    key(event) {
      if (this.helping && this.keyAsked) {
        this.takeKey(event);
        return;
      }
      if (event.key === "Escape" && this.leave()) return;
      if (event.target.closest("input:not([type=range]):not([type=checkbox]), textarea, select")) return;
      const command = event.ctrlKey || event.metaKey;
      const letter = event.key.toLowerCase();
      if (command && (letter === "z" || letter === "y") && !this.covered()) {
        event.preventDefault();
        if (letter === "y" || event.shiftKey) this.redo();
        else this.undo();
        return;
      }
      const onBench = event.target === document.body || event.target.closest(".bench");
      if (command || event.altKey || !onBench || this.covered()) return;
      if (this.single(letter, event)) event.preventDefault();
    },
    /** True while a dialog covers the bench. */
    covered() {
      return Boolean(this.exporting || this.helping || this.startsOpen);
    },
    single(letter, event) {
      if (this.strip && /^[1-9]$/.test(letter)) {
        this.keepBand(Number(letter) - 1);
        return true;
      }
      const act = ACTS.find(({ id }) => this.keys[id] === letter);
      if (act) {
        if (event.repeat) return true;
        if (act.held) this.hold(act.id, true);
        else this.acts()[act.id]();
        return true;
      }
      return event.target === this.$refs.surround && this.panBy(event);
    },
    keyUp(event) {
      const letter = event.key.toLowerCase();
      const act = ACTS.find(({ id, held }) => held && this.keys[id] === letter);
      if (act) this.hold(act.id, false);
    },
    hold(id, on) {
      if (id === "flip") this.flip(on);
      else if (id === "without") this.without(on);
      else if (on) this.show(id);
      else if (this.showing === id) this.show("grey");
    },
  };
}

const standard = () => Object.fromEntries(ACTS.map(({ id, key }) => [id, key]));

function remembered() {
  try {
    const found = JSON.parse(localStorage.getItem(MEMORY)) || {};
    return Object.fromEntries(Object.entries(found).filter(([id]) => ACTS.some((act) => act.id === id)));
  } catch {
    return {};
  }
}
