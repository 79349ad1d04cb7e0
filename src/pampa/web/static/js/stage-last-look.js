// Send out, the last look: what stands between the episode and its audience, each thing with the way to it.

import { api } from "./api.js";
import { RATE } from "./constants.js";
import { level, signed } from "./time.js";

const STAGES = { gather: "Gather", "line-up": "Line up", mend: "Mend", prune: "Prune", balance: "Balance", "send-out": "For listeners" };

/** @param {import("./page.js").Page} page */
export function lastLook(page) {
  const path = () => `/api/episodes/${page.episode.id}/last-look`;
  return {
    looked: { revision: null, current: false, waits: false, figures: [], reached: [], found: [], passed: [] },

    // What was found last; the first time, and after an edit, it is looked at anew.
    async show() {
      await this.read();
      if (!this.looked.current && !this.looked.waits && !page.episode.isEmpty) this.again();
    },
    async read() {
      const told = await api.get(path()).catch(() => null);
      if (told) this.looked = told;
    },
    again() {
      const { ticked, named } = page.sendOut;
      return page.attempt(async () => { this.looked = await api.post(path(), { files: ticked.length ? ticked : named }); });
    },
    get hasLooked() { return this.looked.revision !== null; },
    get count() { return this.looked.found.reduce((sum, check) => sum + check.notes.length, 0); },
    get says() {
      if (page.episode.isEmpty) return "There is nothing to look at yet. Bring recordings in first, in Gather.";
      if (this.looked.waits) return "Listening to the whole episode once …";
      if (!this.hasLooked) return "";
      const things = this.count === 1 ? "1 thing was found" : `${this.count} things were found`;
      const age = this.looked.current ? "" : " The episode has been changed since.";
      return (this.count ? `${things}, the worst first. Nothing of it stops you.` : "Nothing stands in the way.") + age;
    },
    get passedText() { return this.looked.passed.join(" · "); },
    reachedText: (file) => `${signed(file.gain_db)} dB, limiting takes ${level(file.loss_lu, 1)} LU of the talk`,
    hasPlace: (note) => note.at_s !== null,
    placeText: (note) => page.clock(Math.round((note.at_s ?? 0) * RATE)),
    stageText: (note) => (note.stage ? STAGES[note.stage] : ""),
    goTo(note) {
      const place = note.at_s === null ? null : Math.round(note.at_s * RATE);
      if (note.stage === "send-out") page.sendOut.setView("listeners");
      else if (note.stage) page.go(note.stage);
      if (place === null) return;
      page.transport.goTo(place);
      if (note.until_s !== null && note.stage !== "send-out")
        page.selection.select({ start: place, stop: Math.round(note.until_s * RATE), track: null });
    },
  };
}
