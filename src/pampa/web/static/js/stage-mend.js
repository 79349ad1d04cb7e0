// Mend: one recording at a time, what is wrong with it, how much of each is taken away, and three ways to listen.

import { api } from "./api.js";
import { mountCheckup } from "./checkup.js";
import { RATE } from "./constants.js";
import { mountMendPicture } from "./mend-picture.js";
import { makePlayer } from "./player.js";

const PROCESSES = [
  { name: "drop_outs", title: "Drop-outs", about: "Short gaps are filled, longer ones get the room." },
  { name: "clipping", title: "Clipping", about: "Tops that were cut off are rebuilt." },
  { name: "hum", title: "Hum", about: "The mains, its fundamental and harmonics, subtracted." },
  { name: "rumble", title: "Rumble", about: "What lies under the voice is cut off." },
  { name: "clicks", title: "Clicks", about: "Of the mouth and of wires, found one by one." },
  { name: "plosives", title: "Plosives", about: "Thumps on P and B are pressed down." },
  { name: "breaths", title: "Breaths", about: "Between sentences: lowered, never cut." },
  { name: "noise", title: "Noise", about: "Steady and changing noise, 60 dB at most." },
  { name: "reverb", title: "Reverberation", about: "What the room adds after each sound." },
  { name: "bleed", title: "Bleed", about: "Others in this microphone, lowered while they talk and this person does not." },
  { name: "gate", title: "Gate", about: "Pauses lowered; word ends stay whole." },
  { name: "sibilance", title: "Sibilance", about: "Sharp S is held under the voice." },
];
const SWITCHES = [
  { name: "phase", title: "Phase rotation", about: "Wins headroom where the wave leans." },
  { name: "polarity", title: "Polarity", about: "Turns the wave over." },
];
const NOTHING = Object.fromEntries([...PROCESSES.map(({ name }) => [name, 0]), ...SWITCHES.map(({ name }) => [name, false]), ["hiss", null], ["spots", []], ["noise_from", null], ["noise_to", null]]);
const remembered = (key, fallback) => JSON.parse(localStorage.getItem(`pampa-mend-${key}`) ?? JSON.stringify(fallback));
const remember = (key, value) => localStorage.setItem(`pampa-mend-${key}`, JSON.stringify(value));

