// What is chosen on the sheet: a range, a piece, or a seam.

/** @param {import("./page.js").Page} page */
export function selection(page, stage) {
  return {
    range: null,
    piece: null,
    clipId: null,
    seam: null,

    select(range, { keep = false } = {}) {
      this.range = range;
      const views = { selection: range };
      stage.sheet.show(views);
      stage.loupe.show(range && !keep ? { ...views, centre: (range.start + range.stop) / 2 } : views);
    },
    pick(picked) {
      this.clipId = picked ? picked.clip : null;
      this.refreshClip();
      stage.sheet.show({ clip: this.clipId });
      stage.loupe.show({ clip: this.clipId });
      page.music.readBeats();
      page.seams.choose(null);
      if (this.range) this.select(null);
    },
    refreshClip() {
      this.piece = null;
      for (const track of stage.doc.tracks) {
        const found = track.clips.find((clip) => clip.id === this.clipId);
        if (found) this.piece = { ...found, track: track.id, trackName: track.name, kind: track.kind };
      }
      if (!this.piece) this.clipId = null;
    },
    get hasRange() { return this.range !== null && this.range.stop > this.range.start; },
    get lengthText() { return this.hasRange ? page.lengthOf(this.range.stop - this.range.start) : ""; },
    get selectsOne() { return this.hasRange && this.range.track !== null; },
    get selectsAll() { return this.hasRange && this.range.track === null; },
    setIn() { this.setEdge("start"); },
    setOut() { this.setEdge("stop"); },
    setEdge(edge) {
      const here = page.transport.playhead;
      const old = this.range ?? { start: here, stop: here, track: null };
      const moved = { ...old, [edge]: here };
      if (moved.start > moved.stop) moved[edge === "start" ? "stop" : "start"] = here;
      this.select(moved, { keep: true });
    },
    chooseOnly(event) {
      if (this.range) this.select({ ...this.range, track: event.target.value ? Number(event.target.value) : null }, { keep: true });
    },
    isOnly(track) { return this.range !== null && this.range.track === (track ? track.id : null); },
    letGo() {
      this.select(null);
      this.pick(null);
      page.finds.chosen = null;
      page.seams.close();
      page.finds.draw();
    },
  };
}
