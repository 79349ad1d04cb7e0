// Prune's seams: listed, opened to see what is missing, their sides dragged, and which of them may be heard.

import { api } from "./api.js";
import { RATE } from "./constants.js";

const RUN_IN = 2 * RATE;
const LISTED = 40;

export function seams(stage) {
  return {
    listedSeams: [],
    seamIsOpen: false,
    joins: { revision: null, waits: false, seams: [] },
    onlyHeard: false,

    get takenOut() { return this.lengthOf(this.seams.filter((seam) => seam.closed).reduce((sum, seam) => sum + seam.length, 0)); },
    chooseSeam(id, { quiet = false } = {}) {
      this.chosenSeam = id;
      stage.sheet.show({ seam: id });
      if (stage.opened && stage.opened.seam !== id) this.closeOpened();
      const seam = this.seamOf(id);
      if (!seam) return;
      this.chosenFind = null;
      if (quiet) return;
      this.showPruneView("seams");
      this.select(null);
      this.seek(seam.at);
      this.listAround(seam.at);
      stage.sheet.keepInSight(seam.at);
    },
    seamOf: (id) => stage.doc.seams.find((candidate) => candidate.id === id),
    // The list holds the seams around a place; with hundreds of them, a longer one would slow every edit.
    listAround(place) {
      if (!this.settled && !this.isPruneView("seams")) return;
      const faulty = new Set(this.joins.seams.map((told) => told.seam));
      const chosen = this.onlyHeard ? this.seams.filter((seam) => faulty.has(seam.id)) : this.seams;
      const index = chosen.findIndex((seam) => seam.at >= place);
      const first = Math.min(Math.max((index < 0 ? chosen.length : index) - LISTED / 2, 0), Math.max(chosen.length - LISTED, 0));
      this.listedSeams = chosen.slice(first, first + LISTED);
    },
    get unlisted() { return this.onlyHeard ? 0 : this.seams.length - this.listedSeams.length; },
    isSeam(seam) { return this.chosenSeam === seam.id; },
    seamWhat: (seam) => (seam.laid.length ? "moved" : seam.closed ? "taken out" : "room tone"),
    putBack() {
      if (this.chosenSeam !== null) return this.edit({ edit: "put_back", seam: this.chosenSeam });
      this.problem = "No seam is chosen. Click one on the sheet, or press N.";
      return null;
    },
    // From a moment before the join to a moment after it; with the seam open, with all that is missing.
    playAcross() {
      if (stage.opened) {
        const { seam, start, stop } = stage.opened;
        return this.playRange(start - RUN_IN / 2, stop + RUN_IN / 2, { openSeam: { seam, start, stop } });
      }
      const seam = this.seamOf(this.chosenSeam);
      const place = seam ? seam.at : this.playhead;
      return this.playRange(place - RUN_IN, place + RUN_IN);
    },

    // -- open --------------------------------------------------------------------------------------------

    toggleOpened() { return this.seamIsOpen ? this.closeOpened() : this.openSeam(); },
    async openSeam() {
      const id = this.chosenSeam;
      if (id === null) { this.problem = "No seam is chosen. Click one on the sheet, or press N."; return; }
      await this.attempt(async () => {
        const { state, start, stop } = await api.get(`/api/episodes/${this.episodeId}/seams/${id}/open`);
        if (this.chosenSeam !== id) return;
        stage.opened = { seam: id, state, start, stop };
        this.seamIsOpen = true;
        const span = Math.round(Math.min(Math.max((stop - start) * 1.8, 3 * RATE), 30 * RATE));
        stage.loupe.show({ doc: state, missing: { seam: id, start, stop }, selection: null, find: null, centre: (start + stop) / 2, span });
      });
    },
    closeOpened() {
      if (!stage.opened) return;
      if (stage.player.supposed.openSeam) stage.player.stop();
      const { start } = stage.opened;
      stage.opened = null;
      this.seamIsOpen = false;
      stage.loupe.show({ doc: stage.doc, missing: null, selection: this.selection, find: this.chosenFind, centre: start, span: 6 * RATE });
    },
    // Where a place of the episode is in the loupe, which shows what is missing as well.
    inLoupe(place) { return stage.opened && place > stage.opened.start ? place + stage.opened.stop - stage.opened.start : place; },
    // After an edit: open it again if it is still there.
    refreshOpened() {
      if (this.seamOf(stage.opened.seam)) return this.openSeam();
      return this.closeOpened();
    },
    // Each join is heard at once, so that its sides are set by ear.
    async dragSeam(seam, first, last) {
      const made = await this.edit({ edit: "drag_seam", seam, first: Math.round(first), last: Math.round(last) });
      if (!made) { if (stage.opened) this.openSeam(); return; }
      const { at } = this.seamOf(seam);
      this.playRange(at - RUN_IN, at + RUN_IN);
    },
    setCrossfade(seam, event) {
      const ms = Number(event.target.value);
      return Number.isFinite(ms) && ms >= 0 ? this.edit({ edit: "set_seam", seam: seam.id, crossfade: Math.round((ms * RATE) / 1000) }) : null;
    },
    setCrossing(seam, event) { return this.edit({ edit: "set_seam", seam: seam.id, crossing: event.target.value }); },
    crossfadeMs: (seam) => Math.round((seam.crossfade * 1000) / RATE),
    keepsPower: (seam) => seam.crossing === "power",
    canDrag: (seam) => seam.laid.length === 0,

    // -- which may be heard ------------------------------------------------------------------------------

    async checkJoins() {
      await this.attempt(async () => { this.joins = await api.post(`/api/episodes/${this.episodeId}/joins`); });
    },
    async readJoins() {
      this.joins = await api.get(`/api/episodes/${this.episodeId}/joins`).catch(() => this.joins);
      if (this.joins.waits) return;
      this.onlyHeard = this.joins.seams.length > 0;
      this.listAround(this.playhead);
      if (!this.joins.seams.length) this.say("No join stands out: no cut word or breath, no step in the room, no click.");
    },
    showOnlyHeard(event) { this.onlyHeard = event.target.checked; this.listAround(this.playhead); },
    get joinsSay() {
      if (this.joins.waits) return "Listening to the joins.";
      if (this.joins.revision === null) return "";
      const count = this.joins.seams.length;
      const old = this.joins.revision === this.revision ? "" : ", as it was when they were checked";
      return `${count === 0 ? "No join" : count === 1 ? "1 join" : `${count} joins`} may be heard${old}.`;
    },
    get hasHeard() { return this.joins.seams.length > 0; },
    faultsOf(seam) {
      const told = this.joins.seams.find((candidate) => candidate.seam === seam.id);
      return told ? told.faults : [];
    },
    isFaulty(seam) { return this.faultsOf(seam).length > 0; },
    faultSays(fault) {
      const track = this.tracks.find((candidate) => candidate.id === fault.track);
      return `${track ? `${track.name.split(" ")[0]}: ` : ""}${fault.told}`;
    },
  };
}
