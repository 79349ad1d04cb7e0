// Mend: one recording at a time, what is wrong with it, how much of each is taken away, and three ways to listen.

import { api } from "./api.js";
import { mountCheckup } from "./checkup.js";
import { RATE } from "./constants.js";
import { mountMendPicture } from "./mend-picture.js";
import { makePlayer } from "./player.js";
import { remember, remembered } from "./remembered.js";

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
  { name: "sharing", title: "Gain sharing", about: "Several microphones in one room: each as loud as its share of them all." },
  { name: "gate", title: "Gate", about: "Pauses lowered; word ends stay whole." },
];
const SWITCHES = [
  { name: "phase", title: "Phase rotation", about: "Wins headroom where the wave leans." },
  { name: "polarity", title: "Polarity", about: "Turns the wave over." },
];
const NOTHING = Object.fromEntries([
  ...PROCESSES.map(({ name }) => [name, 0]),
  ...SWITCHES.map(({ name }) => [name, false]),
  ["hiss", null],
  ["spots", []],
  ["noise_from", null],
  ["noise_to", null],
]);

/** @param {import("./page.js").Page} page */
export function mend(page, data, stage) {
  const { usual } = data;
  // Amounts as they were before a process was put off, so that putting it on again brings them back.
  const before = new Map();

  return {
    processes: PROCESSES,
    switches: SWITCHES,
    way: "treated",
    chosen: null,
    place: 0,
    playing: false,
    selection: null,
    kind: remembered("mend-kind", "spectrum"),
    report: null,
    soloProcess: null,
    amounts: NOTHING,

    mount(stalks) {
      const find = (id) => document.getElementById(id);
      stage.mendPicture = mountMendPicture({
        canvas: find("mend-picture"),
        stalks,
        onSeek: (place) => this.seek(place),
        onSelect: (selection) => {
          this.selection = selection;
          stage.mendPicture.show({ selection });
        },
      });
      stage.mendPicture.show({ kind: this.kind });
      stage.mendCheckup = mountCheckup(find("mend-checkup"));
      stage.mendPlayer = makePlayer({
        address: ({ way, only }, query) => {
          query.set("way", way);
          if (only) query.set("only", only);
          return `/api/recordings/${this.id}/mending/sound?${query}`;
        },
        settings: { speed: 1, way: this.way, only: null },
        length: () => this.frames,
        onMove: (place) => { this.place = place; stage.mendPicture.follow(place); },
        onStop: () => { this.playing = false; },
        onLevel: (levels) => { page.transport.levels = levels; },
        onError: (error) => page.tell(error),
      });
    },

    // -- which recording --------------------------------------------------------------------------------------

    get mendable() {
      return page.episode.recordings.filter((recording) => recording.state === "ready" && ["person", "spot"].includes(recording.role));
    },
    get recording() { return this.mendable.find((recording) => recording.id === this.chosen) ?? this.mendable[0] ?? null; },
    get id() { return this.recording ? this.recording.id : null; },
    get frames() { return this.recording ? this.recording.facts.conformed_frames : 0; },
    get title() { return this.recording ? this.nameOf(this.recording) : "Nothing to mend yet"; },
    // The first recording of a person has the person's name, others, such as pick-up lines, that of their file, as
    // far as it is a name.
    nameOf(recording) {
      const first = this.mendable.find((other) => other.person && other.person === recording.person) ?? recording;
      return first.id === recording.id && recording.person ? recording.person : recording.name.replace(/\.\w{2,4}$/, "");
    },
    isChosen(recording) { return recording.id === this.id; },
    countOf(recording) {
      const mending = page.episode.revision >= 0 && stage.doc.mendings.find((candidate) => candidate.recording === recording.id);
      const count = mending ? this.onIn(mending.amounts).length : 0;
      return count === 0 ? "as recorded" : count === 1 ? "1 process" : `${count} processes`;
    },
    onIn: (amounts) => [...PROCESSES, ...SWITCHES].filter(({ name }) => amounts[name] > 0),
    choose(recording) {
      this.stop();
      this.chosen = recording.id;
      this.report = null;
      this.place = 0;
      this.show();
    },
    show() {
      if (!this.recording) return;
      this.refreshAmounts();
      this.selection = null;
      stage.mendPicture.show({ recording: this.id, frames: this.frames, playhead: this.place, selection: null, marks: [] });
      this.drawCheckup();
      this.read();
      this.readRecipes();
    },
    checkedUp() {
      if (!page.isStage("mend")) return;
      this.drawCheckup();
      this.read();
    },
    // What is known of the recording; it is asked for again when the server has measured more.
    async read() {
      const id = this.id;
      if (id === null || !page.isStage("mend")) return;
      const report = await api.get(`/api/recordings/${id}/mending`).catch(() => null);
      if (!report || id !== this.id) return;
      this.report = report;
      this.refreshPicture();
      this.drawCheckup();
    },
    drawCheckup() {
      const checkup = page.gather.checkups[this.id];
      stage.mendCheckup.show(checkup ? { ...checkup, noise: this.report ? this.report.noise_db : [] } : null);
    },
    told() {
      this.read();
      stage.player.renew();
      this.version++;
      stage.mendPlayer.renew();
      this.refreshPicture();
    },
    version: 0,
    get costSays() {
      const cost = this.report && this.report.cost;
      if (!cost) return "";
      const speech =
        cost.speech_change_db === 0
          ? "speech as loud as before"
          : `speech ${Math.abs(cost.speech_change_db).toFixed(1)} dB ${cost.speech_change_db < 0 ? "softer" : "louder"}`;
      return cost.floor_before_dbfs === null
        ? speech
        : `Room ${page.level(cost.floor_before_dbfs)} → ${page.level(cost.floor_after_dbfs)} dBFS, ${speech}`;
    },
    refreshPicture() {
      const { noise_from: from, noise_to: to } = this.amounts;
      stage.mendPicture.show({
        way: this.way,
        version: `${this.version}:${JSON.stringify(this.amounts)}`,
        marks: this.report ? this.report.marks : [],
        region: from === null || to === null ? null : [from, to],
        spots: this.amounts.spots,
      });
    },
    // After any change of the document, also by undo.
    refreshAmounts() {
      const amounts = this.amountsOf(this.id);
      if (JSON.stringify(amounts) === JSON.stringify(this.amounts)) return;
      this.amounts = amounts;
      if (!page.isStage("mend")) return;
      stage.mendPlayer.renew();
      this.read();
      this.refreshPicture();
    },

    // -- how much ---------------------------------------------------------------------------------------------

    isOn(process) { return this.amounts[process.name] > 0; },
    amountOf(process) { return Math.round(this.amounts[process.name]); },
    proposedOf(process) { return this.report ? this.report.proposed[process.name] : 0; },
    findingOf(process) {
      const checkup = page.gather.checkups[this.id];
      const finding = checkup ? checkup.findings.find((candidate) => candidate.process === process.name) : null;
      return finding ? finding.text : process.about;
    },
    deedOf(process) {
      if (!this.report || !this.isOn(process)) return "";
      const deed = this.report.deeds.find((candidate) => candidate.process === process.name);
      if (deed) return deed.words;
      return this.report.waits ? "being measured …" : "nothing found";
    },
    // Changes are laid over what stands when their turn comes: two quick ones both count.
    // others : recordings by their numbers; without them, the one on show.
    change(change, others = null) {
      const recordings = others ?? [this.id];
      const name = recordings.length > 1 ? `${recordings.length} recordings` : page.episode.nameOf(recordings[0]);
      const first = this.id;
      return page.episode.edit(() => ({
        edit: "mend",
        name,
        recordings,
        amounts: { ...this.amountsOf(first), ...(typeof change === "function" ? change() : change) },
      }));
    },
    amountsOf(recording) {
      const mending = stage.doc.mendings.find((candidate) => candidate.recording === recording);
      return mending ? mending.amounts : NOTHING;
    },
    setAmount(process, event) { return this.change({ [process.name]: Number(event.target.value) }); },
    toggleProcess(process) {
      const now = this.amounts[process.name];
      const key = `${this.id}:${process.name}`;
      if (now) before.set(key, now);
      return this.change({ [process.name]: now ? 0 : before.get(key) ?? (this.proposedOf(process) || usual[process.name]) });
    },
    toggleSwitch(process) { return this.change({ [process.name]: !this.amounts[process.name] }); },
    get isProposed() { return this.report !== null && this.onIn(this.report.proposed).some(({ name }) => !this.amounts[name]); },
    get proposedText() {
      return this.isProposed ? this.onIn(this.report.proposed).map(({ title }) => title.toLowerCase()).join(", ") : "";
    },
    acceptProposed() {
      const proposed = Object.fromEntries(this.onIn(this.report.proposed).map(({ name }) => [name, this.report.proposed[name]]));
      return this.change(proposed);
    },
    get lastTime() { return this.report ? this.report.last : null; },
    get offersLast() {
      return (
        this.lastTime !== null && this.onIn(this.lastTime.amounts).some(({ name }) => this.amounts[name] !== this.lastTime.amounts[name])
      );
    },
    get lastText() { return this.offersLast ? `In ${this.lastTime.episode}: ${this.amountsText(this.lastTime.amounts)}.` : ""; },
    asLastTime() { return this.alike(this.lastTime.amounts); },
    amountsText(amounts) {
      return this.onIn(amounts)
        .map(({ name, title }) => (amounts[name] === true ? title.toLowerCase() : `${title.toLowerCase()} ${Math.round(amounts[name])}`))
        .join(", ");
    },
    // As another recording is mended; what belongs to places of this one stays.
    alike(amounts) {
      return this.change({ ...amounts, noise_from: this.amounts.noise_from, noise_to: this.amounts.noise_to, spots: this.amounts.spots });
    },
    // -- recipes ----------------------------------------------------------------------------------------------------

    recipes: [],
    get hasRecipes() { return this.recipes.length > 0; },
    get canKeep() { return this.onIn(this.amounts).length > 0; },
    get recipeName() { return this.recording ? this.recording.person || "Name" : "Name"; },
    recipeText(recipe) { return this.amountsText(recipe.amounts); },
    readRecipes() {
      const asked = this.id;
      return page.attempt(async () => {
        const found = await api.get(`/api/recordings/${asked}/mending/recipes`);
        if (asked === this.id) this.recipes = found;
      });
    },
    keepRecipe(event) {
      const { name } = event.target.elements;
      return page.attempt(async () => {
        const kept = await api.post(`/api/recordings/${this.id}/mending/recipes`, { name: name.value.trim() || this.recipeName });
        name.value = "";
        await this.readRecipes();
        page.say(`${kept.name} is kept, with ${this.amountsText(kept.amounts)}.`);
      });
    },
    byRecipe(recipe) {
      if (Object.keys(recipe.amounts).length) return this.alike({ ...NOTHING, ...recipe.amounts });
      return page.say(`${recipe.name} treats the voice and mends nothing; apply it in Balance.`);
    },
    byNumber(number) {
      const recipe = this.recipes[Number(number) - 1];
      return recipe ? this.byRecipe(recipe) : page.say(`No recipe is kept at Shift ${number} yet.`);
    },
    forgetRecipe(recipe) {
      return page.attempt(async () => {
        await api.remove(`/api/recordings/${this.id}/mending/recipes/${recipe.id}`);
        await this.readRecipes();
      });
    },

    // -- single places --------------------------------------------------------------------------------------------

    get canSpot() { return this.selection !== null; },
    get spotPlace() {
      if (!this.selection) return "Drag over the picture to mark a place; with Shift, only a band of frequencies.";
      const { start, stop, low_hz: low, high_hz: high } = this.selection;
      const band = low === undefined ? "" : `, ${Math.round(low)} to ${Math.round(high)} Hz`;
      return `${page.clock(start)}, ${page.lengthOf(stop - start)}${band}`;
    },
    addSpot(how, db) {
      const { start, stop, low_hz = 0, high_hz = 24000 } = this.selection;
      const spot = { start_s: start / RATE, stop_s: stop / RATE, how, db, low_hz, high_hz };
      return this.change(() => ({ spots: [...this.amountsOf(this.id).spots, spot] }));
    },
    spotDb: remembered("mend-spot-db", 12),
    setSpotDb(event) {
      const db = Math.min(Math.max(Number(event.target.value), -12), 60);
      if (db) { this.spotDb = db; remember("mend-spot-db", db); }
    },
    lowerSpot() { return this.addSpot("lower", this.spotDb); },
    fillSpot() { return this.addSpot("fill", 0); },
    silenceSpot() { return this.addSpot("room", 0); },
    get spots() { return this.amounts.spots; },
    spotText(spot) {
      const gain = spot.db < 0 ? `raised by ${-spot.db} dB` : `lowered by ${spot.db} dB`;
      return `${page.clock(spot.start_s * RATE)} ${{ fill: "filled from around", room: "room tone only" }[spot.how] ?? gain}`;
    },
    goToSpot(spot) { this.seek(Math.max(spot.start_s - 0.5, 0) * RATE); },
    dropSpot(spot) {
      return this.change(() => ({
        spots: this.amountsOf(this.id).spots.filter((other) => JSON.stringify(other) !== JSON.stringify(spot)),
      }));
    },

    get canCopy() { return this.mendable.length > 1 && this.onIn(this.amounts).length > 0; },
    copyToAll() {
      const others = this.mendable.filter((recording) => recording.id !== this.id).map((recording) => recording.id);
      return this.change({ noise_from: null, noise_to: null, spots: [] }, others);
    },
    get hissAmount() { return Math.round(this.amounts.hiss ?? this.amounts.noise); },
    setHiss(event) { return this.change({ hiss: Number(event.target.value) }); },
    get hasRegion() { return this.amounts.noise_from !== null; },
    get regionText() {
      return this.hasRegion
        ? `Noise is learned from ${page.clock(this.amounts.noise_from * RATE)} to ${page.clock(this.amounts.noise_to * RATE)}.`
        : "Noise is followed along the recording.";
    },
    get regionDoubt() { return this.report && this.report.doubt ? this.report.doubt.words : ""; },
    get hasBetter() { return this.regionDoubt !== "" && this.report.doubt.better !== null; },
    learnBetter() { const [from, to] = this.report.doubt.better; return this.change({ noise_from: from, noise_to: to }); },
    learnHere() { return this.change({ noise_from: this.selection.start / RATE, noise_to: this.selection.stop / RATE }); },
    followNoise() { return this.change({ noise_from: null, noise_to: null }); },

    // -- looking and listening ----------------------------------------------------------------------------------

    setKind(kind) { this.kind = kind; remember("mend-kind", kind); stage.mendPicture.show({ kind }); },
    isKind(kind) { return this.kind === kind; },
    // A place marked by key: from here, or up to here.
    setIn() { this.mark(this.place, this.selection ? this.selection.stop : this.frames); },
    setOut() { this.mark(this.selection ? this.selection.start : 0, this.place); },
    mark(start, stop) {
      this.selection = stop > start ? { ...this.selection, start, stop } : null;
      stage.mendPicture.show({ selection: this.selection });
    },
    closer() { stage.mendPicture.zoom(0.5); },
    wider() { stage.mendPicture.zoom(2); },
    whole() { stage.mendPicture.whole(); },
    seek(place) {
      this.place = Math.min(Math.max(Math.round(place), 0), this.frames);
      stage.mendPicture.follow(this.place);
      if (this.playing) this.play();
    },
    play() {
      if (this.id === null) return;
      if (page.transport.playing) stage.player.stop();
      this.playing = true;
      const selection = this.selection;
      if (page.transport.looping && selection) return stage.mendPlayer.play(selection.start, { stop: selection.stop, loop: true });
      return stage.mendPlayer.play(this.place >= this.frames ? 0 : this.place);
    },
    stop() { stage.mendPlayer.stop(); },
    playOrStop() { return this.playing ? this.stop() : this.play(); },
    playSelection() {
      if (!this.selection) return;
      this.playing = true;
      stage.mendPlayer.play(this.selection.start, { stop: this.selection.stop, loop: page.transport.looping });
    },
    setWay(way) {
      this.way = way;
      stage.mendPlayer.set({ way, only: way === "recorded" ? null : this.soloProcess });
      this.refreshPicture();
    },
    isWay(way) {
      if (page.isStage("mend")) return this.way === way;
      return way === (page.balance.taken ? "taken" : page.transport.treated ? "treated" : "recorded");
    },
    toggleSoloProcess(process) {
      this.soloProcess = this.soloProcess === process.name ? null : process.name;
      this.setWay(this.soloProcess ? "taken" : "treated");
    },
    isSoloProcess(process) { return this.soloProcess === process.name; },
    asRecorded() { this.setWay("recorded"); },
    asTreated() { this.setWay("treated"); },
    takenAway() { this.setWay("taken"); },
    stepBack() { this.seek(this.place - RATE / 10); },
    stepForth() { this.seek(this.place + RATE / 10); },
    leapBack() { this.seek(this.place - 2 * RATE); },
    leapForth() { this.seek(this.place + 2 * RATE); },
    toStart() { this.seek(0); },
    toEnd() { this.seek(this.frames); },
    letGo() { this.selection = null; stage.mendPicture.show({ selection: null }); },
    toMark(by) {
      const marks = this.report ? this.report.marks : [];
      const next =
        by > 0
          ? marks.find((mark) => mark.start > this.place + RATE / 4)
          : [...marks].reverse().find((mark) => mark.start < this.place - RATE / 4);
      if (next) this.seek(Math.max(next.start - RATE / 5, 0));
    },
    nextPlace() { this.toMark(1); },
    previousPlace() { this.toMark(-1); },
    get fact() {
      const mended = page.episode.revision >= 0 ? stage.doc.mendings.length : 0;
      return mended ? `${mended} of ${this.mendable.length} mended` : "as recorded";
    },
    get shownPlace() { return page.isStage("mend") ? this.place : page.transport.playhead; },
    get shownLength() { return page.isStage("mend") ? page.shortClock(this.frames) : page.episode.lengthText; },
    get canPlaySelection() { return page.isStage("mend") ? this.selection !== null : page.selection.hasRange; },
    get isPlaying() { return page.isStage("mend") ? this.playing : page.transport.playing; },
  };
}
