// Frames that overlap joined to one wide photograph: looked at, turned, made in the background.
import { ask, say } from "./api.js";
import { clamp } from "./bench/paths.js";
import { part } from "./part.js";

const LOOK_MS = 250;
const JOBS_MS = 800;
const STEPS = { waiting: "waiting", reading: "reading the frames", finding: "finding what they show", matching: "matching", fitting: "fitting", laying: "laying them out", light: "evening their light", seams: "finding seams" };

const plain = () => ({ projection: "auto", border: "crop", even_light: true, lens: true, yaw: 0, pitch: 0, roll: 0 });

/** The part of the sheet that joins; needs `chosen` and `series`. */
export function joining({ most }) {
  /** @type {import("./part.js").Part<{chosen: number[], series: number, card: (id: number|string) => HTMLElement}>} */
  const own = part;
  return own({
    joinOpen: false,
    join: plain(),
    /** The frames to be joined. @type {number[]} */
    joinFrames: [],
    joinStep: "",
    joinProblem: "",
    /** What the server says of the join that is shown. @type {any} */
    joinLaid: null,
    /** Names the picture that is shown; it stays until the next is there. */
    joinToken: "",
    joinShown: "",
    joinSeams: false,
    joinLevelling: false,
    /** A line being drawn: x, y, x, y in shares. @type {number[]|null} */
    joinLine: null,
    joinStarting: false,
    joinRun: 0,
    /** @type {any[]} */
    joinJobs: [],
    /** @type {ReturnType<typeof setTimeout>|undefined} */
    jobsTimer: undefined,

    mayJoin() {
      return this.chosen.length >= 2 && this.chosen.length <= most;
    },
    joinTitle() {
      return this.mayJoin() ? "Join the selected frames to one wide photograph" : `Select 2 to ${most} frames that overlap`;
    },
    openJoin() {
      this.beginJoin([...this.chosen], plain());
    },
    joinAgain(id) {
      const { frames, choices } = JSON.parse(this.card(id).dataset.joined ?? "null");
      this.beginJoin(frames, choices);
    },
    beginJoin(frames, choices) {
      Object.assign(this, { joinFrames: frames, join: choices, joinLaid: null, joinToken: "", joinProblem: "", joinSeams: false, joinLevelling: false, joinLine: null, joinOpen: true });
      this.$nextTick(() => this.$refs.joinClose?.focus());
      this.lookJoin();
    },
    closeJoin() {
      this.joinOpen = false;
      this.joinRun += 1;
    },
    /** Keys while the dialog is open: S held shows the seams. */
    joinKey(event) {
      if (event.key.toLowerCase() === "s" && !event.ctrlKey && !event.metaKey && !event.target.closest("input")) this.joinSeams = event.type === "keydown";
    },
    setJoin(name, value) {
      this.join = { ...this.join, [name]: value };
      this.lookJoin();
    },
    turnJoin(name, event) {
      const number = Number(String(event.target.value).replace(",", ".").replace("−", "-"));
      if (Number.isFinite(number)) this.setJoin(name, clamp(number, -90, 90));
      event.target.value = this.join[name];
    },
    turnKey(name, event) {
      const step = { ArrowUp: 1, ArrowDown: -1 }[event.key];
      if (!step) return;
      event.preventDefault();
      const by = event.shiftKey ? 1 : 0.1;
      this.setJoin(name, Math.round(clamp(this.join[name] + step * by, -90, 90) * 100) / 100);
    },
    /** Ask until the join is there; a newer wish ends an older one. */
    async lookJoin() {
      this.joinRun += 1;
      const run = this.joinRun;
      this.joinStep = "waiting";
      this.joinProblem = "";
      try {
        while (run === this.joinRun) {
          const answer = await ask("POST", "/api/joins/look", { photographs: [...this.joinFrames], choices: { ...this.join } });
          if (run !== this.joinRun) return;
          if (answer.problem) {
            Object.assign(this, { joinStep: "", joinProblem: answer.problem, joinLaid: null, joinToken: "" });
            return;
          }
          if (answer.laid) {
            Object.assign(this, { joinStep: "", joinLaid: answer.laid, joinToken: answer.token });
            return;
          }
          this.joinStep = answer.step;
          await new Promise((resolve) => { setTimeout(resolve, LOOK_MS); });
        }
      } catch (problem) {
        if (run === this.joinRun) Object.assign(this, { joinStep: "", joinProblem: problem.message });
      }
    },
    joinBusy() {
      return this.joinStep !== "";
    },
    joinReady() {
      return this.joinLaid !== null && !this.joinBusy();
    },
    joinPicture() {
      return this.joinToken ? `/api/joins/${this.joinToken}.jpg` : "";
    },
    joinSeamsPicture() {
      return this.joinToken && this.joinSeams ? `/api/joins/${this.joinToken}-seams.png` : "";
    },
    joinHeading() {
      return `Join ${this.joinFrames.length} frames`;
    },
    joinWords() {
      if (this.joinBusy()) return `${STEPS[this.joinStep] || this.joinStep} …`;
      if (!this.joinLaid) return "";
      const { width, height, projection, across, up } = this.joinLaid;
      return `${width} × ${height}, ${(width * height / 1e6).toFixed(1)} MP · ${projection} · ${across}° × ${up}°`;
    },
    joinNotes() {
      return this.joinLaid ? this.joinLaid.notes : [];
    },
    joinFacts() {
      if (!this.joinLaid) return "";
      const stops = this.joinLaid.frames.filter(({ stops: light }) => light !== null).map(({ name, stops: light }) => `${name} ${signed(light)}`);
      return `Light of the frames, in stops: ${stops.join(", ")}; falloff in the corners ${signed(-this.joinLaid.falloff)}.`;
    },
    joinPlaces() {
      if (!this.joinLaid || this.joinShown !== this.joinToken) return [];
      return this.joinLaid.frames.filter(({ place }) => place).map(({ name, place, stops }) => ({
        name, words: name, title: `frame ${name}, ${signed(stops)} stops`,
        style: { left: `${place[0] * 100}%`, top: `${place[1] * 100}%` },
      }));
    },
    toggleLevel() {
      this.joinLevelling = !this.joinLevelling;
    },
    joinEnd(index) {
      return this.joinLine ? `${this.joinLine[index] * 100}%` : "0";
    },
    /** Draw along what should lie level. */
    beginLevel(event) {
      const picture = event.currentTarget.querySelector("img");
      if (!this.joinLevelling || !this.joinReady() || event.button !== 0) return;
      event.preventDefault();
      const box = picture.getBoundingClientRect();
      const at = ({ clientX, clientY }) => [clamp((clientX - box.left) / box.width, 0, 1), clamp((clientY - box.top) / box.height, 0, 1)];
      const from = at(event);
      this.joinLine = [...from, ...from];
      const move = (next) => { this.joinLine = [...from, ...at(next)]; };
      const end = async () => {
        window.removeEventListener("pointermove", move);
        window.removeEventListener("pointerup", end);
        const line = this.joinLine;
        this.joinLine = null;
        if (!line || Math.abs(line[2] - line[0]) < 0.02) return;
        try {
          const { roll } = await ask("POST", "/api/joins/level", { token: this.joinToken, line });
          this.joinLevelling = false;
          this.setJoin("roll", roll);
        } catch (problem) {
          say(problem.message);
        }
      };
      window.addEventListener("pointermove", move);
      window.addEventListener("pointerup", end);
    },
    async makeJoin() {
      this.joinStarting = true;
      try {
        await ask("POST", "/api/joins", { photographs: [...this.joinFrames], choices: { ...this.join } });
        this.closeJoin();
        this.chosen = [];
        say(`${this.joinFrames.length} frames are being joined; the photograph will lie behind them.`);
        this.watchJoins();
      } catch (problem) {
        say(problem.message);
      }
      this.joinStarting = false;
    },

    /** Joins that run or came to nothing, as long as something runs; what is done shows on the sheet. */
    async watchJoins() {
      clearTimeout(this.jobsTimer);
      const before = this.joinJobs.filter((job) => this.jobOpen(job)).map(({ id }) => id);
      try {
        this.joinJobs = (await ask("GET", `/api/series/${this.series}/joins`)).joins;
      } catch (problem) {
        say(problem.message);
      }
      const left = this.joinJobs.map(({ id }) => id);
      if (before.some((id) => !left.includes(id)) && !this.joinOpen) {
        window.location.reload();
        return;
      }
      if (this.joinJobs.some((job) => this.jobOpen(job))) this.jobsTimer = setTimeout(() => this.watchJoins(), JOBS_MS);
    },
    jobOpen(job) {
      return ["waiting", "running"].includes(job.state);
    },
    jobWords(job) {
      const what = `${job.frames.length} frames`;
      if (job.state === "waiting") return `${what} wait to be joined`;
      if (job.state === "running") return job.share < 1 ? `joining ${what}: ${Math.round(job.share * 100)} %` : `joining ${what}: taking the photograph in`;
      return job.state === "cancelled" ? `joining ${what} was cancelled` : `${what} could not be joined. ${job.error}`;
    },
    async jobAct(job, what) {
      try {
        await ask("POST", `/api/joins/${job.id}/${what}`);
      } catch (problem) {
        say(problem.message);
      }
      this.watchJoins();
    },
    jobAgain(job) {
      this.jobRemove(job);
      this.beginJoin([...job.frames], { ...job.choices });
    },
    async jobRemove(job) {
      try {
        await ask("DELETE", `/api/joins/${job.id}`);
      } catch (problem) {
        say(problem.message);
      }
      this.watchJoins();
    },
  });
}

const signed = (number) => `${number < -0.004 ? "−" : number > 0.004 ? "+" : ""}${Math.abs(number).toFixed(2)}`;
