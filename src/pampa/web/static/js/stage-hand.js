// Prune by hand: select, take out, put in, carry, slide; and what can be done with one piece.

import { api } from "./api.js";
import { RATE } from "./constants.js";
import { firstEndingAfter } from "./geometry.js";
import { remember, remembered } from "./remembered.js";

const NUDGE = RATE / 100;
const RUN_IN = 1.5 * RATE;
const VIEWS = ["finds", "seams", "places", "history"];
const PUT_IN = { what: "tone", seconds: 0.5 };

const isTalk = (track) => track.kind === "person" || track.kind === "spot";

// What of a track's clips lies in a range, as it would be put in elsewhere: starts count from the range's beginning.
function clipsWithin(track, start, stop) {
  const found = [];
  for (let i = firstEndingAfter(track.clips, start); i < track.clips.length && track.clips[i].start < stop; i++) {
    const { id: _id, source, start: begins, length, fade_in, fade_out, ...rest } = track.clips[i];
    const from = Math.max(begins, start);
    const to = Math.min(begins + length, stop);
    found.push({
      ...rest, source: source + from - begins, start: from - start, length: to - from,
      fade_in: from === begins ? Math.min(fade_in, to - from) : 0, fade_out: to === begins + length ? Math.min(fade_out, to - from) : 0,
    });
    const clip = found[found.length - 1];
    if (clip.fade_in + clip.fade_out > clip.length) clip.fade_out = clip.length - clip.fade_in;
  }
  return found;
}

