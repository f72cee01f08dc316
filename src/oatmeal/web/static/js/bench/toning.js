// The Tone step beyond numbers: points from the picture, zones, character, the hint about mud.
import { ask, say } from "../api.js";
import { clamp, copy, words } from "./paths.js";

const EMPTY_END = 0.002;

/** The part of the bench that tones; needs the values of `values()` and `settle`. */
export function toning(photograph, parts) {
  return {
    zonesOpen: false,
    muddy: "",

    async setPoints() {
      this.busyWith = "points";
      try {
        const { levels } = await ask("POST", `/api/photographs/${photograph.id}/points`, { recipe: copy(this.recipe) });
        this.recipe.tone.levels = levels;
        this.settle();
        say(`Black at ${words(levels.black)}, white at ${words(levels.white)}, the lightest tone leaves 2 % ink.`, "Undo", () => this.undo());
      } catch (problem) {
        say(problem.message);
      }
      this.busyWith = "";
    },
    /** Make the tone at a place of the picture black or white. */
    async pointHere(which, at) {
      this.mode = "";
      try {
        const { code } = await this.spotAt(at);
        const { levels } = this.recipe.tone;
        if (which === "black") levels.black = clamp(code, 0, levels.white - 1);
        else levels.white = clamp(code, levels.black + 1, 255);
        this.settle();
      } catch (problem) {
        say(problem.message);
      }
    },
    chooseCharacter(character) {
      this.recipe.tone.character = character;
      this.settle();
    },
    toggleZones() {
      this.zonesOpen = !this.zonesOpen;
      parts().scale.showZones(this.zonesOpen);
    },
    /** One sentence where the scale does not reach both ends. */
    judge(zones) {
      const dark = zones[0] + zones[1] < EMPTY_END;
      const light = zones[9] + zones[10] < EMPTY_END;
      if (dark && light) this.muddy = "Muddy: nothing reaches black or white.";
      else if (dark) this.muddy = "Nothing reaches black.";
      else if (light) this.muddy = "Nothing reaches white.";
      else this.muddy = "";
    },
  };
}
