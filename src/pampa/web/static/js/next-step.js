// What the episode needs next, and why: one sentence at the head of the panel, until it is done.

import { api } from "./api.js";

const SOON_MS = 600;
const KNOWN = "pampa-next-known";

/** @param {import("./page.js").Page} page */
export function nextStep(page, data) {
  let timer = 0;
  return {
    step: data.next,
    known: JSON.parse(localStorage.getItem(KNOWN) ?? "[]"), // stages whose sentence somebody has put away

    get told() { return this.step.stage === null || this.known.includes(this.step.stage) ? "" : this.step.told; },
    get isElsewhere() { return this.step.stage !== null && !page.isStage(this.step.stage); },
    get name() { return this.step.stage === null ? "" : `Go to ${data.stages[this.step.stage]}`; },
    go() { page.go(this.step.stage); },
    putAway() {
      this.known = [...this.known, this.step.stage];
      localStorage.setItem(KNOWN, JSON.stringify(this.known));
    },
    // Several things may be told at once: it is asked for a moment after the last.
    readSoon() {
      clearTimeout(timer);
      timer = setTimeout(async () => {
        this.step = await api.get(`/api/episodes/${page.episode.id}/next`).catch(() => this.step);
      }, SOON_MS);
    },
  };
}
