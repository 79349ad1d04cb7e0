// The picture of an episode: whether there is one, whether it is shown, and sending it out.

import { api } from "./api.js";
import { remember, remembered } from "./remembered.js";

const HEIGHTS = [360, 720, 1080, 2160];

/** @param {import("./page.js").Page} page */
export function picture(page, stage) {
  return {
    open: remembered("picture", true),
    high: remembered("picture-height", 1080),
    heights: HEIGHTS,
    source: null, // whose picture stays as it was shot, if somebody chose

    get pictured() { return page.episode.recordings.filter((recording) => recording.facts.picture); },
    get any() { return this.pictured.length > 0; },
    get isShown() { return this.any && this.open && page.showsSheet; },
    get canOpen() { return this.any && !this.open && page.showsSheet; },
    toggle() {
      this.open = !this.open;
      remember("picture", this.open);
      this.tell();
    },
    // What the canvases need to know of it.
    tell() {
      const pictured = new Set(this.pictured.map((recording) => recording.id));
      stage.picture.show({ pictured, shown: this.isShown });
      stage.sheet.show({ pictured });
    },
    arrived() { stage.picture.forget(); stage.sheet.stillsCame(); },

    setHeight({ target }) { this.high = Number(target.value); remember("picture-height", this.high); },
    isHigh(high) { return this.high === high; },
    nameOf: (recording) => recording.person || recording.name,
    chooseSource({ target }) { this.source = Number(target.value); },
    get hasSeveral() { return this.pictured.length > 1; },
    aim() { return { target_lufs: page.sendOut.plan.target_lufs, ceiling_dbtp: page.sendOut.plan.ceiling_dbtp }; },
    make() {
      return this.started(`/api/episodes/${page.episode.id}/deliveries/picture`, { most_high: this.high, ...this.aim() });
    },
    makeUncut() {
      const recording = this.source ?? this.pictured[0].id;
      return this.started(`/api/episodes/${page.episode.id}/deliveries/uncut`, { recording, ...this.aim() });
    },
    started(path, body) {
      return page.attempt(async () => {
        const begun = await api.post(path, body);
        page.sendOut.setView("files");
        if (page.sendOut.making === null) page.sendOut.making = { id: begun.job, doing: "Starting", share: 0 };
      });
    },
  };
}