/** @param {import("./page.js").Page} page */
export function hand(page, stage) {
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
      if (name === "history") page.history.read();
      if (name === "places") page.places.readSpots();
    },

    // -- edges -------------------------------------------------------------------------------------------

    quietNear(at, track) {
      const one = track === null || track === undefined ? "" : `&track=${track}`;
      return api.get(`/api/episodes/${page.episode.id}/quiet?at=${Math.round(at)}${one}`).then((told) => told.at);
    },
    // Edges of what is chosen, or the playhead, move to where a cut is heard least.
    toQuiet() {
      return page.attempt(async () => {
        if (page.finds.chosen) {
          const [place, until] = await Promise.all([this.quietNear(page.finds.chosen.place), this.quietNear(page.finds.chosen.until)]);
          if (until > place) page.finds.move({ ...page.finds.chosen, place, until });
        } else if (page.selection.hasRange) {
          const { start, stop, track } = page.selection.range;
          const [first, last] = await Promise.all([this.quietNear(start, track), this.quietNear(stop, track)]);
          if (last > first) page.selection.select({ start: first, stop: last, track }, { keep: true });
        } else page.transport.seek(await this.quietNear(page.transport.playhead), { keep: true });
      });
    },
    // The pieces under the playhead, one track after another.
    choosePiece() {
      const here = stage.doc.tracks.flatMap((track) =>
        track.clips.filter((clip) => clip.start <= page.transport.playhead && page.transport.playhead < clip.start + clip.length),
      );
      if (!here.length) { page.problem = "No piece lies at the playhead."; return; }
      const next = here[(here.findIndex((clip) => clip.id === page.selection.clipId) + 1) % here.length];
      page.selection.pick({ clip: next.id });
    },
    leftSooner() { return this.nudgeEdge("left", -NUDGE); },
    leftLater() { return this.nudgeEdge("left", NUDGE); },
    rightSooner() { return this.nudgeEdge("right", -NUDGE); },
    rightLater() { return this.nudgeEdge("right", NUDGE); },
    // One edge of the chosen find, the chosen seam or the selection, whichever there is.
    nudgeEdge(side, by) {
      const moved = (start, stop) => (side === "left" ? [Math.max(start + by, 0), stop] : [start, stop + by]);
      if (page.finds.chosen) {
        const [place, until] = moved(page.finds.chosen.place, page.finds.chosen.until);
        if (until - place >= NUDGE) page.finds.move({ ...page.finds.chosen, place, until });
        return null;
      }
      if (page.selection.seam !== null) return page.seams.drag(page.selection.seam, side === "left" ? by : 0, side === "right" ? -by : 0);
      if (page.selection.piece && !page.selection.hasRange) {
        const edge = side === "left" ? "start" : "end";
        const at = edge === "start" ? page.selection.piece.start : page.selection.piece.start + page.selection.piece.length;
        return page.episode.edit({ edit: "trim", clip: page.selection.piece.id, edge, at: Math.max(at + by, 0) });
      }
      if (!page.selection.hasRange) {
        page.problem = "Nothing is chosen. Select something, or choose a piece, a find or a seam.";
        return null;
      }
      const [start, stop] = moved(page.selection.range.start, page.selection.range.stop);
      if (stop - start >= NUDGE) page.selection.select({ ...page.selection.range, start, stop }, { keep: true });
      return null;
    },

    // -- taking out --------------------------------------------------------------------------------------

    needsSelection() {
      if (page.selection.hasRange) return false;
      page.problem = "Nothing is selected. Drag over the sheet, or set in and out with [ and ].";
      return true;
    },
    takeOut() {
      if (page.selection.piece && !page.selection.hasRange && !isTalk(page.selection.piece)) return this.removeClip();
      if (this.needsSelection()) return null;
      const { start, stop, track } = page.selection.range;
      if (track !== null) return this.clear();
      return this.cut({ edit: "take_out", start, stop }, start);
    },
    takeOutWhole() {
      if (this.needsSelection()) return null;
      const { start, stop } = page.selection.range;
      return this.cut({ edit: "take_out", start, stop, whole: true }, start);
    },
    clear() {
      if (this.needsSelection()) return null;
      const { start, stop, track } = page.selection.range;
      return this.cut({ edit: "clear", start, stop, ...(track === null ? {} : { tracks: [track] }) }, start);
    },
    async cut(edit, place) {
      const known = new Set(stage.doc.seams.map((seam) => seam.id));
      const made = await page.episode.edit(edit);
      if (!made) return;
      page.selection.select(null);
      const seam = made.seams.find((candidate) => !known.has(candidate.id));
      if (seam) page.seams.choose(seam.id, { quiet: true });
      if (!page.transport.playing) page.transport.seek(place, { keep: true });
    },
    // The join as it would be, before anything is done.
    hearWithout() {
      const range = page.finds.chosen
        ? [page.finds.chosen.place, page.finds.chosen.until]
        : page.selection.hasRange
          ? [page.selection.range.start, page.selection.range.stop]
          : null;
      if (!range) { page.problem = "Nothing is chosen to be left out. Select something, or choose a find."; return null; }
      return page.transport.playRange(range[0] - RUN_IN, range[0] + RUN_IN, { without: range.map(Math.round) });
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
      const at = page.transport.playhead;
      if (this.putInWhat.what === "silence") return page.episode.edit({ edit: "insert", name: "silence", at, length });
      return page.episode.inTurn(async () => {
        page.episode.takeChange(await api.post(`/api/episodes/${page.episode.id}/tone`, { revision: page.episode.revision, at, length }));
        return stage.doc;
      });
    },
    get canPaste() { return this.shelf !== null && page.stage === "prune"; },
    get shelfSays() {
      if (!this.shelf) return "";
      const long = page.lengthOf(this.shelf.stop - this.shelf.start);
      return this.shelf.carry
        ? `${long} wait to be carried: Ctrl V at the playhead`
        : `${long} copied: Ctrl V puts them in at the playhead`;
    },
    copy() {
      if (this.needsSelection()) return;
      this.shelf = this.copied();
      page.say(`${this.shelfSays}.`);
    },
    copied() {
      const { start, stop, track } = page.selection.range;
      const tracks = stage.doc.tracks.filter((candidate) => isTalk(candidate) && (track === null || candidate.id === track));
      return { carry: false, start, stop, pieces: tracks.map((each) => ({ track: each.id, clips: clipsWithin(each, start, stop) })) };
    },
    cutToCarry() {
      if (this.needsSelection()) return;
      const { start, stop } = page.selection.range;
      this.shelf = { carry: true, start, stop, revision: page.episode.revision };
      page.say(`${this.shelfSays}.`);
    },
    async paste() {
      const { carry, start, stop, revision, pieces } = this.shelf;
      if (!carry) return page.episode.edit({ edit: "insert", name: "a copy", at: page.transport.playhead, length: stop - start, pieces });
      if (revision !== page.episode.revision) {
        this.shelf = null;
        page.problem = "The episode has changed since that was chosen. Nothing was carried; select it again.";
        return null;
      }
      const made = await page.episode.edit({ edit: "carry", start, stop, to: page.transport.playhead });
      if (made) this.shelf = null;
      return made;
    },
    duplicate() {
      if (this.needsSelection()) return null;
      const { start, stop, pieces } = this.copied();
      return page.episode.edit({ edit: "insert", name: "a copy", at: stop, length: stop - start, pieces });
    },

    // -- one person against the others -------------------------------------------------------------------

    setSlide(event) { if (Number(event.target.value)) this.slideMs = Number(event.target.value); },
    setSlideFollows(event) { this.slideFollows = event.target.checked; },
    slide() {
      if (!page.selection.selectsOne) {
        page.problem = "Select what one person says: hold Alt while dragging, or choose them in the list.";
        return null;
      }
      const { start, stop, track } = page.selection.range;
      return page.episode.edit({
        edit: "slide",
        track,
        start,
        stop,
        by: Math.round((this.slideMs * RATE) / 1000),
        follow: this.slideFollows,
      });
    },

    // -- at the playhead, and one piece ------------------------------------------------------------------

    split() {
      return page.episode.edit({
        edit: "split",
        at: page.transport.playhead,
        ...(page.selection.piece && !isTalk(page.selection.piece) ? { tracks: [page.selection.piece.track] } : {}),
      });
    },
    joinHere() {
      const edges = stage.doc.tracks.flatMap((track) => track.clips.map((clip) => clip.start));
      const near = edges.reduce(
        (best, edge) => (Math.abs(edge - page.transport.playhead) < Math.abs(best - page.transport.playhead) ? edge : best),
        Infinity,
      );
      return page.episode.edit({ edit: "join", at: Math.abs(near - page.transport.playhead) < RATE / 2 ? near : page.transport.playhead });
    },
    removeClip() {
      if (page.selection.piece.kind === "spot") return page.episode.edit({ edit: "lift_spot", clip: page.selection.piece.id });
      return page.episode.edit({ edit: "remove_clip", clip: page.selection.piece.id });
    },
    muteClip() { return page.episode.edit({ edit: "set_clip", clip: page.selection.piece.id, muted: !page.selection.piece.muted }); },
    setClip(name, event) {
      const value = Number(event.target.value);
      if (!Number.isFinite(value)) return null;
      const scale = name === "gain_db" ? 1 : RATE;
      return page.episode.edit({
        edit: "set_clip",
        clip: page.selection.piece.id,
        [name]: scale === 1 ? value : Math.round(value * scale),
      });
    },
    slipClip(event) {
      const by = Math.round((Number(event.target.value) * RATE) / 1000);
      event.target.value = "";
      return by ? page.episode.edit({ edit: "slip", clip: page.selection.piece.id, by }) : null;
    },
    moveClip(event) {
      return page.episode.edit({ edit: "move", clip: page.selection.piece.id, start: Math.round(Number(event.target.value) * RATE) });
    },
    clipToPlayhead() { return page.episode.edit({ edit: "move", clip: page.selection.piece.id, start: page.transport.playhead }); },
    clipsToPlayhead() {
      return page.episode.edit({ edit: "move", clip: page.selection.piece.id, start: page.transport.playhead, following: true });
    },
    get hasClip() { return page.selection.piece !== null; },
    get clipTalks() { return page.selection.piece !== null && isTalk(page.selection.piece); },
    get clipIsSpot() { return page.selection.piece !== null && page.selection.piece.kind === "spot"; },
    get clipStart() { return page.selection.piece ? (page.selection.piece.start / RATE).toFixed(2) : ""; },
    get clipName() {
      if (!page.selection.piece) return "";
      const recording = page.episode.recordings.find((candidate) => candidate.id === page.selection.piece.recording);
      return recording ? recording.person || recording.name : page.selection.piece.trackName;
    },
    get clipFadeIn() { return page.selection.piece ? (page.selection.piece.fade_in / RATE).toFixed(2) : ""; },
    get clipFadeOut() { return page.selection.piece ? (page.selection.piece.fade_out / RATE).toFixed(2) : ""; },
    get clipShapeIn() { return page.selection.piece ? page.selection.piece.shape_in : "natural"; },
    get clipShapeOut() { return page.selection.piece ? page.selection.piece.shape_out : "natural"; },
    get clipGain() { return page.selection.piece ? page.selection.piece.gain_db : 0; },
    get clipLength() { return page.selection.piece ? page.lengthOf(page.selection.piece.length) : ""; },
    get clipMuted() { return page.selection.piece !== null && page.selection.piece.muted; },
  };
}
