// Prune: take out, put back, split, mark.

const RUN_IN = 2 * 48000;
const LISTED = 40;

export function prune(stage) {
  return {
    listedSeams: [],

    get hasSelection() { return this.selection !== null && this.selection.stop > this.selection.start; },
    get selectionLength() { return this.hasSelection ? this.lengthOf(this.selection.stop - this.selection.start) : ""; },
    get takenOut() { return this.lengthOf(this.seams.filter((seam) => seam.closed).reduce((sum, seam) => sum + seam.length, 0)); },
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
    letGo() { this.select(null); this.pick(null); this.helping = false; },
    async takeOut() {
      if (this.piece && !this.hasSelection && !["person", "spot"].includes(this.piece.kind)) return this.removeClip();
      if (!this.hasSelection) { this.problem = "Nothing is selected. Drag over the sheet, or set in and out with [ and ]."; return null; }
      const { start, stop, track } = this.selection;
      if (track !== null) return this.clear();
      return this.cut({ edit: "take_out", start, stop }, start);
    },
    async clear() {
      if (!this.hasSelection) { this.problem = "Nothing is selected. Drag over the sheet, or set in and out with [ and ]."; return null; }
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
    split() { return this.edit({ edit: "split", at: this.playhead, ...(this.piece && !["person", "spot"].includes(this.piece.kind) ? { tracks: [this.piece.track] } : {}) }); },
    removeClip() { return this.edit({ edit: "remove_clip", clip: this.piece.id }); },
    mark() { return this.edit({ edit: "add_marker", at: this.playhead, name: "" }); },
    nameMarker(marker, event) { return this.edit({ edit: "set_marker", marker: marker.id, name: event.target.value }); },
    removeMarker(marker) { return this.edit({ edit: "remove_marker", marker: marker.id }); },

    chooseSeam(id, { quiet = false } = {}) {
      this.chosenSeam = id;
      stage.sheet.show({ seam: id });
      const seam = stage.doc.seams.find((candidate) => candidate.id === id);
      if (!seam || quiet) return;
      this.select(null);
      this.seek(seam.at);
      this.listAround(seam.at);
      stage.sheet.keepInSight(seam.at);
    },
    // The list holds the seams around a place; with hundreds of them, a longer one would slow every edit.
    listAround(place) {
      const index = this.seams.findIndex((seam) => seam.at >= place);
      const first = Math.min(Math.max((index < 0 ? this.seams.length : index) - LISTED / 2, 0), Math.max(this.seams.length - LISTED, 0));
      this.listedSeams = this.seams.slice(first, first + LISTED);
    },
    get unlisted() { return this.seams.length - this.listedSeams.length; },
    isSeam(seam) { return this.chosenSeam === seam.id; },
    seamWhat: (seam) => (seam.closed ? "taken out" : "left empty"),
    putBack() {
      if (this.chosenSeam !== null) return this.edit({ edit: "put_back", seam: this.chosenSeam });
      this.problem = "No seam is chosen. Click one on the sheet, or press N.";
      return null;
    },
    nextSeam() {
      const ahead = stage.doc.seams.filter((seam) => seam.at > this.playhead + 480);
      if (ahead.length) this.chooseSeam(ahead[0].id);
    },
    previousSeam() {
      const behind = stage.doc.seams.filter((seam) => seam.at < this.playhead - 480);
      if (behind.length) this.chooseSeam(behind[behind.length - 1].id);
    },
    // From a moment before the join to a moment after it.
    playAcross() {
      const seam = stage.doc.seams.find((candidate) => candidate.id === this.chosenSeam);
      const place = seam ? seam.at : this.playhead;
      this.playRange(place - RUN_IN, place + RUN_IN);
    },

    setClip(name, event) {
      const value = Number(event.target.value);
      if (!Number.isFinite(value)) return null;
      const scale = name === "gain_db" ? 1 : 48000;
      return this.edit({ edit: "set_clip", clip: this.piece.id, [name]: scale === 1 ? value : Math.round(value * scale) });
    },
    moveClip(event) { return this.edit({ edit: "move", clip: this.piece.id, start: Math.round(Number(event.target.value) * 48000) }); },
    clipToPlayhead() { return this.edit({ edit: "move", clip: this.piece.id, start: this.playhead }); },
    get hasClip() { return this.piece !== null; },
    get clipStart() { return this.piece ? (this.piece.start / 48000).toFixed(2) : ""; },
    get clipName() {
      if (!this.piece) return "";
      const recording = this.recordings.find((candidate) => candidate.id === this.piece.recording);
      return recording ? recording.person || recording.name : this.piece.trackName;
    },
    get clipFadeIn() { return this.piece ? (this.piece.fade_in / 48000).toFixed(2) : ""; },
    get clipFadeOut() { return this.piece ? (this.piece.fade_out / 48000).toFixed(2) : ""; },
    get clipGain() { return this.piece ? this.piece.gain_db : 0; },
    get clipLength() { return this.piece ? this.lengthOf(this.piece.length) : ""; },
  };
}
