// Prune's places: markers, the sections they begin, spots that time opens for, and files for other programs.

import { api } from "./api.js";

const TINTS = [0, 1, 2, 3, 4, 5];
const TINT_NAMES = ["no section", "section 1", "section 2", "section 3", "section 4", "section 5"];

export function places(data, stage) {
  return {
    talkSpots: [],
    chosenSpot: "",
    stems: [],
    tints: TINTS,
    tintName: (tint) => TINT_NAMES[tint],

    mark() { return this.edit({ edit: "add_marker", at: this.playhead, name: "" }); },
    nameMarker(marker, event) { return this.edit({ edit: "set_marker", marker: marker.id, name: event.target.value }); },
    tintMarker(marker, event) { return this.edit({ edit: "set_marker", marker: marker.id, tint: Number(event.target.value) }); },
    moveMarker(marker) { return this.edit({ edit: "set_marker", marker: marker.id, at: this.playhead }); },
    removeMarker(marker) { return this.edit({ edit: "remove_marker", marker: marker.id }); },
    sectionLength(marker) {
      const next = this.markers.find((other) => other.at > marker.at);
      return this.lengthOf((next ? next.at : stage.doc.length) - marker.at);
    },

    // -- spots -------------------------------------------------------------------------------------------

    async readSpots() {
      const found = await api.get(`/api/shows/${data.show.id}/larder?kind=spot`).catch(() => null);
      if (found) this.talkSpots = found.pieces;
      if (!this.talkSpots.some((spot) => String(spot.id) === this.chosenSpot)) this.chosenSpot = this.talkSpots.length ? String(this.talkSpots[0].id) : "";
      this.readStems();
    },
    chooseSpot(event) { this.chosenSpot = event.target.value; },
    isSpot(spot) { return String(spot.id) === this.chosenSpot; },
    dropInSpot() {
      if (!this.chosenSpot) return null;
      const body = { start: this.playhead, open_time: true };
      return this.inTurn(async () => {
        this.takeChange(await api.post(`/api/episodes/${this.episodeId}/larder/${this.chosenSpot}`, { ...body, revision: this.revision }));
        await this.readRecordings();
      });
    },

    // -- other programs ----------------------------------------------------------------------------------

    exportPath(what) { return `/api/episodes/${this.episodeId}/${what}`; },
    async bringInFile(event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return null;
      const what = /\.(csv|vtt)$/i.test(file.name) ? "markers" : "cut";
      const text = await file.text();
      return this.inTurn(async () => {
        this.take(await api.post(`/api/episodes/${this.episodeId}/${what}`, { revision: this.revision, name: file.name, text }));
        this.say(`${file.name} was brought in. Ctrl Z takes it back.`);
      });
    },
    makeStems(treated) { return this.attempt(() => api.post(`/api/episodes/${this.episodeId}/stems`, { treated })); },
    async readStems() { this.stems = await api.get(`/api/episodes/${this.episodeId}/stems`).catch(() => this.stems); },
    stemsName: (name) => (name.includes("treated") ? "Stems as treated" : "Stems as recorded"),
  };
}
