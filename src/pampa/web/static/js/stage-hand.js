// Prune by hand: select, take out, put in, carry, slide; and what can be done with one piece.

import { api } from "./api.js";
import { RATE } from "./constants.js";
import { firstEndingAfter } from "./geometry.js";

const NUDGE = RATE / 100;
const RUN_IN = 1.5 * RATE;
const VIEWS = ["finds", "seams", "places", "history"];
const PUT_IN = { what: "tone", seconds: 0.5 };

const isTalk = (track) => track.kind === "person" || track.kind === "spot";

// What of a track's clips lies in a range, as it would be put in elsewhere: starts count from the range's beginning.
function clipsWithin(track, start, stop) {
  const found = [];
  for (let i = firstEndingAfter(track.clips, start); i < track.clips.length && track.clips[i].start < stop; i++) {
    const { recording, source, start: begins, length, gain_db, fade_in, fade_out, muted } = track.clips[i];
    const from = Math.max(begins, start);
    const to = Math.min(begins + length, stop);
    found.push({
      recording, gain_db, muted, source: source + from - begins, start: from - start, length: to - from,
      fade_in: from === begins ? Math.min(fade_in, to - from) : 0, fade_out: to === begins + length ? Math.min(fade_out, to - from) : 0,
    });
    const clip = found[found.length - 1];
    if (clip.fade_in + clip.fade_out > clip.length) clip.fade_out = clip.length - clip.fade_in;
  }
  return found;
}

