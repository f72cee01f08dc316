// Areas: the list, what is done in each, their masks' parts, groups, and what is shown of them.
import { say } from "../api.js";
import { at, clamp, copy, put, same, words } from "./paths.js";
import { declared } from "./settings.js";
import { follow } from "./svg.js";
import { dragged } from "./pointer.js";
import { context } from "../told.js";

const OFFSET = 0.03;
const PX_PER_STOP = 90;
const FINE = 0.2;
const STEP = 0.05;
const ABOVE = 20;
/** How much of a colour is painted when it is first chosen, in percent. */
const PAINTED = 60;
const KINDS = {
  strokes: "brush", fade: "fade", ellipse: "ellipse", outline: "outline", alike: "alike", tones: "tones", colours: "colours", area: "mask of",
};
const HOWS = { add: "adds", subtract: "takes away", intersect: "limits" };

/**
 * The areas.
 * @param {Pick<import("./bench.js").Bench, "compare" | "frame" | "light" | "masks" | "parts" | "refs" | "root" | "sight" | "spots" | "strips" | "threads" | "version" | "vocabulary" | "work">} bench
 */
export function areaing(bench) {
  const { settings, most_areas: most } = bench.vocabulary;
  const fresh = () => copy(bench.vocabulary.new_area);
  return {
    /** Id of the chosen area; none: the next gesture makes a new one. */
    chosen: "",
    /** Ids of those that are chosen with it, by Shift or Ctrl. @type {string[]} */
    also: [],
    /** The chosen part of its mask. */
    part: -1,
    /** What is open below the list: values, parts or threads. */
    view: "values",
    /** What is drawn of each area, by id. @type {Object<string, any>} */
    shown: {},
    /** Where the tags stand on the surround, by id. @type {Object<string, {x: number, y: number}>} */
    tagsAt: {},
    mapOpen: false,
    alone: false,
    hidden: false,

    isOpen() {
      return bench.work.step === "areas";
    },
    /** True where gestures on the picture work on areas. */
    works() {
      return this.isOpen() && bench.work.recipe.areas.on && !bench.compare.comparing && !bench.strips.strip;
    },
    list() {
      return bench.work.recipe.areas.list;
    },
    groups() {
      return bench.work.recipe.areas.groups;
    },
    /** @param {string} [id] otherwise the chosen one */
    number(id) {
      const wanted = id ?? this.chosen;
      return this.list().findIndex((one) => one.id === wanted);
    },
    one() {
      return this.list()[this.number()];
    },
    ids() {
      return this.list().map(({ id }) => id);
    },
    byId(id) {
      return this.list()[this.number(id)];
    },
    /** A value of the chosen area itself, where there is one. */
    of(key) {
      return this.one()?.[key];
    },
    isShield() {
      return this.of("kind") === "shield";
    },
    isOn(id) {
      return Boolean(this.byId(id)?.on);
    },
    ofPart(number, key) {
      return this.mask()[number]?.[key];
    },
    called(id) {
      const one = this.byId(id);
      return one ? one.name || `area ${this.number(id) + 1}` : "";
    },
    path(key) {
      return `areas.list.${Math.max(0, this.number())}.${key}`;
    },
    value(key) {
      return at(this.one() ?? {}, key) ?? settings[`areas.list.*.${key}`].rest;
    },
    words(key) {
      return words(this.value(key), settings[`areas.list.*.${key}`].signed);
    },
    atRest(key) {
      return !this.one() || same(this.value(key), settings[`areas.list.*.${key}`].rest);
    },
    /** A press on a row: with Ctrl one more is chosen, with Shift all up to it. @param {MouseEvent} event @param {string} id */
    chooseRow(event, id) {
      const several = this.several();
      if (event.shiftKey && this.one()) {
        const [from, to] = [this.number(), this.number(id)].sort((one, other) => one - other);
        this.also = this.ids().slice(from, to + 1).filter((other) => other !== this.chosen);
      } else if ((event.ctrlKey || event.metaKey) && this.one()) {
        const left = several.includes(id) ? several.filter((other) => other !== id) : [...several, id];
        if (!left.includes(this.chosen)) this.choose(left[0] ?? "");
        this.also = left.filter((other) => other !== this.chosen);
      } else this.choose(id);
    },
    /** Ids of all that are chosen. */
    several() {
      return this.ids().filter((id) => id === this.chosen || this.also.includes(id));
    },
    isChosen(id) {
      return id === this.chosen || this.also.includes(id);
    },
    choose(id, part = -1) {
      this.chosen = id;
      this.also = [];
      const own = this.byId(id);
      this.part = part >= 0 || !own ? part : own.mask.length - 1;
      if (own && this.part >= 0) bench.masks.toolOf(own.mask[this.part].kind);
      if (!own) this.alone = false;
      this.look();
    },
    leave() {
      this.choose("");
    },
    /** Another recipe is in force: what was chosen may be gone. */
    replaced() {
      if (!this.one()) this.chosen = "";
      this.part = Math.min(this.part, this.mask().length - 1);
      if (this.alone && !this.one()) this.alone = false;
      this.draw();
    },
    /** What is seen of the areas is asked for anew. */
    look() {
      bench.sight.show(bench.light.layer());
      bench.frame.ask(false);
      this.draw();
    },
    draw() {
      const { picture } = bench.parts;
      bench.parts.overlay?.draw();
      if (!this.isOpen() || !picture) return;
      this.tagsAt = Object.fromEntries(Object.entries(this.shown).flatMap(([id, { tag }]) => (tag ? [[id, this.tagAt(id, tag)]] : [])));
    },

    // what the frame is asked for
    /** Ids of the areas whose contours are wanted. @param {boolean} moving */
    wanted(moving) {
      if (!this.isOpen()) return [];
      return moving && !this.mapOpen ? this.ids().filter((id) => id === this.chosen) : this.ids();
    },
    arrived(found) {
      this.shown = { ...this.shown, ...found };
      this.draw();
    },
    /** Contours on the picture: the chosen area's, or all of a printing map. */
    contoured() {
      if (!this.works() || this.alone) return [];
      return this.ids().filter((id) => this.shown[id] && (id === this.chosen || (this.mapOpen && this.acts(id))) && !(this.hidden && !this.mapOpen));
    },
    acts(id) {
      const one = this.byId(id);
      return one.on && !this.groups().some((group) => group.id === one.group && !group.on);
    },
    toggleMap() {
      this.mapOpen = !this.mapOpen;
      this.alone = false;
      this.look();
    },
    toggleAlone() {
      this.alone = !this.alone && Boolean(this.one());
      if (this.alone) this.mapOpen = false;
      this.look();
    },
    toggleContours() {
      this.hidden = !this.hidden;
      this.draw();
    },
    mapAddress(kind) {
      return `/versions/${bench.version.id}/map?format=${kind}`;
    },

    // making and changing
    /** A new area; the part that is drawn into it follows. @param {string} kind */
    make(kind) {
      if (this.list().length >= most) {
        say(`There can be ${most} areas at the most.`);
        return null;
      }
      const numbers = this.list().map(({ id }) => Number(id.replace(/\D/g, "")) || 0);
      const id = `a${Math.max(0, ...numbers) + 1}`;
      const word = KINDS[kind];
      const name = `${word[0].toUpperCase()}${word.slice(1)} ${this.list().filter(({ name: other }) => other.startsWith(word[0].toUpperCase() + word.slice(1))).length + 1}`;
      this.list().push({ ...fresh(), id, name });
      this.chosen = id;
      this.part = -1;
      return this.one();
    },
    /** A value of an area; the others of its group move by as much. @param {string} path @param {any} value */
    set(path, value) {
      const { recipe } = bench.work;
      const [, , place, ...keys] = path.split(".");
      const key = keys.join(".");
      const one = this.list()[Number(place)];
      const before = at(recipe, path);
      const fits = (area, wanted) => {
        const { low, high } = declared(settings, path, recipe);
        const kept = low === undefined ? wanted : clamp(wanted, low, high);
        return /^values\.threads\.\w+\.hue$/.test(key) ? bench.threads.hueWithin(keys[2], kept, area.values.threads) : kept;
      };
      put(one, key, fits(one, value));
      if (!one.group || typeof value !== "number" || !key.startsWith("values.")) return;
      for (const other of this.list()) {
        if (other !== one && other.group === one.group) put(other, key, Math.round(fits(other, at(other, key) + value - before) * 1000) / 1000);
      }
    },
    /** The colour that is painted; the first one that is chosen is seen. */
    paintWith(event) {
      const { paint } = this.one().values;
      paint.colour = event.target.value;
      if (!paint.amount) paint.amount = PAINTED;
      bench.work.changing();
    },
    rename(event) {
      this.one().name = event.target.value.trim().slice(0, 80);
      bench.work.settle();
    },
    toggle(id) {
      const one = this.byId(id);
      one.on = !one.on;
      bench.work.settle();
    },
    toggleOf(key) {
      const one = this.one();
      one[key] = !one[key];
      bench.work.settle();
    },
    toggleShield() {
      const one = this.one();
      one.kind = one.kind === "shield" ? "area" : "shield";
      bench.work.settle();
    },
    /** Earlier (-1) or later (1) in the list. */
    order(way) {
      const from = this.number();
      const to = from + way;
      if (from < 0 || to < 0 || to >= this.list().length) return;
      this.list().splice(to, 0, ...this.list().splice(from, 1));
      bench.work.settle();
    },
    rowKey(event, id) {
      const way = { ArrowUp: -1, ArrowDown: 1 }[event.key];
      if (event.key === "Delete" || event.key === "Backspace") this.drop(id);
      else if (way && event.altKey) {
        this.choose(id);
        this.order(way);
      } else if (way) {
        const next = this.list()[this.number(id) + way];
        if (!next) return;
        this.choose(next.id);
        /** @type {HTMLElement} */ (bench.root.querySelector(`[data-area="${next.id}"]`))?.focus();
      } else return;
      event.preventDefault();
      event.stopPropagation();
    },
    /** A copy beside the original, or by as much as it was dragged. @param {number[]} [by] */
    duplicate(by = [OFFSET, OFFSET]) {
      const from = this.one();
      const made = from && this.make("strokes");
      if (!made) return;
      const { id } = made;
      Object.assign(made, copy(from), { id, name: from.name ? this.nextName(from.name) : "" });
      const moved = (/** @type {number} */ axis) => Math.round(clamp(made.move[axis] + by[axis], -1, 1) * 1e5) / 1e5;
      made.move = [moved(0), moved(1)];
      this.part = made.mask.length - 1;
    },
    /** What a copy is called: "Sky 2" after "Sky". @param {string} name */
    nextName(name) {
      const stem = name.replace(/ \d+$/, "");
      const taken = this.ids().map((id) => this.called(id));
      let number = 2;
      while (taken.includes(`${stem} ${number}`)) number += 1;
      return `${stem} ${number}`;
    },
    duplicateChosen() {
      // what looks at the picture would look elsewhere
      const looks = this.mask().some(({ kind }) => ["alike", "tones", "colours"].includes(kind));
      this.duplicate(looks ? [0, 0] : undefined);
      bench.work.settle();
      this.look();
    },
    /** A second area that follows the first one's mask inverted. */
    outside() {
      const from = this.chosen;
      const name = this.called(from);
      const made = this.make("area");
      if (!made) return;
      Object.assign(made, { name: `Outside ${name}`, mask: [this.follow(from, true)] });
      this.part = 0;
      bench.work.settle();
      this.look();
    },
    follow(id, opposite = false) {
      return { kind: "area", how: "add", opposite, on: true, area: id };
    },
    /** The chosen area takes another one's mask too. */
    takeMask(event) {
      const id = event.target.value;
      event.target.value = "";
      if (!id || !this.one()) return;
      if (this.leads(id, this.chosen)) {
        say(`${this.called(id)} already follows this mask: masks cannot follow each other in a circle.`);
        return;
      }
      this.one().mask.push({ ...this.follow(id), how: bench.masks.how });
      this.part = this.one().mask.length - 1;
      bench.work.settle();
    },
    /** True if an area's mask is, or follows, that of another one. */
    leads(id, other) {
      return id === other || this.byId(id).mask.some((part) => part.kind === "area" && this.leads(part.area, other));
    },
    othersIds() {
      return this.ids().filter((id) => id !== this.chosen);
    },
    /** @param {string} [which] otherwise the chosen one */
    drop(which) {
      const id = which ?? this.chosen;
      if (!this.byId(id)) return;
      const told = this.takeAway(id);
      bench.work.settle();
      bench.work.tellStep(told);
    },
    /** Take an area out of the list; what became of it. @param {string} id */
    takeAway(id) {
      const one = this.byId(id);
      const name = this.called(id);
      const place = this.number(id);
      const followers = this.list().filter((other) => other.mask.some((part) => part.kind === "area" && part.area === id));
      const bound = followers.find((other) => !this.keeps(other, one));
      if (bound) {
        one.on = false;
        return `${name} is switched off, not removed: the mask of ${this.called(bound.id)} follows it.`;
      }
      for (const other of followers) this.keep(other, one);
      this.list().splice(place, 1);
      delete this.shown[id];
      this.choose(this.list()[Math.min(place, this.list().length - 1)]?.id || "");
      return `${name} is removed.`;
    },
    /** True if an area's mask is nothing but another one's. */
    isAll(other) {
      return other.mask.length === 1 && other.mask[0].how === "add" && other.mask[0].on;
    },
    /** True if what follows a mask can say the same without it. */
    keeps(other, one) {
      return this.isAll(other) || this.isOne(other, one);
    },
    /** True if a single part, that lies where it lay, can stand in the place of a mask. */
    isOne(other, one) {
      return one.mask.length === 1 && one.mask[0].on && same(bench.masks.moveOf(other), bench.masks.moveOf(one));
    },
    /** What followed a mask takes its parts, and lies where that lay. */
    keep(other, one) {
      if (!this.isOne(other, one)) {
        const moves = [other, one].map((area) => bench.masks.moveOf(area));
        other.opposite = other.opposite !== (one.opposite !== other.mask[0].opposite);
        other.move = [0, 1].map((axis) => clamp(Math.round((other.move[axis] + moves[1][axis] - moves[0][axis]) * 1e5) / 1e5, -1, 1));
        other.mask = copy(one.mask);
        return;
      }
      const [own] = one.mask;
      other.mask = other.mask.map((part) => (part.kind === "area" && part.area === one.id
        ? { ...copy(own), how: part.how, on: part.on, opposite: own.opposite !== (one.opposite !== part.opposite) } : part));
    },
    resetAll() {
      bench.work.recipe.areas = copy(bench.work.rest.areas);
      this.choose("");
      bench.work.settle();
      bench.work.tellStep("All areas are taken away.");
    },

    /** All that are chosen are removed; one undo. */
    dropChosen() {
      const several = this.several();
      if (several.length < 2) {
        this.drop();
        return;
      }
      const told = several.map((id) => this.takeAway(id));
      bench.work.settle();
      bench.work.tellStep(told.find((line) => line.includes("not removed")) ?? `${several.length} areas are removed.`);
    },

    // groups
    chooseGroup(event) {
      const id = event.target.value === "new" ? this.newGroup() : event.target.value;
      this.one().group = id;
      this.groupsLeft();
    },
    /** All that are chosen become one group. */
    groupChosen() {
      const several = this.several();
      const id = this.newGroup();
      for (const one of several) this.byId(one).group = id;
      this.groupsLeft();
      bench.work.tellStep(`${several.length} areas are ${this.groups()[this.groupNumber()].name}: what is changed in one changes in all.`);
    },
    newGroup() {
      const numbers = this.groups().map(({ id }) => Number(id.slice(1)) || 0);
      const id = `g${Math.max(0, ...numbers) + 1}`;
      this.groups().push({ id, name: `Group ${this.groups().length + 1}`, on: true, amount: 100, move: [0, 0] });
      return id;
    },
    /** Groups that hold nothing are gone. */
    groupsLeft() {
      bench.work.recipe.areas.groups = this.groups().filter((group) => this.list().some((area) => area.group === group.id));
      bench.work.settle();
    },
    groupPath(number, key) {
      return `areas.groups.${number}.${key}`;
    },
    groupNumber() {
      return this.groups().findIndex(({ id }) => id === this.one()?.group);
    },
    groupAmount() {
      return words(this.groups()[this.groupNumber()]?.amount ?? 100);
    },
    groupOn() {
      return Boolean(this.groups()[this.groupNumber()]?.on);
    },
    toggleGroup() {
      const group = this.groups()[this.groupNumber()];
      group.on = !group.on;
      bench.work.settle();
    },

    // parts
    mask() {
      return this.one()?.mask ?? [];
    },
    numbers() {
      return this.mask().map((_, number) => number);
    },
    thePart() {
      return this.mask()[this.part] ?? {};
    },
    choosePart(number) {
      this.part = number;
      bench.masks.toolOf(this.thePart().kind);
      this.draw();
    },
    partWords(number) {
      const part = this.mask()[number];
      if (!part) return "";
      const counted = (count) => `${count} ${count === 1 ? "stroke" : "strokes"}`;
      if (part.kind === "strokes") return `brush, ${counted(part.strokes.length)}`;
      if (part.kind === "alike") return `alike, ${counted(part.this.length + part.not.length)}`;
      if (part.kind === "area") return `mask of ${this.called(part.area)}`;
      return KINDS[part.kind];
    },
    hows: Object.entries(HOWS).map(([id, word]) => ({ id, words: word })),
    setHow(event, number) {
      this.mask()[number].how = event.target.value;
      bench.work.settle();
    },
    togglePart(number, key) {
      this.mask()[number][key] = !this.mask()[number][key];
      bench.work.settle();
    },
    dropPart(number) {
      this.mask().splice(number, 1);
      this.part = Math.min(this.part, this.mask().length - 1);
      bench.work.settle();
      this.draw();
    },
    /** Numbers of the chosen part that can be typed. @returns {{key: string, words: string, low: number, high: number, factor: number, unit: string}[]} */
    partNumbers() {
      return bench.vocabulary.part_numbers[this.thePart().kind] ?? [];
    },
    partShown({ key, factor }) {
      const value = at(this.thePart(), key);
      return value === undefined ? "" : words(value * factor);
    },
    typePart(event, { key, low, high, factor }) {
      const typed = Number(event.target.value.replace(/[\u2212\u2013]/g, "-").replace(",", "."));
      if (!Number.isFinite(typed) || event.target.value.trim() === "") say("Type a number.");
      else {
        const kept = clamp(typed, low, high);
        if (kept !== typed) say(`From ${words(low)} to ${words(high)}: ${words(kept)} was taken.`);
        this.setPart(key, kept / factor);
        bench.work.settle();
      }
      event.target.value = this.partShown({ key, factor });
    },
    partKey(event, { key, low, high, factor }) {
      const way = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key];
      if (!way) return;
      event.preventDefault();
      const step = (high - low) / 100;
      this.setPart(key, clamp(at(this.thePart(), key) * factor + way * step, low, high) / factor);
      bench.work.changing();
      bench.work.settle("soon");
    },
    setPart(key, value) {
      const part = this.thePart();
      const rounded = Math.round(value * 1e5) / 1e5;
      if (key === "low") part.low = Math.min(rounded, part.high);
      else if (key === "high") part.high = Math.max(rounded, part.low);
      else put(part, key, rounded);
    },

    // words
    /** True for what a test strip may try: of the chosen area, where there is one. */
    isTried(path) {
      const [step, owner, place] = path.split(".");
      return step !== "areas" || owner === "groups" || !this.one() || Number(place) === this.number();
    },
    trialWords(path, what) {
      const [, owner, place] = path.split(".");
      const item = owner === "list" ? this.called(this.list()[Number(place)].id) : this.groups()[Number(place)].name;
      return `${item}: ${what}`;
    },
    tagWords(id) {
      const one = this.byId(id);
      if (!one) return "";
      if (one.kind === "shield") return "shield";
      const said = this.said(one.values);
      return said.length ? said.slice(0, this.mapOpen ? 2 : 1).join(" · ") : this.called(id);
    },
    /** What is done in an area, the exposure first and without its name. */
    said(values) {
      const found = values.exposure ? [words(values.exposure, true)] : [];
      for (const [path, { words: name, rest, signed }] of Object.entries(settings)) {
        const key = path.replace("areas.list.*.values.", "");
        if (key === path || key === "exposure" || key === "character" || same(at(values, key), rest)) continue;
        found.push(`${name.replace("{}", /** @type {string} */ (key.split(".").at(-2)))} ${words(at(values, key), signed)}`);
      }
      return found;
    },
    rowWords(id) {
      const one = this.byId(id);
      if (!one) return "";
      const parts = one.mask.map((part) => `${part.how === "subtract" ? "less " : ""}${part.kind === "area" ? `${part.opposite ? "opposite" : "mask"} of ${this.called(part.area)}` : KINDS[part.kind]}`);
      const group = this.groups().find((other) => other.id === one.group);
      const mask = parts.length > 3 ? `${parts.slice(0, 3).join(" · ")} · …` : parts.join(" · ");
      return `${one.kind === "shield" ? "shield: " : ""}${mask || "nothing drawn yet"}${group ? ` · ${group.name}` : ""}`;
    },
    exposureOf(id) {
      const one = this.byId(id);
      return one?.values.exposure ? words(one.values.exposure, true) : "";
    },
    listWords() {
      const count = this.list().length;
      return count ? `${count} ${count === 1 ? "area" : "areas"}` : "none yet: choose a tool and draw on the picture";
    },
    /** Paint a small mask. @param {HTMLCanvasElement} canvas @param {string} id */
    thumb(canvas, id) {
      const found = this.shown[id]?.thumb;
      if (!found) return;
      const [width, height, data] = found;
      const codes = atob(data);
      Object.assign(canvas, { width, height });
      const image = new ImageData(width, height);
      for (let i = 0; i < codes.length; i += 1) image.data.set([codes.charCodeAt(i), codes.charCodeAt(i), codes.charCodeAt(i), 255], 4 * i);
      context(canvas).putImageData(image, 0, 0);
    },

    // tags
    /** Where the chosen area is taken hold of. */
    anchor() {
      const tag = !this.hidden && this.works() && !this.alone && this.shown[this.chosen]?.tag;
      if (!tag) return null;
      const { x, y } = this.tagAt(this.chosen, tag);
      return { at: [x, y - ABOVE], words: `${this.called(this.chosen)}: drag or arrows move it, with Alt a copy` };
    },
    /** Where the tag of an area stands on the surround: where it was begun, or in the middle of its mask. @param {string} id @param {number[]} tag */
    tagAt(id, tag) {
      const { picture } = bench.parts;
      const begun = bench.masks.begunAt(this.byId(id));
      return begun ? { x: begun[0], y: begun[1] } : picture.placeOf(picture.point({ x: tag[0], y: tag[1] }));
    },
    tagStyle(id) {
      const place = this.tagsAt[id];
      return place ? { left: `${place.x}px`, top: `${place.y - 44}px` } : { display: "none" };
    },
    tags() {
      if (!this.works() || this.alone) return [];
      return this.ids().filter((id) => this.shown[id]?.tag && ((id === this.chosen && this.held()) || (this.mapOpen && this.acts(id))));
    },
    /** The chosen area can be taken hold of: not under a brush, which paints there. */
    held() {
      return this.mapOpen || !bench.masks.brushes();
    },
    /** Drag a tag up or down: exposure. */
    grabTag(event, id) {
      if (event.button !== 0) return;
      event.preventDefault();
      event.stopPropagation();
      event.currentTarget.focus({ preventScroll: true });
      if (this.chosen !== id) this.choose(id);
      const one = this.one();
      const begun = copy(this.list());
      let [last, stops, moved] = [event, one.values.exposure, false];
      follow(event.currentTarget, event, (next) => {
        stops += ((last.clientY - next.clientY) / PX_PER_STOP) * (next.shiftKey ? FINE : 1);
        last = next;
        moved ||= dragged(event, next);
        if (!moved) return;
        this.set(this.path("values.exposure"), Math.round(stops * 100) / 100);
        bench.work.changing();
      }, (ended) => {
        if (!moved) return;
        if (ended.type === "pointercancel") bench.work.recipe.areas.list = begun;
        bench.work.settle();
      });
    },
    tagKey(event, id) {
      const way = { ArrowUp: 1, ArrowDown: -1 }[event.key];
      if (event.key === "Delete" || event.key === "Backspace") this.drop(id);
      else if (way) {
        if (this.chosen !== id) this.choose(id);
        this.set(this.path("values.exposure"), Math.round((this.one().values.exposure + way * STEP * (event.shiftKey ? FINE : 1)) * 100) / 100);
        bench.work.changing();
        bench.work.settle("soon");
      } else return;
      event.preventDefault();
      event.stopPropagation();
    },
    /** The open picture without the chosen area. @param {any} recipe */
    without(recipe) {
      const place = this.number();
      if (place >= 0) recipe.areas.list[place].on = false;
      else recipe.areas.on = false;
    },
    withoutWords() {
      return this.one() ? this.called(this.chosen) : "Areas";
    },
  };
}
