// The transport: where the playhead is, what plays and how, and how much of the sheet is on a line.

import { RATE } from "./constants.js";
import { remember, remembered } from "./remembered.js";
import { level } from "./time.js";

const PICTURE_AHEAD = 2 * RATE; // what is read ahead while playing, of the time it takes to hear it
const LINES = [5, 10, 20, 30, 60, 120];

// The place on the sheet of what is heard as if a seam were open, or a stretch taken out.
function onSheet(heard, openSeam, without) {
  if (openSeam && heard > openSeam.start) return Math.max(openSeam.start, heard - (openSeam.stop - openSeam.start));
  if (without && heard > without[0]) return heard + without[1] - without[0];
  return heard;
}

/** @param {import("./page.js").Page} page */
export function transport(page, data, stage) {
  const key = `place-${data.episode.id}`;
  return {
    playhead: 0,
    playing: false,
    looping: false,
    speed: remembered("speed", 1),
    speeds: [1, 1.25, 1.5, 1.75, 2, 2.5],
    treated: true,
    solo: [],
    levels: [0, 0],
    secondsPerLine: remembered("line", 20),
    lines: LINES,

    // -- playing -----------------------------------------------------------------------------------------

    play() {
      if (this.playing) return stage.player.stop();
      const from = this.playhead >= stage.doc.length ? 0 : this.playhead;
      this.playing = true;
      const { range } = page.selection;
      if (this.looping && range) return stage.player.play(range.start, { stop: range.stop, loop: true });
      return stage.player.play(from);
    },
    playSelection() {
      if (!page.selection.range) return;
      this.playing = true;
      stage.player.play(page.selection.range.start, { stop: page.selection.range.stop, loop: this.looping });
    },
    toggleLoop() { this.looping = !this.looping; if (this.playing && page.selection.range) this.playSelection(); },
    // suppose : what is heard as if it had been edited, see the player.
    playRange(start, stop, suppose = {}) {
      this.playing = true;
      stage.player.play(Math.max(start, 0), { stop, suppose });
    },
    setSpeed(speed) {
      this.speed = Number(speed);
      remember("speed", this.speed);
      stage.player.set({ speed: this.speed });
    },
    asRecorded() { this.hear(false); },
    asTreated() { this.hear(true); },
    hear(treated) {
      this.treated = treated;
      page.balance.stopTaken();
      stage.player.set({ treated });
    },
    takenAway() {
      if (page.isStage("balance")) page.balance.takenAway();
      else page.say("What is taken away can be heard in Mend and in Balance.");
    },
    toggleSolo(track) {
      this.solo = this.solo.includes(track.id) ? this.solo.filter((id) => id !== track.id) : [...this.solo, track.id];
      stage.player.set({ only: [...this.solo] });
    },
    hearOnly(tracks) {
      this.solo = tracks.map((track) => track.id);
      stage.player.set({ only: [...this.solo] });
    },
    isSolo(track) { return this.solo.includes(track.id); },
    get heard() {
      const peak = Math.max(...this.levels);
      return peak > 1e-4 ? level(20 * Math.log10(peak), 0) : "–";
    },
    get meterValue() { return Math.max(20 * Math.log10(Math.max(...this.levels, 1e-3)), -60) + 60; },

    // -- the playhead ------------------------------------------------------------------------------------

    seek(place, { keep = false, playing = false } = {}) {
      this.playhead = Math.min(Math.max(Math.round(place), 0), stage.doc.length);
      stage.sheet.show({ playhead: this.playhead });
      stage.overview.show({ playhead: this.playhead });
      stage.picture.show({ place: this.playhead, ahead: 0 });
      const centre = page.selection.range ? (page.selection.range.start + page.selection.range.stop) / 2 : this.playhead;
      const there = page.seams.inLoupe(this.playhead);
      const stays = (keep || stage.opened) && stage.loupe.holds(there);
      stage.loupe.show(stays ? { playhead: there } : { playhead: there, centre: keep ? centre : there });
      if (this.playing && !playing) stage.player.play(this.playhead);
      else if (!this.playing) stage.player.prepare(this.playhead);
      remember(key, this.playhead);
    },
    moved(heard) {
      const { openSeam, without } = stage.player.supposed;
      const place = onSheet(heard, openSeam, without);
      this.playhead = place;
      stage.sheet.show({ playhead: place });
      stage.overview.show({ playhead: place });
      stage.picture.show({ place, ahead: this.playing ? PICTURE_AHEAD * this.speed : 0 });
      stage.loupe.follow(openSeam ? heard : page.seams.inLoupe(place));
      if (this.playing) stage.sheet.keepInSight(place);
    },
    toLastPlace() { this.seek(remembered(key, 0)); stage.sheet.keepInSight(this.playhead); },
    goTo(place) { this.seek(place); stage.sheet.keepInSight(place, true); },
    leapTo(place) { this.seek(place); stage.sheet.keepInSight(this.playhead); },
    stepBack() { this.seek(this.playhead - RATE / 10, { keep: true }); },
    stepForth() { this.seek(this.playhead + RATE / 10, { keep: true }); },
    leapBack() { this.leapTo(this.playhead - 2 * RATE); },
    leapForth() { this.leapTo(this.playhead + 2 * RATE); },
    upALine() { this.leapTo(this.playhead - this.secondsPerLine * RATE); },
    downALine() { this.leapTo(this.playhead + this.secondsPerLine * RATE); },
    toStart() { this.leapTo(0); },
    toEnd() { this.leapTo(stage.doc.length); },

    // -- how close it is looked at -----------------------------------------------------------------------

    setLine(seconds) {
      this.secondsPerLine = Number(seconds);
      remember("line", this.secondsPerLine);
      stage.sheet.show({ secondsPerLine: this.secondsPerLine });
      stage.sheet.keepInSight(this.playhead, true);
    },
    finer() { this.setLine(LINES[Math.max(LINES.indexOf(this.secondsPerLine) - 1, 0)]); },
    coarser() { this.setLine(LINES[Math.min(LINES.indexOf(this.secondsPerLine) + 1, LINES.length - 1)]); },
    loupeCloser() { stage.loupe.zoom(0.5); },
    loupeWider() { stage.loupe.zoom(2); },
  };
}