export function hand(stage, remembered, remember) {
  return {
    pruneView: VIEWS.includes(remembered("prune-view", "finds")) ? remembered("prune-view", "finds") : "finds",
    putInWhat: { ...PUT_IN, ...remembered("put-in", {}) },
    slideMs: -100,
    slideFollows: false,
    shelf: null, // what was copied, or is to be carried

    isPruneView(name) { return this.pruneView === name; },
    showPruneView(name) {
      this.pruneView = name;
      remember("prune-view", name);
      if (name === "history") this.readHistory();
      if (name === "places") this.readSpots();
    },

    // -- selecting ---------------------------------------------------------------------------------------

    get hasSelection() { return this.selection !== null && this.selection.stop > this.selection.start; },
    get selectionLength() { return this.hasSelection ? this.lengthOf(this.selection.stop - this.selection.start) : ""; },
    get selectsOne() { return this.hasSelection && this.selection.track !== null; },
    get selectsAll() { return this.hasSelection && this.selection.track === null; },
    setIn() { this.setEdge("start"); },
    setOut() { this.setEdge("stop"); },
    setEdge(edge) {
      const here = this.playhead;
      const old = this.selection ?? { start: here, stop: here, track: null };
      const changed = { ...old, [edge]: here };
      if (changed.start > changed.stop) changed[edge === "start" ? "stop" : "start"] = here;
      this.select(changed, { keep: true });
    },
    chooseOnly(event) {
      if (this.selection) this.select({ ...this.selection, track: event.target.value ? Number(event.target.value) : null }, { keep: true });
    },
    isOnly(track) { return this.selection !== null && this.selection.track === (track ? track.id : null); },
    letGo() { this.select(null); this.pick(null); this.helping = false; this.chosenFind = null; this.closeOpened(); this.drawFinds(); },
    quietNear(at, track) {
      const one = track === null || track === undefined ? "" : `&track=${track}`;
      return api.get(`/api/episodes/${this.episodeId}/quiet?at=${Math.round(at)}${one}`).then((told) => told.at);
    },
    // Edges of what is chosen, or the playhead, move to where a cut is heard least.
    toQuiet() {
      return this.attempt(async () => {
        if (this.chosenFind) {
          const [place, until] = await Promise.all([this.quietNear(this.chosenFind.place), this.quietNear(this.chosenFind.until)]);
          if (until > place) this.moveFind({ ...this.chosenFind, place, until });
        } else if (this.hasSelection) {
          const { start, stop, track } = this.selection;
          const [first, last] = await Promise.all([this.quietNear(start, track), this.quietNear(stop, track)]);
          if (last > first) this.select({ start: first, stop: last, track }, { keep: true });
        } else this.seek(await this.quietNear(this.playhead), { keep: true });
      });
    },
    // The pieces under the playhead, one track after another.
    choosePiece() {
      const here = stage.doc.tracks.flatMap((track) => track.clips.filter((clip) => clip.start <= this.playhead && this.playhead < clip.start + clip.length));
      if (!here.length) { this.problem = "No piece lies at the playhead."; return; }
      const next = here[(here.findIndex((clip) => clip.id === this.clipId) + 1) % here.length];
      this.pick({ clip: next.id });
    },
    leftSooner() { return this.nudgeEdge("left", -NUDGE); },
    leftLater() { return this.nudgeEdge("left", NUDGE); },
    rightSooner() { return this.nudgeEdge("right", -NUDGE); },
    rightLater() { return this.nudgeEdge("right", NUDGE); },
    // One edge of the chosen find, the chosen seam or the selection, whichever there is.
    nudgeEdge(side, by) {
      const moved = (start, stop) => (side === "left" ? [Math.max(start + by, 0), stop] : [start, stop + by]);
      if (this.chosenFind) {
        const [place, until] = moved(this.chosenFind.place, this.chosenFind.until);
        if (until - place >= NUDGE) this.moveFind({ ...this.chosenFind, place, until });
        return null;
      }
      if (this.chosenSeam !== null) return this.dragSeam(this.chosenSeam, side === "left" ? by : 0, side === "right" ? -by : 0);
      if (this.piece && !this.hasSelection) {
        const edge = side === "left" ? "start" : "end";
        const at = edge === "start" ? this.piece.start : this.piece.start + this.piece.length;
        return this.edit({ edit: "trim", clip: this.piece.id, edge, at: Math.max(at + by, 0) });
      }
      if (!this.hasSelection) { this.problem = "Nothing is chosen. Select something, or choose a piece, a find or a seam."; return null; }
      const [start, stop] = moved(this.selection.start, this.selection.stop);
      if (stop - start >= NUDGE) this.select({ ...this.selection, start, stop }, { keep: true });
      return null;
    },

    // -- taking out --------------------------------------------------------------------------------------

    needsSelection() {
      if (this.hasSelection) return false;
      this.problem = "Nothing is selected. Drag over the sheet, or set in and out with [ and ].";
      return true;
    },
    takeOut() {
      if (this.piece && !this.hasSelection && !isTalk(this.piece)) return this.removeClip();
      if (this.needsSelection()) return null;
      const { start, stop, track } = this.selection;
      if (track !== null) return this.clear();
      return this.cut({ edit: "take_out", start, stop }, start);
    },
    takeOutWhole() {
      if (this.needsSelection()) return null;
      const { start, stop } = this.selection;
      return this.cut({ edit: "take_out", start, stop, whole: true }, start);
    },
    clear() {
      if (this.needsSelection()) return null;
      const { start, stop, track } = this.selection;
      return this.cut({ edit: "clear", start, stop, ...(track === null ? {} : { tracks: [track] }) }, start);
    },
    async cut(edit, place) {
      const known = new Set(stage.doc.seams.map((seam) => seam.id));
      const made = await this.edit(edit);
      if (!made) return;
      this.select(null);
      const seam = made.seams.find((candidate) => !known.has(candidate.id));
      if (seam) this.chooseSeam(seam.id, { quiet: true });
      if (!this.playing) this.seek(place, { keep: true });
    },
    // The join as it would be, before anything is done.
    hearWithout() {
      const range = this.chosenFind ? [this.chosenFind.place, this.chosenFind.until] : this.hasSelection ? [this.selection.start, this.selection.stop] : null;
      if (!range) { this.problem = "Nothing is chosen to be left out. Select something, or choose a find."; return null; }
      return this.playRange(range[0] - RUN_IN, range[0] + RUN_IN, { without: range.map(Math.round) });
    },

    // -- putting in and carrying -------------------------------------------------------------------------

    setPutIn(name, event) {
      const value = name === "seconds" ? Number(event.target.value) : event.target.value;
      if (name === "seconds" && !(value > 0)) return;
      this.putInWhat = { ...this.putInWhat, [name]: value };
      remember("put-in", this.putInWhat);
    },
    isPutIn(what) { return this.putInWhat.what === what; },
    putIn() {
      const length = Math.round(this.putInWhat.seconds * RATE);
      const at = this.playhead;
      if (this.putInWhat.what === "silence") return this.edit({ edit: "insert", name: "silence", at, length });
      return this.inTurn(async () => {
        this.takeChange(await api.post(`/api/episodes/${this.episodeId}/tone`, { revision: this.revision, at, length }));
        return stage.doc;
      });
    },
    get canPaste() { return this.shelf !== null && this.stage === "prune"; },
    get shelfSays() {
      if (!this.shelf) return "";
      const long = this.lengthOf(this.shelf.stop - this.shelf.start);
      return this.shelf.carry ? `${long} wait to be carried: Ctrl V at the playhead` : `${long} copied: Ctrl V puts them in at the playhead`;
    },
    copy() {
      if (this.needsSelection()) return;
      this.shelf = this.copied();
      this.say(`${this.shelfSays}.`);
    },
    copied() {
      const { start, stop, track } = this.selection;
      const tracks = stage.doc.tracks.filter((candidate) => isTalk(candidate) && (track === null || candidate.id === track));
      return { carry: false, start, stop, pieces: tracks.map((each) => ({ track: each.id, clips: clipsWithin(each, start, stop) })) };
    },
    cutToCarry() {
      if (this.needsSelection()) return;
      const { start, stop } = this.selection;
      this.shelf = { carry: true, start, stop, revision: this.revision };
      this.say(`${this.shelfSays}.`);
    },
    async paste() {
      const { carry, start, stop, revision, pieces } = this.shelf;
      if (!carry) return this.edit({ edit: "insert", name: "a copy", at: this.playhead, length: stop - start, pieces });
      if (revision !== this.revision) {
        this.shelf = null;
        this.problem = "The episode has changed since that was chosen. Nothing was carried; select it again.";
        return null;
      }
      const made = await this.edit({ edit: "carry", start, stop, to: this.playhead });
      if (made) this.shelf = null;
      return made;
    },
    duplicate() {
      if (this.needsSelection()) return null;
      const { start, stop, pieces } = this.copied();
      return this.edit({ edit: "insert", name: "a copy", at: stop, length: stop - start, pieces });
    },

    // -- one person against the others -------------------------------------------------------------------

    setSlide(event) { if (Number(event.target.value)) this.slideMs = Number(event.target.value); },
    setSlideFollows(event) { this.slideFollows = event.target.checked; },
    slide() {
      if (!this.selectsOne) { this.problem = "Select what one person says: hold Alt while dragging, or choose them in the list."; return null; }
      const { start, stop, track } = this.selection;
      return this.edit({ edit: "slide", track, start, stop, by: Math.round((this.slideMs * RATE) / 1000), follow: this.slideFollows });
    },

    // -- at the playhead, and one piece ------------------------------------------------------------------

    split() { return this.edit({ edit: "split", at: this.playhead, ...(this.piece && !isTalk(this.piece) ? { tracks: [this.piece.track] } : {}) }); },
    joinHere() {
      const edges = stage.doc.tracks.flatMap((track) => track.clips.map((clip) => clip.start));
      const near = edges.reduce((best, edge) => (Math.abs(edge - this.playhead) < Math.abs(best - this.playhead) ? edge : best), Infinity);
      return this.edit({ edit: "join", at: Math.abs(near - this.playhead) < RATE / 2 ? near : this.playhead });
    },
    removeClip() {
      if (this.piece.kind === "spot") return this.edit({ edit: "lift_spot", clip: this.piece.id });
      return this.edit({ edit: "remove_clip", clip: this.piece.id });
    },
    muteClip() { return this.edit({ edit: "set_clip", clip: this.piece.id, muted: !this.piece.muted }); },
    setClip(name, event) {
      const value = Number(event.target.value);
      if (!Number.isFinite(value)) return null;
      const scale = name === "gain_db" ? 1 : RATE;
      return this.edit({ edit: "set_clip", clip: this.piece.id, [name]: scale === 1 ? value : Math.round(value * scale) });
    },
    slipClip(event) {
      const by = Math.round((Number(event.target.value) * RATE) / 1000);
      event.target.value = "";
      return by ? this.edit({ edit: "slip", clip: this.piece.id, by }) : null;
    },
    moveClip(event) { return this.edit({ edit: "move", clip: this.piece.id, start: Math.round(Number(event.target.value) * RATE) }); },
    clipToPlayhead() { return this.edit({ edit: "move", clip: this.piece.id, start: this.playhead }); },
    clipsToPlayhead() { return this.edit({ edit: "move", clip: this.piece.id, start: this.playhead, following: true }); },
    get hasClip() { return this.piece !== null; },
    get clipTalks() { return this.piece !== null && isTalk(this.piece); },
    get clipIsSpot() { return this.piece !== null && this.piece.kind === "spot"; },
    get clipStart() { return this.piece ? (this.piece.start / RATE).toFixed(2) : ""; },
    get clipName() {
      if (!this.piece) return "";
      const recording = this.recordings.find((candidate) => candidate.id === this.piece.recording);
      return recording ? recording.person || recording.name : this.piece.trackName;
    },
    get clipFadeIn() { return this.piece ? (this.piece.fade_in / RATE).toFixed(2) : ""; },
    get clipFadeOut() { return this.piece ? (this.piece.fade_out / RATE).toFixed(2) : ""; },
    get clipGain() { return this.piece ? this.piece.gain_db : 0; },
    get clipLength() { return this.piece ? this.lengthOf(this.piece.length) : ""; },
    get clipMuted() { return this.piece !== null && this.piece.muted; },
  };
}
