// The loudness of the episode as it stands, and how loud it is listened to.

import { api } from "./api.js";
import { level } from "./time.js";

const SOON_MS = 250;

/** @param {import("./page.js").Page} page */
export function loudness(page, stage) {
  let timer = 0;
  let gain = 0;
  return {
    measured: { current: false, loudness: null, short_term_lufs: [] },

    // Quick edits after one another are measured once, and not while the sheet is being redrawn.
    readSoon() {
      clearTimeout(timer);
      timer = setTimeout(() => this.read(), SOON_MS);
    },
    async read() {
      const told = await api.get(`/api/episodes/${page.episode.id}/loudness`).catch(() => null);
      if (!told) return;
      this.measured = told;
      this.tuneListening();
      page.sendOut.drawChart();
    },
    // What is heard is as loud as what will go out.
    tuneListening() {
      const now = this.measured.loudness;
      if (!now || now.integrated_lufs === null) return;
      const wanted = Math.min(Math.max(page.sendOut.plan.target_lufs - now.integrated_lufs, -30), 30);
      if (Math.abs(wanted - gain) <= 0.05) return;
      gain = wanted;
      stage.player.set({ gain });
      stage.player.prepare(page.transport.playhead);
    },
    get standing() { return this.measured.loudness ? level(this.measured.loudness.integrated_lufs) : "–"; },
    get standingRange() { return this.measured.loudness ? level(this.measured.loudness.loudness_range_lu) : "–"; },
    get standingAge() { return this.measured.current ? "" : "stale"; },
  };
}
