// What the episode needs next, and why: one sentence at the head of the panel, until it is done.

import { api } from "./api.js";

const SOON_MS = 600;

export function nextStep(data) {
  let timer = 0;
  return {
    next: data.next,

    get nextTold() { return this.next.stage === null ? "" : this.next.told; },
    get nextIsElsewhere() { return this.next.stage !== null && !this.isStage(this.next.stage); },
    get nextName() { return this.next.stage === null ? "" : `Go to ${data.stages[this.next.stage]}`; },
    goNext() { this.go(this.next.stage); },
    // Several things may be told at once: it is asked for a moment after the last.
    readNextSoon() {
      clearTimeout(timer);
      timer = setTimeout(async () => { this.next = await api.get(`/api/episodes/${this.episodeId}/next`).catch(() => this.next); }, SOON_MS);
    },
  };
}
