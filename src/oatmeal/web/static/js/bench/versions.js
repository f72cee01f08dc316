// The versions of the photograph: tabs, duplicate, rename, order, delete.
import { ask, say, sayNext } from "../api.js";
import { copy } from "./paths.js";

/** Frames of the screen after which a field is shown at the latest. */
const FRAMES = 60;

/** The version that is given its name when its page opens. */
const NAMED_NEXT = "oatmeal-named-next";

/**
 * The versions of the photograph as tabs.
 * @param {Pick<import("./bench.js").Bench, "photograph" | "refs" | "version" | "versionList" | "work">} bench
 */
export function versioning(bench) {
  const { photograph, version } = bench;
  const address = `/api/versions/${version.id}`;
  const page = (id) => `/bench/${photograph.id}?version=${id}`;
  return {
    versions: copy(bench.versionList),
    versionId: version.id,
    versionMenu: false,
    naming: false,
    draftName: "",
    // versions
    versionName() {
      return this.versions.find(({ id }) => id === version.id)?.name || version.name;
    },
    async openVersion(id) {
      if (id === version.id) {
        this.versionMenu = !this.versionMenu;
        return;
      }
      await bench.work.settleNow();
      window.location.assign(page(id));
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
      const { versionName } = bench.refs;
      const write = (/** @type {number} */ tries) => {
        if (!versionName.checkVisibility() && tries) requestAnimationFrame(() => write(tries - 1));
        else {
          versionName.focus();
          versionName.select();
        }
      };
      write(FRAMES);
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
      await bench.work.settleNow();
      await this.tryIt(async () => {
        const { id, name } = await ask("POST", `${address}/duplicate`, {});
        sayNext(`“${name}” begins as “${this.versionName()}” is now.`);
        sessionStorage.setItem(NAMED_NEXT, String(id));
        window.location.assign(page(id));
      });
    },
    /** A version that was just made is given its name, which is filled in. */
    nameNew() {
      if (sessionStorage.getItem(NAMED_NEXT) !== String(version.id)) return;
      sessionStorage.removeItem(NAMED_NEXT);
      this.nameVersion();
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
      await bench.work.settleNow();
      window.location.assign(`/recipes?photograph=${photograph.id}&version=${version.id}`);
    },
    async deleteVersion() {
      await bench.work.settleNow();
      await this.tryIt(async () => {
        await ask("DELETE", address);
        const left = this.versions.filter(({ id }) => id !== version.id);
        sayNext(`“${this.versionName()}” deleted.`, "Undo", ["POST", `${address}/restore`]);
        window.location.assign(page((left.find(({ shown }) => shown) || left[0]).id));
      });
    },
    async tryIt(work) {
      try {
        await work();
      } catch (problem) {
        say(problem.message);
      }
    },
  };
}
