// What the episode needs next, and why: one sentence at the head of the panel, until it is done.

import { api } from "./api.js";

const SOON_MS = 600;
const KNOWN = "pampa-next-known";

export function nextStep(data) {
  let timer = 0;
  return {
    next: data.next,
    nextKnown: JSON.parse(localStorage.getItem(KNOWN) ?? "[]"), // stages whose sentence somebody has put away

    get nextTold() { return this.next.stage === null || this.nextKnown.includes(this.next.stage) ? "" : this.next.told; },
    get nextIsElsewhere() { return this.next.stage !== null && !this.isStage(this.next.stage); },
    get nextName() { return this.next.stage === null ? "" : `Go to ${data.stages[this.next.stage]}`; },
    goNext() { this.go(this.next.stage); },
    putNextAway() {
      this.nextKnown = [...this.nextKnown, this.next.stage];
      localStorage.setItem(KNOWN, JSON.stringify(this.nextKnown));
    },
    // Several things may be told at once: it is asked for a moment after the last.
    readNextSoon() {
      clearTimeout(timer);
      timer = setTimeout(async () => { this.next = await api.get(`/api/episodes/${this.episodeId}/next`).catch(() => this.next); }, SOON_MS);
    },
  };
}
