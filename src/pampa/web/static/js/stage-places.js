// Prune's places: markers, the sections they begin, spots that time opens for, and files for other programs.

import { api } from "./api.js";

const TINTS = [0, 1, 2, 3, 4, 5];
const TINT_NAMES = ["no section", "section 1", "section 2", "section 3", "section 4", "section 5"];

/** @param {import("./page.js").Page} page */
export function places(page, data, stage) {
  return {
    talkSpots: [],
    chosenSpot: "",
    stems: [],
    tints: TINTS,
    tintName: (tint) => TINT_NAMES[tint],

    mark() { return page.episode.edit({ edit: "add_marker", at: page.transport.playhead, name: "" }); },
    nameMarker(marker, event) { return page.episode.edit({ edit: "set_marker", marker: marker.id, name: event.target.value }); },
    tintMarker(marker, event) { return page.episode.edit({ edit: "set_marker", marker: marker.id, tint: Number(event.target.value) }); },
    moveMarker(marker) { return page.episode.edit({ edit: "set_marker", marker: marker.id, at: page.transport.playhead }); },
    removeMarker(marker) { return page.episode.edit({ edit: "remove_marker", marker: marker.id }); },
    sectionLength(marker) {
      const next = page.episode.markers.find((other) => other.at > marker.at);
      return page.lengthOf((next ? next.at : stage.doc.length) - marker.at);
    },

    // -- spots -------------------------------------------------------------------------------------------

    async readSpots() {
      const found = await api.get(`/api/shows/${data.show.id}/larder?kind=spot`).catch(() => null);
      if (found) this.talkSpots = found.pieces;
      if (!this.talkSpots.some((spot) => String(spot.id) === this.chosenSpot))
        this.chosenSpot = this.talkSpots.length ? String(this.talkSpots[0].id) : "";
      this.readStems();
    },
    chooseSpot(event) { this.chosenSpot = event.target.value; },
    isSpot(spot) { return String(spot.id) === this.chosenSpot; },
    dropInSpot() {
      if (!this.chosenSpot) return null;
      const body = { start: page.transport.playhead, open_time: true };
      return page.episode.inTurn(async () => {
        page.episode.takeChange(
          await api.post(`/api/episodes/${page.episode.id}/larder/${this.chosenSpot}`, { ...body, revision: page.episode.revision }),
        );
        await page.episode.readRecordings();
      });
    },

    // -- other programs ----------------------------------------------------------------------------------

    exportPath(what) { return `/api/episodes/${page.episode.id}/${what}`; },
    async bringInFile(event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return null;
      const what = /\.(csv|vtt)$/i.test(file.name) ? "markers" : "cut";
      const text = await file.text();
      return page.episode.inTurn(async () => {
        page.episode.take(
          await api.post(`/api/episodes/${page.episode.id}/${what}`, { revision: page.episode.revision, name: file.name, text }),
        );
        page.say(`${file.name} was brought in. Ctrl Z takes it back.`);
      });
    },
    makeStems(treated) { return page.attempt(() => api.post(`/api/episodes/${page.episode.id}/stems`, { treated })); },
    async readStems() { this.stems = await api.get(`/api/episodes/${page.episode.id}/stems`).catch(() => this.stems); },
    stemsName: (name) => (name.includes("treated") ? "Stems as treated" : "Stems as recorded"),
  };
}
