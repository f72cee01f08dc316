// The versions of the photograph: tabs, duplicate, rename, order, delete; and the history of this one.
import { ask, say, sayNext } from "../api.js";
import { drawGreys } from "./greys.js";
import { copy } from "./paths.js";

const SHOWN_STEPS = 150;
const SMALL_SIDE = 240;
const DAY_MS = 86_400_000;

/** The part of the bench that deals with versions and history. */
export function treating(photograph, version, listed, parts) {
  const address = `/api/versions/${version.id}`;
  const bench = (id) => `/bench/${photograph.id}?version=${id}`;
  return {
    versions: copy(listed),
    versionId: version.id,
    versionMenu: false,
    naming: false,
    draftName: "",
    steps: [],
    historyOpen: false,
    allSteps: false,
    pictures: false,
    keepName: "",

    // versions
    versionName() {
      return this.versions.find(({ id }) => id === version.id)?.name || version.name;
    },
    async openVersion(id) {
      if (id === version.id) {
        this.versionMenu = !this.versionMenu;
        return;
      }
      await this.settleNow();
      window.location.assign(bench(id));
    },
    nextVersion(way) {
      const place = this.versions.findIndex(({ id }) => id === version.id);
      const next = this.versions[(place + way + this.versions.length) % this.versions.length];
      if (next.id !== version.id) this.openVersion(next.id);
    },
    nameVersion() {
      this.versionMenu = false;
      this.draftName = this.versionName();
      this.naming = true;
      this.$nextTick(() => this.$refs.versionName.select());
    },
    async nameVersionDone(keep) {
      if (!this.naming) return;
      this.naming = false;
      if (!keep || this.draftName === this.versionName()) return;
      await this.tryIt(async () => {
        const { name } = await ask("PATCH", address, { name: this.draftName });
        this.versions.find(({ id }) => id === version.id).name = name;
      });
    },
    async duplicateVersion() {
      await this.settleNow();
      await this.tryIt(async () => {
        const { id, name } = await ask("POST", `${address}/duplicate`, {});
        sayNext(`“${name}” begins as “${this.versionName()}” is now.`);
        window.location.assign(bench(id));
      });
    },
    async moveVersion(way) {
      const order = this.versions.map(({ id }) => id);
      const place = order.indexOf(version.id);
      if (order[place + way] === undefined) return;
      [order[place], order[place + way]] = [order[place + way], order[place]];
      await this.tryIt(async () => {
        this.versions = (await ask("PUT", `/api/photographs/${photograph.id}/versions`, { versions: order })).versions;
      });
    },
    mayMove(way) {
      const place = this.versions.findIndex(({ id }) => id === version.id) + way;
      return place >= 0 && place < this.versions.length;
    },
    isShown() {
      return this.versions.some(({ id, shown }) => shown && id === version.id);
    },
    async showVersion() {
      await this.tryIt(async () => {
        await ask("POST", `${address}/show`, {});
        for (const one of this.versions) one.shown = one.id === version.id;
        say(`The sheet shows “${this.versionName()}” now.`);
      });
    },
    async openRecipes() {
      await this.settleNow();
      window.location.assign(`/recipes?photograph=${photograph.id}&version=${version.id}`);
    },
    async deleteVersion() {
      await this.settleNow();
      await this.tryIt(async () => {
        await ask("DELETE", address);
        const left = this.versions.filter(({ id }) => id !== version.id);
        sayNext(`“${this.versionName()}” deleted.`, "Undo", ["POST", `${address}/restore`]);
        window.location.assign(bench((left.find(({ shown }) => shown) || left[0]).id));
      });
    },
    async tryIt(work) {
      try {
        await work();
      } catch (problem) {
        say(problem.message);
      }
    },

    // history
    async toggleHistory() {
      this.historyOpen = !this.historyOpen;
      if (this.historyOpen) {
        await this.settleNow();
        await this.readHistory();
      }
      await this.$nextTick();
      this.arrange();
      if (this.historyOpen) this.$refs.history.querySelector("[aria-current]")?.scrollIntoView({ block: "nearest" });
    },
    async readHistory() {
      await this.tryIt(async () => {
        this.steps = (await ask("GET", `${address}/history`)).steps;
      });
      if (this.pictures) this.drawSteps();
    },
    /** Read it again after a change, if anything shows it. */
    historyChanged() {
      if (this.historyOpen || this.comparing) this.readHistory();
      else this.steps = [];
    },
    stepsShown() {
      return this.allSteps ? this.steps : this.steps.slice(0, SHOWN_STEPS);
    },
    moreSteps() {
      return this.allSteps ? 0 : Math.max(0, this.steps.length - SHOWN_STEPS);
    },
    stepTitle(step) {
      return step.aside ? "on a branch that was left; going there brings it back" : "go to this state";
    },
    async goTo(step) {
      if (!step.now) await this.goToStep(step.id);
    },
    /** Keep a state, or the present one, under a name; an empty name lets it go. */
    async keepStep(step, name) {
      await this.tryIt(async () => {
        const { kept } = await ask("PATCH", `${address}/history/${step.id}`, { kept: name });
        step.kept = kept;
      });
    },
    async keepNow() {
      await this.settleNow();
      await this.readHistory();
      const now = this.steps.find((step) => step.now);
      const name = this.keepName.trim() || `State at ${this.when(now.at)}`;
      await this.keepStep(now, name);
      this.keepName = "";
      say(`Kept as “${name}”.`);
    },
    /** A moment in few words. */
    when(at) {
      const moment = new Date(at);
      const time = moment.toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });
      if (Date.now() - moment < DAY_MS / 2) return time;
      return `${moment.toLocaleDateString([], { day: "numeric", month: "short" })} ${time}`;
    },
    togglePictures() {
      this.pictures = !this.pictures;
      if (this.pictures) this.$nextTick(() => this.drawSteps());
    },
    /** Small pictures of the steps that are seen, one after another. */
    drawSteps() {
      this.seeing?.disconnect();
      const seen = new Map();
      const draw = async () => {
        for (const [canvas, id] of seen) {
          seen.delete(canvas);
          const { recipe } = await ask("GET", `${address}/history/${id}`);
          drawGreys(canvas, await parts().frames.fetch({ recipe, side: SMALL_SIDE, layers: ["grey"] }));
          canvas.dataset.drawn = id;
        }
      };
      let drawing = Promise.resolve();
      this.seeing = new IntersectionObserver((entries) => {
        for (const { target, isIntersecting } of entries) {
          if (isIntersecting && target.dataset.drawn !== target.dataset.step) seen.set(target, target.dataset.step);
        }
        drawing = drawing.then(draw).catch((problem) => say(problem.message));
      });
      this.$nextTick(() => {
        for (const canvas of this.$refs.history.querySelectorAll("canvas")) this.seeing.observe(canvas);
      });
    },
  };
}