export function mend(data, stage) {
  const { usual } = data;
  // Amounts as they were before a process was put off, so that putting it on again brings them back.
  const before = new Map();

  return {
    processes: PROCESSES,
    switches: SWITCHES,
    way: "treated",
    mendChosen: null,
    mendPlace: 0,
    mendPlaying: false,
    mendSelection: null,
    mendKind: remembered("kind", "spectrum"),
    mendReport: null,
    soloProcess: null,
    amounts: NOTHING,

    mountMend(stalks) {
      const find = (id) => document.getElementById(id);
      stage.mendPicture = mountMendPicture({ canvas: find("mend-picture"), stalks, onSeek: (place) => this.seekMend(place), onSelect: (selection) => { this.mendSelection = selection; stage.mendPicture.show({ selection }); } });
      stage.mendPicture.show({ kind: this.mendKind });
      stage.mendCheckup = mountCheckup(find("mend-checkup"));
      stage.mendPlayer = makePlayer({
        address: ({ way, only }, query) => {
          query.set("way", way);
          if (only) query.set("only", only);
          return `/api/recordings/${this.mendId}/mending/sound?${query}`;
        },
        settings: { speed: 1, way: this.way, only: null },
        length: () => this.mendFrames,
        onMove: (place) => { this.mendPlace = place; stage.mendPicture.follow(place); },
        onStop: () => { this.mendPlaying = false; },
        onLevel: (levels) => { this.levels = levels; },
        onError: (error) => this.tell(error),
      });
    },

    // -- which recording --------------------------------------------------------------------------------------

    get mendable() { return this.recordings.filter((recording) => recording.state === "ready" && ["person", "spot"].includes(recording.role)); },
    get mendRecording() { return this.mendable.find((recording) => recording.id === this.mendChosen) ?? this.mendable[0] ?? null; },
    get mendId() { return this.mendRecording ? this.mendRecording.id : null; },
    get mendFrames() { return this.mendRecording ? this.mendRecording.facts.conformed_frames : 0; },
    get mendTitle() { return this.mendRecording ? this.mendName(this.mendRecording) : "Nothing to mend yet"; },
    // The first recording of a person has the person's name, others, such as pick-up lines, that of their file, as
    // far as it is a name.
    mendName(recording) {
      const first = this.mendable.find((other) => other.person && other.person === recording.person) ?? recording;
      return first.id === recording.id && recording.person ? recording.person : recording.name.replace(/\.\w{2,4}$/, "");
    },
    isMending(recording) { return recording.id === this.mendId; },
    mendCount(recording) {
      const mending = this.revision >= 0 && stage.doc.mendings.find((candidate) => candidate.recording === recording.id);
      const count = mending ? this.onIn(mending.amounts).length : 0;
      return count === 0 ? "as recorded" : count === 1 ? "1 process" : `${count} processes`;
    },
    onIn: (amounts) => [...PROCESSES, ...SWITCHES].filter(({ name }) => amounts[name] > 0),
    chooseMend(recording) {
      this.stopMend();
      this.mendChosen = recording.id;
      this.mendReport = null;
      this.mendPlace = 0;
      this.showMend();
    },
    showMend() {
      if (!this.mendRecording) return;
      this.refreshAmounts();
      this.mendSelection = null;
      stage.mendPicture.show({ recording: this.mendId, frames: this.mendFrames, playhead: this.mendPlace, selection: null, marks: [] });
      this.drawMendCheckup();
      this.readMend();
      this.readRecipes();
    },
    checkedUp() {
      if (!this.isStage("mend")) return;
      this.drawMendCheckup();
      this.readMend();
    },
    // What is known of the recording; it is asked for again when the server has measured more.
    async readMend() {
      const id = this.mendId;
      if (id === null || !this.isStage("mend")) return;
      const report = await api.get(`/api/recordings/${id}/mending`).catch(() => null);
      if (!report || id !== this.mendId) return;
      this.mendReport = report;
      this.refreshPicture();
      this.drawMendCheckup();
    },
    drawMendCheckup() {
      const checkup = this.checkups[this.mendId];
      stage.mendCheckup.show(checkup ? { ...checkup, noise: this.mendReport ? this.mendReport.noise_db : [] } : null);
    },
    mendedTold() {
      this.readMend();
      stage.player.renew();
      this.mendVersion++;
      stage.mendPlayer.renew();
      this.refreshPicture();
    },
    mendVersion: 0,
    get costSays() {
      const cost = this.mendReport && this.mendReport.cost;
      if (!cost) return "";
      const speech = cost.speech_change_db === 0 ? "speech as loud as before" : `speech ${Math.abs(cost.speech_change_db).toFixed(1)} dB ${cost.speech_change_db < 0 ? "softer" : "louder"}`;
      return cost.floor_before_dbfs === null ? speech : `Room ${this.level(cost.floor_before_dbfs)} → ${this.level(cost.floor_after_dbfs)} dBFS, ${speech}`;
    },
    refreshPicture() {
      const { noise_from: from, noise_to: to } = this.amounts;
      stage.mendPicture.show({ way: this.way, version: `${this.mendVersion}:${JSON.stringify(this.amounts)}`, marks: this.mendReport ? this.mendReport.marks : [], region: from === null || to === null ? null : [from, to], spots: this.amounts.spots });
    },
    // After any change of the document, also by undo.
    refreshAmounts() {
      const amounts = this.amountsOf(this.mendId);
      if (JSON.stringify(amounts) === JSON.stringify(this.amounts)) return;
      this.amounts = amounts;
      if (!this.isStage("mend")) return;
      stage.mendPlayer.renew();
      this.readMend();
      this.refreshPicture();
    },

    // -- how much ---------------------------------------------------------------------------------------------

    isOn(process) { return this.amounts[process.name] > 0; },
    amountOf(process) { return Math.round(this.amounts[process.name]); },
    proposedOf(process) { return this.mendReport ? this.mendReport.proposed[process.name] : 0; },
    findingOf(process) {
      const checkup = this.checkups[this.mendId];
      const finding = checkup ? checkup.findings.find((candidate) => candidate.process === process.name) : null;
      return finding ? finding.text : process.about;
    },
    deedOf(process) {
      if (!this.mendReport || !this.isOn(process)) return "";
      const deed = this.mendReport.deeds.find((candidate) => candidate.process === process.name);
      if (deed) return deed.words;
      return this.mendReport.waits ? "being measured …" : "nothing found";
    },
    // Changes are laid over what stands when their turn comes: two quick ones both count.
    mend(change, recordings = [this.mendId]) {
      const name = recordings.length > 1 ? `${recordings.length} recordings` : this.nameOf(recordings[0]);
      const first = this.mendId;
      return this.edit(() => ({ edit: "mend", name, recordings, amounts: { ...this.amountsOf(first), ...(typeof change === "function" ? change() : change) } }));
    },
    amountsOf(recording) {
      const mending = stage.doc.mendings.find((candidate) => candidate.recording === recording);
      return mending ? mending.amounts : NOTHING;
    },
    setAmount(process, event) { return this.mend({ [process.name]: Number(event.target.value) }); },
    toggleProcess(process) {
      const now = this.amounts[process.name];
      const key = `${this.mendId}:${process.name}`;
      if (now) before.set(key, now);
      return this.mend({ [process.name]: now ? 0 : before.get(key) ?? (this.proposedOf(process) || usual[process.name]) });
    },
    toggleSwitch(process) { return this.mend({ [process.name]: !this.amounts[process.name] }); },
    get isProposed() { return this.mendReport !== null && this.onIn(this.mendReport.proposed).some(({ name }) => !this.amounts[name]); },
    get proposedText() { return this.isProposed ? this.onIn(this.mendReport.proposed).map(({ title }) => title.toLowerCase()).join(", ") : ""; },
    acceptProposed() {
      const proposed = Object.fromEntries(this.onIn(this.mendReport.proposed).map(({ name }) => [name, this.mendReport.proposed[name]]));
      return this.mend(proposed);
    },
    get lastTime() { return this.mendReport ? this.mendReport.last : null; },
    get offersLast() { return this.lastTime !== null && this.onIn(this.lastTime.amounts).some(({ name }) => this.amounts[name] !== this.lastTime.amounts[name]); },
    get lastText() { return this.offersLast ? `In ${this.lastTime.episode}: ${this.amountsText(this.lastTime.amounts)}.` : ""; },
    asLastTime() { return this.alike(this.lastTime.amounts); },
    amountsText(amounts) { return this.onIn(amounts).map(({ name, title }) => (amounts[name] === true ? title.toLowerCase() : `${title.toLowerCase()} ${Math.round(amounts[name])}`)).join(", "); },
    // As another recording is mended; what belongs to places of this one stays.
    alike(amounts) { return this.mend({ ...amounts, noise_from: this.amounts.noise_from, noise_to: this.amounts.noise_to, spots: this.amounts.spots }); },
    // -- recipes ----------------------------------------------------------------------------------------------------

    recipes: [],
    get hasRecipes() { return this.recipes.length > 0; },
    get canKeep() { return this.onIn(this.amounts).length > 0; },
    get recipeName() { return this.mendRecording ? this.mendRecording.person || "Name" : "Name"; },
    recipeText(recipe) { return this.amountsText(recipe.amounts); },
    readRecipes() {
      const asked = this.mendId;
      return this.attempt(async () => {
        const found = await api.get(`/api/recordings/${asked}/mending/recipes`);
        if (asked === this.mendId) this.recipes = found;
      });
    },
    keepRecipe(event) {
      const { name } = event.target.elements;
      return this.attempt(async () => {
        const kept = await api.post(`/api/recordings/${this.mendId}/mending/recipes`, { name: name.value.trim() || this.recipeName });
        name.value = "";
        await this.readRecipes();
        this.say(`${kept.name} is kept, with ${this.amountsText(kept.amounts)}.`);
      });
    },
    byRecipe(recipe) { return this.alike(recipe.amounts); },
    forgetRecipe(recipe) {
      return this.attempt(async () => {
        await api.remove(`/api/recordings/${this.mendId}/mending/recipes/${recipe.id}`);
        await this.readRecipes();
      });
    },

    // -- single places --------------------------------------------------------------------------------------------

    get canSpot() { return this.mendSelection !== null; },
    get spotPlace() {
      if (!this.mendSelection) return "Drag over the picture to mark a place; with Shift, only a band of frequencies.";
      const { start, stop, low_hz: low, high_hz: high } = this.mendSelection;
      return `${this.clock(start)}, ${this.lengthOf(stop - start)}${low === undefined ? "" : `, ${Math.round(low)} to ${Math.round(high)} Hz`}`;
    },
    addSpot(how, db) {
      const { start, stop, low_hz = 0, high_hz = 24000 } = this.mendSelection;
      const spot = { start_s: start / RATE, stop_s: stop / RATE, how, db, low_hz, high_hz };
      return this.mend(() => ({ spots: [...this.amountsOf(this.mendId).spots, spot] }));
    },
    spotDb: remembered("spot-db", 12),
    setSpotDb(event) {
      const db = Math.min(Math.max(Number(event.target.value), -12), 60);
      if (db) { this.spotDb = db; remember("spot-db", db); }
    },
    lowerSpot() { return this.addSpot("lower", this.spotDb); },
    fillSpot() { return this.addSpot("fill", 0); },
    silenceSpot() { return this.addSpot("room", 0); },
    get spots() { return this.amounts.spots; },
    spotText(spot) { return `${this.clock(spot.start_s * RATE)} ${spot.how === "fill" ? "filled from around" : spot.how === "room" ? "room tone only" : spot.db < 0 ? `raised by ${-spot.db} dB` : `lowered by ${spot.db} dB`}`; },
    goToSpot(spot) { this.seekMend(Math.max(spot.start_s - 0.5, 0) * RATE); },
    dropSpot(spot) { return this.mend(() => ({ spots: this.amountsOf(this.mendId).spots.filter((other) => JSON.stringify(other) !== JSON.stringify(spot)) })); },

    get canCopy() { return this.mendable.length > 1 && this.onIn(this.amounts).length > 0; },
    copyToAll() {
      const others = this.mendable.filter((recording) => recording.id !== this.mendId).map((recording) => recording.id);
      return this.mend({ noise_from: null, noise_to: null, spots: [] }, others);
    },
    get hissAmount() { return Math.round(this.amounts.hiss ?? this.amounts.noise); },
    setHiss(event) { return this.mend({ hiss: Number(event.target.value) }); },
    get hasRegion() { return this.amounts.noise_from !== null; },
    get regionText() { return this.hasRegion ? `Noise is learned from ${this.clock(this.amounts.noise_from * RATE)} to ${this.clock(this.amounts.noise_to * RATE)}.` : "Noise is followed along the recording."; },
    get regionDoubt() { return this.mendReport && this.mendReport.doubt ? this.mendReport.doubt.words : ""; },
    get hasBetter() { return this.regionDoubt !== "" && this.mendReport.doubt.better !== null; },
    learnBetter() { const [from, to] = this.mendReport.doubt.better; return this.mend({ noise_from: from, noise_to: to }); },
    learnHere() { return this.mend({ noise_from: this.mendSelection.start / RATE, noise_to: this.mendSelection.stop / RATE }); },
    followNoise() { return this.mend({ noise_from: null, noise_to: null }); },

    // -- looking and listening ----------------------------------------------------------------------------------

    setMendKind(kind) { this.mendKind = kind; remember("kind", kind); stage.mendPicture.show({ kind }); },
    isMendKind(kind) { return this.mendKind === kind; },
    // A place marked by key: from here, or up to here.
    mendIn() { this.markMend(this.mendPlace, this.mendSelection ? this.mendSelection.stop : this.mendFrames); },
    mendOut() { this.markMend(this.mendSelection ? this.mendSelection.start : 0, this.mendPlace); },
    markMend(start, stop) {
      this.mendSelection = stop > start ? { ...this.mendSelection, start, stop } : null;
      stage.mendPicture.show({ selection: this.mendSelection });
    },
    mendCloser() { stage.mendPicture.zoom(0.5); },
    mendWider() { stage.mendPicture.zoom(2); },
    mendWhole() { stage.mendPicture.whole(); },
    seekMend(place) {
      this.mendPlace = Math.min(Math.max(Math.round(place), 0), this.mendFrames);
      stage.mendPicture.follow(this.mendPlace);
      if (this.mendPlaying) this.playMend();
    },
    playMend() {
      if (this.mendId === null) return;
      if (this.playing) stage.player.stop();
      this.mendPlaying = true;
      const { mendSelection: selection } = this;
      if (this.looping && selection) return stage.mendPlayer.play(selection.start, { stop: selection.stop, loop: true });
      return stage.mendPlayer.play(this.mendPlace >= this.mendFrames ? 0 : this.mendPlace);
    },
    stopMend() { stage.mendPlayer.stop(); },
    playOrStopMend() { return this.mendPlaying ? this.stopMend() : this.playMend(); },
    playMendSelection() {
      if (!this.mendSelection) return;
      this.mendPlaying = true;
      stage.mendPlayer.play(this.mendSelection.start, { stop: this.mendSelection.stop, loop: this.looping });
    },
    setWay(way) {
      this.way = way;
      stage.mendPlayer.set({ way, only: way === "recorded" ? null : this.soloProcess });
      this.refreshPicture();
    },
    isWay(way) { return this.isStage("mend") ? this.way === way : this.treated === (way === "treated") && way !== "taken"; },
    toggleSoloProcess(process) {
      this.soloProcess = this.soloProcess === process.name ? null : process.name;
      this.setWay(this.soloProcess ? "taken" : "treated");
    },
    isSoloProcess(process) { return this.soloProcess === process.name; },
    mendRecorded() { this.setWay("recorded"); },
    mendTreated() { this.setWay("treated"); },
    mendTaken() { this.setWay("taken"); },
    mendBack() { this.seekMend(this.mendPlace - RATE / 10); },
    mendForth() { this.seekMend(this.mendPlace + RATE / 10); },
    mendLeapBack() { this.seekMend(this.mendPlace - 2 * RATE); },
    mendLeapForth() { this.seekMend(this.mendPlace + 2 * RATE); },
    mendToStart() { this.seekMend(0); },
    mendToEnd() { this.seekMend(this.mendFrames); },
    mendLetGo() { this.mendSelection = null; stage.mendPicture.show({ selection: null }); },
    mendMark(process, by) {
      const marks = this.mendReport ? this.mendReport.marks : [];
      const next = by > 0 ? marks.find((mark) => mark.start > this.mendPlace + RATE / 4) : [...marks].reverse().find((mark) => mark.start < this.mendPlace - RATE / 4);
      if (next) this.seekMend(Math.max(next.start - RATE / 5, 0));
    },
    mendNext() { this.mendMark(null, 1); },
    mendPrevious() { this.mendMark(null, -1); },
    get mendFact() {
      const mended = this.revision >= 0 ? stage.doc.mendings.length : 0;
      return mended ? `${mended} of ${this.mendable.length} mended` : "as recorded";
    },
    get shownPlace() { return this.isStage("mend") ? this.mendPlace : this.playhead; },
    get shownLength() { return this.isStage("mend") ? this.shortClock(this.mendFrames) : this.episodeLength; },
    get canPlaySelection() { return this.isStage("mend") ? this.mendSelection !== null : this.hasSelection; },
    get isPlaying() { return this.isStage("mend") ? this.mendPlaying : this.playing; },
  };
}

// In Mend, these keys and buttons mean the recording and not the episode.
export const MEND_ACTIONS = {
  play: "playOrStopMend", playSelection: "playMendSelection", asRecorded: "mendRecorded", asTreated: "mendTreated", takenAway: "mendTaken",
  stepBack: "mendBack", stepForth: "mendForth", leapBack: "mendLeapBack", leapForth: "mendLeapForth", toStart: "mendToStart", toEnd: "mendToEnd",
  letGo: "mendLetGo", setIn: "mendIn", setOut: "mendOut", finer: "mendCloser", coarser: "mendWider", nextPlace: "mendNext", previousPlace: "mendPrevious",
};
const ELSEWHERE = ["choosePiece", "takeOut", "clear", "split", "mark", "putBack", "hearFind", "takeFind", "shortenFind", "leaveFind", "lineUp", "lineDown"];
for (const action of ELSEWHERE) MEND_ACTIONS[action] = null;
