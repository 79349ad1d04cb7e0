// Balance: single syllables that stick out of their phrase, to be lowered before anything is compressed.

import { api } from "./api.js";
import { RATE } from "./constants.js";
import { turned } from "./stage-balance.js";

const AROUND = 1.2 * RATE;

/** @param {import("./page.js").Page} page */
export function peaks(page) {
  return {
    found: [],

    async read() {
      if (!page.isStage("balance")) return;
      this.found = await api.get(`/api/episodes/${page.episode.id}/peaks`).catch(() => this.found);
    },
    get here() { return this.found.filter((peak) => page.balance.voice && peak.track === page.balance.voice.id); },
    get open() { return this.here.filter((peak) => peak.state === "open"); },
    get title() {
      if (!this.here.length) return "No syllable sticks out of its phrase";
      return this.open.length ? `${this.open.length} single peaks` : "Single peaks: all decided";
    },
    key: (peak) => `${peak.recording}-${peak.start}`,
    wordsOf: (peak) => `${page.clock(peak.place)}, ${peak.lower_db.toFixed(1)} dB over`,
    stateOf: (peak) => (peak.state === "open" ? "" : peak.state),
    hear(peak) {
      page.transport.goTo(peak.place);
      page.transport.playRange(peak.place - AROUND, peak.place + AROUND);
    },
    lower(peak) { return this.lowerAll([peak]); },
    lowerOpen() { return this.lowerAll(this.open); },
    // One edit for each recording: its places are worked on where Mend does.
    async lowerAll(chosen) {
      for (const recording of new Set(chosen.map((peak) => peak.recording))) {
        const here = chosen.filter((peak) => peak.recording === recording);
        await page.episode.edit(() => {
          const amounts = page.mend.amountsOf(recording);
          const spots = here.reduce((all, peak) => turned(all, peak, peak.lower_db), amounts.spots);
          return { edit: "mend", name: `${here.length} peaks`, recordings: [recording], amounts: { ...amounts, spots } };
        });
      }
      await this.read();
    },
    async leave(peak) {
      const { recording, start, stop } = peak;
      await page.episode.edit({ edit: "leave", name: "a peak", finds: [{ kind: "peak", recording, start, stop }] });
      await this.read();
    },
  };
}
