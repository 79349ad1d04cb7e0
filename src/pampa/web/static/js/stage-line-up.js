// Line up: compare people with a reference, look, listen, correct, and put them in step.

import { api } from "./api.js";
import { mountAnchors } from "./anchors.js";
import { RATE } from "./constants.js";
import { mountLining } from "./lining.js";
import { makeSnippet } from "./snippet.js";
import { level, signed } from "./time.js";

const HEARD_S = 6;
const WAYS = { both: "Both", ears: "One per ear", difference: "Difference" };
const SPANS = [2, 8, 30];

/** @param {import("./page.js").Page} page */
export function lineUp(page, data, stage) {
  return {
    linings: data.linings,
    lined: [],
    lastStart: 0,
    reference: data.linings.length ? data.linings[0].reference : null,
    chosenPerson: null,
    liningPlace: 0,
    hearing: "",
    byHand: false,
    marks: [0, 0],
    centres: [0, 0],
    handSpan: 8,
    handSpans: SPANS,
    pairs: [],
    ways: Object.keys(WAYS),
    nudges: [-100, -10, -1, 1, 10, 100],

    mount() {
      const find = (id) => document.getElementById(id);
      stage.lining = mountLining({
        canvas: find("lining"),
        onSlide: (ms) => this.nudgeBy(ms),
        onPlace: (place) => {
          this.liningPlace = place;
          this.draw();
        },
      });
      stage.anchors = mountAnchors({ canvas: find("anchors"), onMark: (side, seconds, whole) => this.markSide(side, seconds, whole) });
      stage.snippet = makeSnippet({ onEnd: () => { this.hearing = ""; page.larder.heardPiece = null; } });
      this.draw();
    },
    async read() {
      this.linings = await api.get(`/api/episodes/${page.episode.id}/linings`).catch(() => this.linings);
      this.draw();
    },

    // -- who, against what -------------------------------------------------------------------------------

    get references() { return page.episode.recordings.filter((recording) => recording.state === "ready"); },
    get referenceId() {
      if (this.references.some((recording) => recording.id === this.reference)) return this.reference;
      const any = this.references.find((recording) => recording.role === "reference") ?? this.references[0];
      return any ? any.id : null;
    },
    isReference(recording) { return recording.id === this.referenceId; },
    setReference(event) { this.reference = Number(event.target.value); this.draw(); },
    // Recordings of people on tracks, each with what is known of it. Worked out when something has changed: a
    // getter would do it again for every word of the panel, after every edit.
    refreshLined() {
      const rows = [];
      const starts = [0];
      for (const track of stage.doc.tracks.filter((candidate) => candidate.kind === "person" && candidate.clips.length)) {
        starts.push(track.clips[0].start);
        for (const id of new Set(track.clips.map((clip) => clip.recording))) {
          if (id !== this.referenceId)
            rows.push({
              id,
              track: { id: track.id, name: track.name },
              name: page.episode.nameOf(id) || track.name,
              lining: this.linings.find((lining) => lining.recording === id) ?? null,
            });
        }
      }
      if (JSON.stringify(rows) !== JSON.stringify(this.lined)) this.lined = rows;
      this.lastStart = Math.max(...starts);
    },
    get chosen() { return this.lined.find((row) => row.id === this.chosenPerson) ?? this.lined[0] ?? null; },
    get lining() { return this.chosen ? this.chosen.lining : null; },
    get isFound() { return this.lining !== null && this.lining.matched; },
    isChosen(row) { return this.chosen !== null && this.chosen.id === row.id; },
    chooseRow(row) { this.chosenPerson = row.id; this.byHand = false; this.stopHearing(); this.draw(); },
    stateOf({ lining }) {
      if (!lining) return "not compared yet";
      if (!lining.matched) return "not found";
      return lining.in_place ? "in step" : "found, not in step yet";
    },
    get canMeasure() { return this.referenceId !== null && this.lined.length > 0; },
    measureLining() {
      return page.attempt(() =>
        api.post(`/api/episodes/${page.episode.id}/line-up`, { reference: this.referenceId, recordings: this.lined.map((row) => row.id) }),
      );
    },
    get fact() {
      const known = this.linings.filter((lining) => lining.matched);
      const right = known.filter((lining) => lining.in_place).length;
      return known.length ? `${right} of ${known.length} in step` : "not compared";
    },

    // -- what was found --------------------------------------------------------------------------------------

    get trust() {
      const { by_hand: hand, confidence } = this.lining;
      if (hand) return "set by hand";
      if (confidence >= 0.9) return "certain";
      return confidence >= 0.7 ? "good" : "fair: listen before you trust it";
    },
    get liningStart() { return this.isFound ? `${signed(this.lining.offset_s, 3)}\u00a0s` : ""; },
    get liningDrift() { return this.isFound ? `${signed(this.lining.drift_ppm)}\u00a0ppm` : ""; },
    get liningResidual() { return this.isFound && !this.lining.by_hand ? `${level(this.lining.residual_ms, 2)}\u00a0ms` : "–"; },
    get liningBreaks() { return this.isFound ? this.lining.breaks.length : 0; },
    get liningReason() { return this.lining ? this.lining.reason : ""; },
    get liningTitle() { return this.chosen ? `${page.episode.nameOf(this.referenceId)} above, ${this.chosen.name} below` : ""; },
    get needsStep() { return this.linings.some((lining) => lining.matched && !lining.in_place); },
    draw() {
      this.refreshLined();
      const person = this.chosen ? page.episode.people.findIndex((track) => track.id === this.chosen.track.id) % 5 : 0;
      stage.lining.show({ episode: page.episode.id, lining: this.lining ? { ...this.lining } : null, person, place: this.liningPlace });
      stage.anchors.show({
        span: this.handSpan,
        sides: this.byHand && this.chosen ? [this.side(this.referenceId, 0, 0), this.side(this.chosen.id, 1, person)] : [],
      });
    },

    // -- correcting --------------------------------------------------------------------------------------------

    putInStep() {
      return page.episode.inTurn(async () => {
        const change = await api.post(`/api/episodes/${page.episode.id}/linings/apply`, { revision: page.episode.revision });
        page.episode.takeChange(change);
        page.say("In step. Undo takes it back.");
      });
    },
    mixRoom() {
      return page.attempt(async () => {
        await api.post(`/api/episodes/${page.episode.id}/one-room`);
        page.say("Listening to the room. Undo takes back what comes of it.");
      });
    },
    // Who is in step already stays so: the sheet follows at once.
    async nudgeBy(ms) {
      if (!this.lining) return this.chosen ? this.nudge(this.chosen.track, ms) : null;
      const follows = this.lining.in_place;
      await page.attempt(() => api.post(`/api/episodes/${page.episode.id}/linings/${this.chosen.id}/nudge`, { ms }));
      if (follows) await this.putInStep();
      return this.read();
    },
    nudge(track, ms) { return page.episode.edit({ edit: "nudge", track: track.id, by: Math.round(ms * 48) }); },
    nudgeName: (ms) => `${ms > 0 ? "+" : "−"}${Math.abs(ms)}`,
    nudgeLabel: (ms) => `${Math.abs(ms)} milliseconds ${ms > 0 ? "later" : "earlier"}`,
    trimToStart() { return page.episode.edit({ edit: "take_out", start: 0, stop: this.lastStart }); },

    // -- listening ----------------------------------------------------------------------------------------------

    wayName: (way) => WAYS[way],
    isHearing(way) { return this.hearing === way; },
    stopHearing() { if (stage.snippet) stage.snippet.stop(); },
    hear(way) {
      if (this.hearing === way) return this.stopHearing();
      if (page.transport.playing) page.transport.play();
      this.hearing = way;
      const at = Math.max(this.lining.views_s[this.liningPlace] - HEARD_S / 2 + 1.2, 0);
      return page.attempt(() =>
        stage.snippet.play(`/api/episodes/${page.episode.id}/linings/${this.chosen.id}/sound?at_s=${at}&seconds=${HEARD_S}&way=${way}`),
      );
    },

    // -- by hand -------------------------------------------------------------------------------------------------

    side(id, index, person) {
      const recording = page.episode.recordings.find((candidate) => candidate.id === id);
      return {
        recording: id,
        name: page.episode.nameOf(id),
        length_s: recording.facts.conformed_frames / RATE,
        mark_s: this.marks[index],
        centre_s: this.centres[index],
        person,
      };
    },
    toggleByHand() {
      this.byHand = !this.byHand;
      this.pairs = [];
      if (this.isFound)
        this.marks = [
          this.lining.views_s[0] + 1.2,
          Math.max((this.lining.views_s[0] + 1.2 - this.lining.offset_s) / (1 + this.lining.drift_ppm * 1e-6), 0),
        ];
      this.centres = [...this.marks];
      this.draw();
    },
    markSide(side, seconds, whole) {
      this.marks = this.marks.map((value, index) => (index === side ? seconds : value));
      if (whole) this.centres = this.centres.map((value, index) => (index === side ? seconds : value));
      this.draw();
    },
    markTyped(side, event) {
      const seconds = Number(event.target.value);
      if (Number.isFinite(seconds) && seconds >= 0) this.markSide(side, seconds, true);
    },
    markText(side) { return this.marks[side].toFixed(3); },
    setHandSpan(span) { this.handSpan = span; this.centres = [...this.marks]; this.draw(); },
    isHandSpan(span) { return this.handSpan === span; },
    addPair() { this.pairs = [...this.pairs.slice(-1), { reference_s: this.marks[0], local_s: this.marks[1] }]; },
    pairText: (pair) => `${pair.reference_s.toFixed(3)} s is ${pair.local_s.toFixed(3)} s`,
    get handAdvice() {
      if (!this.pairs.length) return "Find one clear moment on both, a clap or the first sound of a word, and click it on each.";
      return this.pairs.length === 1
        ? "That sets the offset. A second moment far from it sets the drift too."
        : "Two moments: offset and drift.";
    },
    usePairs() {
      return page.attempt(async () => {
        await api.post(`/api/episodes/${page.episode.id}/linings/${this.chosen.id}/by-hand`, {
          reference: this.referenceId,
          pairs: this.pairs,
        });
        this.byHand = false;
        await this.read();
      });
    },
  };
}
