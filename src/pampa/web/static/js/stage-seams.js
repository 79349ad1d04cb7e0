// Prune's seams: listed, opened to see what is missing, their sides dragged, and which of them may be heard.

import { api } from "./api.js";
import { RATE } from "./constants.js";

const RUN_IN = 2 * RATE;
const LISTED = 40;

/** @param {import("./page.js").Page} page */
export function seams(page, stage) {
  return {
    listed: [],
    isOpen: false,
    joins: { revision: null, waits: false, seams: [] },
    onlyHeard: false,

    get takenOut() { return page.lengthOf(page.episode.seams.filter((seam) => seam.closed).reduce((sum, seam) => sum + seam.length, 0)); },
    choose(id, { quiet = false } = {}) {
      page.selection.seam = id;
      stage.sheet.show({ seam: id });
      if (stage.opened && stage.opened.seam !== id) this.close();
      const seam = this.seamOf(id);
      if (!seam) return;
      page.finds.chosen = null;
      if (quiet) return;
      page.hand.showPruneView("seams");
      page.selection.select(null);
      page.transport.seek(seam.at);
      this.listAround(seam.at);
      stage.sheet.keepInSight(seam.at);
    },
    seamOf: (id) => stage.doc.seams.find((candidate) => candidate.id === id),
    // The list holds the seams around a place; with hundreds of them, a longer one would slow every edit.
    listAround(place) {
      if (!page.settled && !page.hand.isPruneView("seams")) return;
      const faulty = new Set(this.joins.seams.map((told) => told.seam));
      const chosen = this.onlyHeard ? page.episode.seams.filter((seam) => faulty.has(seam.id)) : page.episode.seams;
      const index = chosen.findIndex((seam) => seam.at >= place);
      const first = Math.min(Math.max((index < 0 ? chosen.length : index) - LISTED / 2, 0), Math.max(chosen.length - LISTED, 0));
      this.listed = chosen.slice(first, first + LISTED);
    },
    get unlisted() { return this.onlyHeard ? 0 : page.episode.seams.length - this.listed.length; },
    isChosen(seam) { return page.selection.seam === seam.id; },
    seamWhat: (seam) => (seam.laid.length ? "moved" : seam.closed ? "taken out" : "room tone"),
    putBack() {
      if (page.selection.seam !== null) return page.episode.edit({ edit: "put_back", seam: page.selection.seam });
      page.problem = "No seam is chosen. Click one on the sheet, or press N.";
      return null;
    },
    // From a moment before the join to a moment after it; with the seam open, with all that is missing.
    playAcross() {
      if (stage.opened) {
        const { seam, start, stop } = stage.opened;
        return page.transport.playRange(start - RUN_IN / 2, stop + RUN_IN / 2, { openSeam: { seam, start, stop } });
      }
      const seam = this.seamOf(page.selection.seam);
      const place = seam ? seam.at : page.transport.playhead;
      return page.transport.playRange(place - RUN_IN, place + RUN_IN);
    },

    // -- open --------------------------------------------------------------------------------------------

    toggleOpened() { return this.isOpen ? this.close() : this.open(); },
    async open() {
      const id = page.selection.seam;
      if (id === null) { page.problem = "No seam is chosen. Click one on the sheet, or press N."; return; }
      await page.attempt(async () => {
        const { state, start, stop } = await api.get(`/api/episodes/${page.episode.id}/seams/${id}/open`);
        if (page.selection.seam !== id) return;
        stage.opened = { seam: id, state, start, stop };
        this.isOpen = true;
        const span = Math.round(Math.min(Math.max((stop - start) * 1.8, 3 * RATE), 30 * RATE));
        stage.loupe.show({ doc: state, missing: { seam: id, start, stop }, selection: null, find: null, centre: (start + stop) / 2, span });
      });
    },
    close() {
      if (!stage.opened) return;
      if (stage.player.supposed.openSeam) stage.player.stop();
      const { start } = stage.opened;
      stage.opened = null;
      this.isOpen = false;
      stage.loupe.show({
        doc: stage.doc,
        missing: null,
        selection: page.selection.range,
        find: page.finds.chosen,
        centre: start,
        span: 6 * RATE,
      });
    },
    // Where a place of the episode is in the loupe, which shows what is missing as well.
    inLoupe(place) { return stage.opened && place > stage.opened.start ? place + stage.opened.stop - stage.opened.start : place; },
    // After an edit: open it again if it is still there.
    refresh() {
      if (this.seamOf(stage.opened.seam)) return this.open();
      return this.close();
    },
    // Each join is heard at once, so that its sides are set by ear.
    async drag(seam, first, last) {
      const made = await page.episode.edit({ edit: "drag_seam", seam, first: Math.round(first), last: Math.round(last) });
      if (!made) { if (stage.opened) this.open(); return; }
      const { at } = this.seamOf(seam);
      page.transport.playRange(at - RUN_IN, at + RUN_IN);
    },
    setCrossfade(seam, event) {
      const ms = Number(event.target.value);
      return Number.isFinite(ms) && ms >= 0
        ? page.episode.edit({ edit: "set_seam", seam: seam.id, crossfade: Math.round((ms * RATE) / 1000) })
        : null;
    },
    setCrossing(seam, event) { return page.episode.edit({ edit: "set_seam", seam: seam.id, crossing: event.target.value }); },
    crossfadeMs: (seam) => Math.round((seam.crossfade * 1000) / RATE),
    keepsPower: (seam) => seam.crossing === "power",
    canDrag: (seam) => seam.laid.length === 0,

    // -- which may be heard ------------------------------------------------------------------------------

    async checkJoins() {
      await page.attempt(async () => { this.joins = await api.post(`/api/episodes/${page.episode.id}/joins`); });
    },
    async readJoins() {
      this.joins = await api.get(`/api/episodes/${page.episode.id}/joins`).catch(() => this.joins);
      if (this.joins.waits) return;
      this.onlyHeard = this.joins.seams.length > 0;
      this.listAround(page.transport.playhead);
      if (!this.joins.seams.length) page.say("No join stands out: no cut word or breath, no step in the room, no click.");
    },
    showOnlyHeard(event) { this.onlyHeard = event.target.checked; this.listAround(page.transport.playhead); },
    get joinsSay() {
      if (this.joins.waits) return "Listening to the joins.";
      if (this.joins.revision === null) return "";
      const count = this.joins.seams.length;
      const old = this.joins.revision === page.episode.revision ? "" : ", as it was when they were checked";
      return `${count === 0 ? "No join" : count === 1 ? "1 join" : `${count} joins`} may be heard${old}.`;
    },
    get hasHeard() { return this.joins.seams.length > 0; },
    faultsOf(seam) {
      const told = this.joins.seams.find((candidate) => candidate.seam === seam.id);
      return told ? told.faults : [];
    },
    isFaulty(seam) { return this.faultsOf(seam).length > 0; },
    faultSays(fault) {
      const track = page.episode.tracks.find((candidate) => candidate.id === fault.track);
      return `${track ? `${track.name.split(" ")[0]}: ` : ""}${fault.told}`;
    },
  };
}
