// The episode as this page knows it: its document, what it is made of, and edits in their turn.

import { api } from "./api.js";
import { changed } from "./changes.js";
import { COMMON_LEVEL, RATE } from "./constants.js";
import { followed } from "./geometry.js";
import { shortClock } from "./time.js";

const afterPaint = (work) => requestAnimationFrame(() => setTimeout(work, 0));

/** @param {import("./page.js").Page} page */
export function episode(page, data, stage) {
  // Edits of this page that are on their way, how many were ever begun, and the newest revision that was told of.
  /** @type {{turn: Promise<any>, count: number, begun: number, newest: number}} */
  const waiting = { turn: Promise.resolve(), count: 0, begun: 0, newest: 0 };

  return {
    id: data.episode.id,
    show: data.show,
    about: data.episode,
    revision: data.state.revision,
    undoes: data.state.undo,
    redoes: data.state.redo,
    tracks: [],
    seams: [],
    markers: [],
    recordings: data.recordings,

    get people() { return this.tracks.filter((track) => track.linked); },
    get others() { return this.tracks.filter((track) => !track.linked); },
    get isEmpty() { return stage.doc.length === 0 && this.revision >= 0; },
    get lengthText() { return this.revision >= 0 ? shortClock(stage.doc.length, RATE) : ""; },

    // -- the document ------------------------------------------------------------------------------------

    // Show a state of the episode; the playhead stays at the same moment of talk.
    take(state) {
      const before = stage.doc;
      const changes = state.revision !== this.revision;
      stage.doc = state;
      this.revision = state.revision;
      this.undoes = state.undo;
      this.redoes = state.redo;
      if (page.selection.seam !== null && !state.seams.some((seam) => seam.id === page.selection.seam)) page.selection.seam = null;
      page.selection.refreshClip();
      const views = { doc: state, gains: this.gains(), names: this.names(), seam: page.selection.seam, clip: page.selection.clipId };
      const map = (place) => followed(place, before, state);
      stage.sheet.show({ ...views, playhead: map(page.transport.playhead) });
      stage.picture.show({ doc: state, place: map(page.transport.playhead) });
      // The sheet comes first; all else follows a frame later, together it takes longer than the sheet.
      const rest = () => {
        if (stage.opened) page.seams.refresh();
        else stage.loupe.show(views);
        if (changes) this.follows(map);
        if (stage.doc === state) { stage.overview.show(views); this.list(state); }
      };
      if (changes) {
        stage.player.renew(map); // before all else: it is waited for
        afterPaint(rest);
      }
      else rest();
    },
    // After an edit: the playhead and what plays stay at the same moment of talk.
    follows(map) {
      page.transport.playhead = map(page.transport.playhead);
      page.transport.seek(page.transport.playhead, { keep: true, playing: true });
      page.loudness.measured.current = false;
      page.loudness.readSoon();
      page.next.readSoon();
      page.tone.readSoon();
      if (page.lineUp.linings.length) page.lineUp.read();
    },
    takeChange(change) { this.take(changed(stage.doc, change)); },
    // What the panel lists.
    list(state) {
      const tracks = state.tracks.map(({ clips, ...track }) => track);
      if (JSON.stringify(tracks) !== JSON.stringify(this.tracks)) this.tracks = tracks;
      this.seams = state.seams;
      page.seams.listAround(page.transport.playhead);
      if (JSON.stringify(state.markers) !== JSON.stringify(this.markers)) this.markers = state.markers;
      page.music.take(state);
      page.tone.draw();
      page.lineUp.draw();
      page.mend.refreshAmounts();
      page.patterns.refreshEnding();
      if (page.isStage("gather")) page.gather.show();
      page.finds.place();
    },
    gains() {
      const talk = this.recordings.filter((r) => r.facts.speech_lufs && ["person", "spot"].includes(r.role));
      return new Map(talk.map((r) => [r.id, COMMON_LEVEL - r.facts.speech_lufs]));
    },
    names() {
      return new Map(this.recordings.map((recording) => [recording.id, recording.person || recording.name]));
    },
    nameOf(id) {
      const recording = this.recordings.find((candidate) => candidate.id === id);
      return recording ? recording.person || recording.name : "";
    },
    rename(event) {
      return page.attempt(async () => { this.about = await api.patch(`/api/episodes/${this.id}`, { title: event.target.value }); });
    },
    async readRecordings() {
      const path = `/api/episodes/${this.id}/recordings`;
      [this.recordings, page.gather.removed] = await Promise.all([
        api.get(path).catch(() => this.recordings), api.get(`${path}?removed=true`).catch(() => page.gather.removed),
      ]);
      page.gather.show();
      window.Alpine.nextTick(() => page.lineUp.draw());
      page.picture.tell();
      const views = { gains: this.gains(), names: this.names() };
      stage.sheet.show(views);
      stage.loupe.show(views);
      stage.overview.show(views);
    },

    // Waits until something of the page holds, as the server's events change it: gives what `test` gives then.
    until(test) {
      const { Alpine } = window;
      return new Promise((resolve, reject) => {
        const over = (end, value) => { end(value); queueMicrotask(() => Alpine.release(watch)); };
        const watch = Alpine.effect(() => {
          try {
            const got = test();
            if (got) over(resolve, got);
          } catch (error) { over(reject, error); }
        });
      });
    },

    // -- edits -------------------------------------------------------------------------------------------

    // The episode is at this revision elsewhere: it is read once no edit of this page is on its way.
    newer(revision) {
      waiting.newest = Math.max(waiting.newest, revision);
      if (waiting.count === 0 && waiting.newest > this.revision) this.reload();
    },
    // What was read while an edit began may be from before it, and the edit's own answer is the newer one.
    async reload() {
      const { begun, count } = waiting;
      const state = await api.get(`/api/episodes/${this.id}`).catch(() => null);
      if (state && count === 0 && begun === waiting.begun && state.revision !== this.revision) this.take(state);
    },
    // Edits go one after another: a quick second key is made on what the first one left.
    /** @returns {Promise<any>} what the work gives, or null where it was refused */
    inTurn(work) {
      waiting.count++;
      waiting.begun++;
      const ended = () => { waiting.count--; this.newer(0); };
      waiting.turn = waiting.turn.then(() => page.attempt(work)).finally(ended);
      return waiting.turn;
    },
    // edit : what to send, or a function that gives it once its turn has come.
    edit(edit) {
      return this.inTurn(async () => {
        const told = typeof edit === "function" ? edit() : edit;
        const at = page.transport.playhead;
        this.takeChange(await api.post(`/api/episodes/${this.id}/edits`, { revision: this.revision, edit: told, at }));
        return stage.doc;
      });
    },
    undo() { return this.step("undo"); },
    redo() { return this.step("redo"); },
    step(way) {
      return this.inTurn(async () => {
        this.takeChange(await api.post(`/api/episodes/${this.id}/${way}`, { revision: this.revision }));
        page.selection.select(null);
      });
    },
  };
}
