// Adding photographs: by button or by dropping files anywhere on the page.
import { ask, upload } from "./api.js";

const AT_ONCE = 2;

/** What is said of a file that was taken in. */
const WORDS = { added: "added", there: "there already", back: "back again" };

/** After a broken connection a file is sent again by itself so often, after so long. */
const TRIES = 5;
const WAIT_MS = 2000;

const hasFiles = (event) => Array.from(event.dataTransfer?.types || []).includes("Files");

/**
 * The part of a page that takes files in. The page gives `seriesFor(event)`, which resolves to the
 * id of the series that they go to, and `added(seriesId)`, called when all are in.
 */
export function incoming() {
  return {
    /** @type {any[]} */
    files: [],
    /** Files that were chosen by name. @type {File[]} */
    picked: [],
    dropping: false,
    depth: 0,
    abort: new AbortController(),

    enter(event) {
      if (!hasFiles(event)) return;
      event.preventDefault();
      this.depth += 1;
      this.dropping = true;
    },
    over(event) {
      if (hasFiles(event)) event.preventDefault();
    },
    leave(event) {
      if (!hasFiles(event)) return;
      this.depth = Math.max(0, this.depth - 1);
      this.dropping = this.depth > 0;
    },
    drop(event) {
      if (!hasFiles(event)) return;
      event.preventDefault();
      this.depth = 0;
      this.dropping = false;
      this.take(Array.from(event.dataTransfer.files), event);
    },
    choose(event) {
      const files = Array.from(event.target.files);
      event.target.value = "";
      this.picked = files;
      this.take(files, event);
    },
    async take(files, event) {
      if (!files.length) return;
      let series;
      try {
        series = await this.seriesFor(event);
      } catch (problem) {
        this.files.push(entry({ name: files[0].name }, null));
        this.files.at(-1).error = problem.message;
        return;
      }
      if (this.abort.signal.aborted) this.abort = new AbortController();
      files.sort((one, other) => one.name.localeCompare(other.name, undefined, { numeric: true }));
      for (const file of files) this.files.push(entry(file, series));
      await this.work();
    },
    async work() {
      const lane = async () => {
        for (let next = this.waiting(); next; next = this.waiting()) await this.sendOne(next);
      };
      await Promise.all(Array.from({ length: AT_ONCE }, lane));
      const done = this.files.filter((file) => file.done);
      if (this.running() || !done.length) return;
      await this.putInOrder(done.filter(({ words }) => words === WORDS.added));
      this.added(done[0].series, this.files);
    },
    /** Two files travel at once and may overtake each other; what was there already stays where it is. */
    async putInOrder(done) {
      const made = done.map((file) => file.made);
      if (made.every((id, place) => !place || made[place - 1] < id)) return;
      await ask("PUT", `/api/series/${done[0].series}/order`, { photographs: made }).catch(() => {});
    },
    waiting() {
      return this.abort.signal.aborted ? undefined : this.files.find((file) => file.state === "waiting");
    },
    async sendOne(file) {
      file.state = "sending";
      file.busy = true;
      file.words = "sending";
      try {
        const made = await upload(`/api/series/${file.series}/photographs`, file.file, (share) => {
          file.share = share;
          file.words = share < 1 ? `${Math.round(share * 100)} %` : "being read";
        }, this.abort.signal);
        Object.assign(file, { state: "done", done: true, words: WORDS[made.how], made: made.id, note: made.note });
      } catch (problem) {
        if (problem.status === 0 && file.tries < TRIES) {
          file.tries += 1;
          Object.assign(file, { state: "waiting", busy: false, words: "waiting for the connection" });
          await new Promise((resolve) => { setTimeout(resolve, WAIT_MS); });
          return;
        }
        const cancelled = problem.name === "AbortError";
        Object.assign(file, {
          state: "failed", words: cancelled ? "cancelled" : "", error: cancelled ? "" : problem.message,
          again: cancelled || problem.status === 0 || problem.status >= 500,
        });
      }
      file.busy = false;
    },
    retry(file) {
      if (this.abort.signal.aborted) this.abort = new AbortController();
      Object.assign(file, { state: "waiting", words: "waiting", error: "", again: false, tries: 0 });
      this.work();
    },
    cancel() {
      this.abort.abort();
      for (const file of this.files) {
        if (file.state === "waiting") Object.assign(file, { state: "failed", words: "cancelled", again: true });
      }
    },
    running() {
      return this.files.some((file) => file.state === "waiting" || file.state === "sending");
    },
    close() {
      const some = this.files.some((file) => file.done);
      const series = some && this.files.find((file) => file.done).series;
      this.files = [];
      if (some) window.location.assign(`/series/${series}`);
    },
    summary() {
      const said = Object.values(WORDS).map((words) => [this.files.filter((file) => file.words === words).length, words]);
      const failed = this.files.filter((file) => file.error).length;
      const more = [...said.slice(1), [failed, "refused"]].filter(([some]) => some).map(([some, words]) => `, ${some} ${words}`);
      return `${said[0][0]} of ${this.files.length} added${more.join("")}`;
    },
  };
}

let count = 0;

function entry(file, series) {
  count += 1;
  return {
    id: count, name: file.name, file, series, state: "waiting", words: "waiting", share: 0, made: null,
    busy: false, done: false, error: "", note: "", again: false, tries: 0,
  };
}
