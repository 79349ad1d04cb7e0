// The page of one episode: what the panels show, and how canvases, player and server are tied together.

import { api } from "./api.js";
import { changed } from "./changes.js";
import { mountChart } from "./chart.js";
import { mountCheckup } from "./checkup.js";
import { compose } from "./compose.js";
import { COMMON_LEVEL, RATE } from "./constants.js";
import { elsewhere } from "./elsewhere.js";
import { finds } from "./stage-finds.js";
import { forGood } from "./for-good.js";
import { followed } from "./geometry.js";
import { actionFor, KEYS, watchPointer } from "./keys.js";
import { mountLoupe } from "./loupe.js";
import { mountOverview } from "./overview.js";
import { makePlayer } from "./player.js";
import { playing } from "./playing.js";
import { mountRows } from "./rows.js";
import { mountSheet } from "./sheet.js";
import { hand } from "./stage-hand.js";
import { history } from "./stage-history.js";
import { places } from "./stage-places.js";
import { seams } from "./stage-seams.js";
import { balance } from "./stage-balance.js";
import { nextStep } from "./next-step.js";
import { patterns } from "./patterns.js";
import { several } from "./several.js";
import { gather } from "./stage-gather.js";
import { larder } from "./stage-larder.js";
import { lineUp } from "./stage-line-up.js";
import { MEND_ACTIONS, mend } from "./stage-mend.js";
import { pickUp } from "./stage-pick-up.js";
import { sendOut } from "./stage-send-out.js";
import { stalkStore } from "./stalks.js";
import { clock, length, level, shortClock } from "./time.js";
import { fieldsKeepTyping } from "./typing.js";

const SETTLE_MS = 150; // the page is drawn and answers; what is not seen can be filled in
const data = JSON.parse(document.getElementById("page-data").textContent);
const LINES = [5, 10, 20, 30, 60, 120];
const remembered = (key, fallback) => JSON.parse(localStorage.getItem(`pampa-${key}`) ?? JSON.stringify(fallback));
const remember = (key, value) => localStorage.setItem(`pampa-${key}`, JSON.stringify(value));

// What the canvases read. It stays outside the reactive page: drawing reads it thousands of times a frame.
const stage = { doc: data.state, sheet: null, loupe: null, overview: null, chart: null, player: null, lining: null, anchors: null, snippet: null, checkup: null, opened: null, rows: null, pieceRows: null, takeRows: null, take: null, recorder: null, mendPicture: null, mendCheckup: null, mendPlayer: null };

// Edits of this page that are on their way, how many were ever begun, and the newest revision that was told of.
const waiting = { turn: Promise.resolve(), count: 0, begun: 0, newest: 0, measure: 0 };

// The place on the sheet of what is heard as if a seam were open, or a stretch taken out.
function onSheet(heard, openSeam, without) {
  if (openSeam && heard > openSeam.start) return Math.max(openSeam.start, heard - (openSeam.stop - openSeam.start));
  if (without && heard > without[0]) return heard + without[1] - without[0];
  return heard;
}

const afterPaint = (work) => requestAnimationFrame(() => setTimeout(work, 0));

const core = {
  episodeId: data.episode.id,
  show: data.show,
  episode: data.episode,
  stage: data.stage,
  settled: false, // whether lists that are not seen at first have been filled too
  made: [data.stage], // stages whose panels are there: the others come when they are first gone to
  revision: data.state.revision,
  undoes: data.state.undo,
  redoes: data.state.redo,
  tracks: [],
  seams: [],
  markers: [],
  recordings: data.recordings,
  jobs: data.jobs,
  loudness: { current: false, loudness: null, short_term_lufs: [] },
  playhead: 0,
  playing: false,
  looping: false,
  speed: remembered("speed", 1),
  secondsPerLine: remembered("line", 20),
  treated: true,
  solo: [],
  selection: null,
  piece: null,
  chosenSeam: null,
  levels: [0, 0],
  notice: "",
  problem: "",
  helping: false,
  letters: remembered("letters", true), // whether keys that type something act by themselves
  keys: KEYS,
  lines: LINES,
  speeds: [1, 1.25, 1.5, 1.75, 2, 2.5],

  init() {
    const find = (id) => document.getElementById(id);
    const stalks = stalkStore({ onArrival: () => { stage.sheet.arrived(); stage.overview.arrived(); stage.mendPicture.arrived(); } });
    stage.sheet = mountSheet({
      scroller: find("sheet-scroller"), spacer: find("sheet-spacer"), canvas: find("sheet-canvas"), overlay: find("sheet-overlay"), stalks,
      onSeek: (place) => this.seek(place),
      onSelect: (selection) => this.select(selection),
      onClip: (picked) => this.pick(picked),
      onSeam: (seam) => this.chooseSeam(seam),
      onPinch: (way) => (way > 0 ? this.finer() : this.coarser()),
      onTwoTap: () => this.undo(),
      onView: (seen) => stage.overview.show({ seen }),
    });
    stage.overview = mountOverview({ canvas: find("overview"), stalks, onGo: (place) => { this.seek(place); stage.sheet.keepInSight(place, true); } });
    stage.loupe = mountLoupe({
      canvas: find("loupe-canvas"),
      onSelect: (selection) => this.select(selection, { keep: true }),
      onSeek: (place) => this.seek(place, { keep: true }),
      onTrim: (clip, edge, at, following) => this.edit({ edit: "trim", clip, edge, at, following }),
      onMove: (clip, start, following) => this.edit({ edit: "move", clip, start, following }),
      onSlip: (clip, by) => this.edit({ edit: "slip", clip, by }),
      onSide: (seam, first, last) => this.dragSeam(seam, first, last),
      onFind: (find) => this.moveFind(find),
      onPick: (picked) => this.pick(picked),
    });
    stage.chart = mountChart({ canvas: find("chart"), onGo: (place) => { this.go("prune"); this.seek(place); stage.sheet.keepInSight(place, true); } });
    stage.player = makePlayer({
      address: ({ speed, treated, only, gain, openSeam, without }, query) => {
        for (const [name, value] of Object.entries({ speed, treated, gain_db: gain.toFixed(2) })) query.set(name, value);
        if (openSeam) query.set("open_seam", openSeam.seam);
        for (const place of without ?? []) query.append("without", place);
        for (const track of only) query.append("only", track);
        return `/api/episodes/${this.episodeId}/sound?${query}`;
      },
      settings: { speed: this.speed, treated: true, only: [], gain: 0 },
      length: () => (stage.player.supposed.openSeam ? stage.opened.state.length : stage.doc.length),
      onMove: (place) => this.moved(place),
      onStop: () => { this.playing = false; stage.player.prepare(this.playhead); },
      onLevel: (levels) => { this.levels = levels; },
      onError: (error) => this.tell(error),
    });
    this.mountLineUp();
    this.mountMend(stalks);
    stage.checkup = mountCheckup(find("checkup"));
    stage.rows = mountRows({ list: find("recordings") });
    stage.pieceRows = mountRows({ list: find("larder") });
    stage.takeRows = mountRows({ list: find("takes") });
    this.mountPickUp();
    this.take(data.state);
    this.redrawAll();
    document.fonts.ready.then(() => this.redrawAll());
    this.follow();
    this.readLoudness();
    if (this.isGatherView("larder")) this.readLarder();
    if (this.isStage("prune")) this.readFinds();
    if (this.isStage("mend")) this.$nextTick(() => this.showMend());
    this.seek(remembered(`place-${this.episodeId}`, 0));
    stage.sheet.keepInSight(this.playhead);
    window.addEventListener("keydown", (event) => this.pressed(event));
    watchPointer(document);
    window.addEventListener("popstate", () => this.arrive(window.location.pathname.split("/").pop()));
    matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => this.redrawAll());
    document.body.dataset.ready = "yes";
    setTimeout(() => { this.settled = true; this.listAround(this.playhead); this.wakeAll(); }, SETTLE_MS);
  },

  get listedKeys() { return this.settled ? KEYS.filter((key) => key.listed !== false) : []; },

  // -- the document ------------------------------------------------------------------------------------

  // Show a state of the episode; the playhead stays at the same moment of talk.
  take(state) {
    const before = stage.doc;
    const changed = state.revision !== this.revision;
    stage.doc = state;
    this.revision = state.revision;
    this.undoes = state.undo;
    this.redoes = state.redo;
    if (this.chosenSeam !== null && !state.seams.some((seam) => seam.id === this.chosenSeam)) this.chosenSeam = null;
    this.refreshClip();
    const views = { doc: state, gains: this.gains(), names: this.names(), seam: this.chosenSeam, clip: this.clipId };
    const map = (place) => followed(place, before, state);
    stage.sheet.show({ ...views, playhead: map(this.playhead) });
    // The sheet comes first; all else follows a frame later, together it takes longer than the sheet.
    const rest = () => {
      if (stage.opened) this.refreshOpened();
      else stage.loupe.show(views);
      if (changed) this.follows(map);
      if (stage.doc === state) { stage.overview.show(views); this.list(state); }
    };
    if (changed) afterPaint(rest);
    else rest();
  },
  // After an edit: the playhead and what plays stay at the same moment of talk.
  follows(map) {
    this.playhead = map(this.playhead);
    stage.player.renew(map);
    this.seek(this.playhead, { keep: true, playing: true });
    this.loudness.current = false;
    this.readLoudnessSoon();
    this.readNextSoon();
    if (this.linings.length) this.readLinings();
  },

  takeChange(change) { this.take(changed(stage.doc, change)); },

  // What the panel lists.
  list(state) {
    const tracks = state.tracks.map(({ clips, ...track }) => track);
    if (JSON.stringify(tracks) !== JSON.stringify(this.tracks)) this.tracks = tracks;
    this.seams = state.seams;
    this.listAround(this.playhead);
    if (JSON.stringify(state.markers) !== JSON.stringify(this.markers)) this.markers = state.markers;
    this.duckingDb = state.ducking.depth_db;
    this.drawLining();
    this.refreshAmounts();
    this.refreshEnding();
    if (this.isStage("gather")) this.showGather();
    this.placeFinds();
  },

  gains() {
    return new Map(this.recordings.filter((r) => r.facts.speech_lufs && ["person", "spot"].includes(r.role)).map((r) => [r.id, COMMON_LEVEL - r.facts.speech_lufs]));
  },
  names() {
    return new Map(this.recordings.map((recording) => [recording.id, recording.person || recording.name]));
  },

  async attempt(work) {
    this.problem = "";
    try {
      return await work();
    } catch (error) {
      this.tell(error);
      return null;
    }
  },
  tell(error) {
    this.problem = error.message;
    if (error.status === 409) this.newer(this.revision + 1);
  },
  // The episode is at this revision elsewhere: it is read once no edit of this page is on its way.
  newer(revision) {
    waiting.newest = Math.max(waiting.newest, revision);
    if (waiting.count === 0 && waiting.newest > this.revision) this.reload();
  },
  // What was read while an edit began may be from before it, and the edit's own answer is the newer one.
  async reload() {
    const { begun, count } = waiting;
    const state = await api.get(`/api/episodes/${this.episodeId}`).catch(() => null);
    if (state && count === 0 && begun === waiting.begun && state.revision !== this.revision) this.take(state);
  },
  // Edits go one after another: a quick second key is made on what the first one left.
  inTurn(work) {
    waiting.count++;
    waiting.begun++;
    const ended = () => { waiting.count--; this.newer(0); };
    waiting.turn = waiting.turn.then(() => this.attempt(work)).finally(ended);
    return waiting.turn;
  },
  // edit : what to send, or a function that gives it once its turn has come.
  edit(edit) {
    return this.inTurn(async () => {
      const told = typeof edit === "function" ? edit() : edit;
      this.takeChange(await api.post(`/api/episodes/${this.episodeId}/edits`, { revision: this.revision, edit: told }));
      return stage.doc;
    });
  },
  undo() { return this.step("undo"); },
  redo() { return this.step("redo"); },
  step(way) {
    return this.inTurn(async () => {
      this.takeChange(await api.post(`/api/episodes/${this.episodeId}/${way}`, { revision: this.revision }));
      this.select(null);
    });
  },

  // -- place, selection, playing -------------------------------------------------------------------------

  seek(place, { keep = false, playing = false } = {}) {
    this.playhead = Math.min(Math.max(Math.round(place), 0), stage.doc.length);
    stage.sheet.show({ playhead: this.playhead });
    stage.overview.show({ playhead: this.playhead });
    const centre = this.selection ? (this.selection.start + this.selection.stop) / 2 : this.playhead;
    const there = this.inLoupe(this.playhead);
    stage.loupe.show((keep || stage.opened) && stage.loupe.holds(there) ? { playhead: there } : { playhead: there, centre: keep ? centre : there });
    if (this.playing && !playing) stage.player.play(this.playhead);
    else if (!this.playing) stage.player.prepare(this.playhead);
    remember(`place-${this.episodeId}`, this.playhead);
  },
  moved(heard) {
    const { openSeam, without } = stage.player.supposed;
    const place = onSheet(heard, openSeam, without);
    this.playhead = place;
    stage.sheet.show({ playhead: place });
    stage.overview.show({ playhead: place });
    stage.loupe.follow(openSeam ? heard : this.inLoupe(place));
    if (this.playing) stage.sheet.keepInSight(place);
  },
  select(selection, { keep = false } = {}) {
    this.selection = selection;
    const views = { selection };
    stage.sheet.show(views);
    stage.loupe.show(selection && !keep ? { ...views, centre: (selection.start + selection.stop) / 2 } : views);
  },
  pick(picked) {
    this.clipId = picked ? picked.clip : null;
    this.refreshClip();
    stage.sheet.show({ clip: this.clipId });
    stage.loupe.show({ clip: this.clipId });
    this.chooseSeam(null);
    if (this.selection) this.select(null);
  },
  clipId: null,
  refreshClip() {
    this.piece = null;
    for (const track of stage.doc.tracks) {
      const found = track.clips.find((clip) => clip.id === this.clipId);
      if (found) this.piece = { ...found, track: track.id, trackName: track.name, kind: track.kind };
    }
    if (!this.piece) this.clipId = null;
  },
  stepBack() { this.seek(this.playhead - RATE / 10, { keep: true }); },
  stepForth() { this.seek(this.playhead + RATE / 10, { keep: true }); },
  leapBack() { this.seek(this.playhead - 2 * RATE); stage.sheet.keepInSight(this.playhead); },
  leapForth() { this.seek(this.playhead + 2 * RATE); stage.sheet.keepInSight(this.playhead); },
  lineUp() { this.seek(this.playhead - this.secondsPerLine * RATE); stage.sheet.keepInSight(this.playhead); },
  lineDown() { this.seek(this.playhead + this.secondsPerLine * RATE); stage.sheet.keepInSight(this.playhead); },
  toStart() { this.seek(0); stage.sheet.keepInSight(0); },
  toEnd() { this.seek(stage.doc.length); stage.sheet.keepInSight(stage.doc.length); },
  goTo(place) { this.seek(place); stage.sheet.keepInSight(place, true); },
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
  toggleSolo(track) {
    this.solo = this.solo.includes(track.id) ? this.solo.filter((id) => id !== track.id) : [...this.solo, track.id];
    stage.player.set({ only: [...this.solo] });
  },
  isSolo(track) { return this.solo.includes(track.id); },

  // -- the page itself -----------------------------------------------------------------------------------

  pressed(event) {
    const action = actionFor(event, this.letters);
    // Copying text and pasting files stay the browser's where there is nothing of the sheet to copy or paste.
    if (!action || (action === "copy" && !this.hasSelection) || (action === "cutToCarry" && !this.hasSelection) || (action === "paste" && !this.canPaste)) return;
    event.preventDefault();
    this.act(action);
  },
  // What a key or a button of the transport does at this stage.
  act(action) {
    const here = this.isStage("mend") && action in MEND_ACTIONS ? MEND_ACTIONS[action] : action;
    if (here) this[here]();
  },
  takenAway() { this.say("What is taken away can be heard in Mend."); },
  go(name) {
    if (name !== this.stage) window.history.pushState({}, "", `/episodes/${this.episodeId}/${name}`);
    this.arrive(name);
  },
  // At a stage, by its name in the header or by the browser's own way back.
  arrive(name) {
    this.stage = name;
    this.make(name);
    if (name === "prune") this.readFinds();
    this.drawFinds();
    if (name === "send-out") this.$nextTick(() => this.drawChart());
    if (name === "gather") this.showGather();
    else if (this.micOpen) this.closeMic();
    if (name === "mend") { if (this.playing) stage.player.stop(); this.$nextTick(() => this.showMend()); }
    else if (this.mendPlaying) this.stopMend();
  },
  make(name) { if (!this.made.includes(name)) this.made = [...this.made, name]; this.wake(name); },
  // What other stages have in the middle is there from the start, but comes to life a moment later or when it is gone to.
  wake(name) {
    const part = document.querySelector(`[data-asleep="${name}"]`);
    if (!part) return;
    Alpine.destroyTree(part); // forgets that it was to be ignored
    for (const mark of ["x-ignore", "data-asleep"]) part.removeAttribute(mark);
    Alpine.initTree(part);
  },
  wakeAll() {
    const next = document.querySelector("[data-asleep]");
    if (!next) return;
    this.wake(next.dataset.asleep);
    setTimeout(() => this.wakeAll());
  },
  isMade(name) { return this.made.includes(name); },
  isStage(name) { return this.stage === name; },
  get showsSheet() { return !["gather", "line-up", "mend", "send-out"].includes(this.stage); },
  toggleHelp() { this.helping = !this.helping; if (this.helping) this.$nextTick(() => this.$refs.help.focus()); },
  setLetters(event) { this.letters = event.target.checked; remember("letters", this.letters); },
  toggleTheme() {
    const dark = document.documentElement.dataset.bsTheme !== "dark";
    document.documentElement.dataset.bsTheme = dark ? "dark" : "light";
    localStorage.setItem("pampa-theme", dark ? "night" : "day");
    this.redrawAll();
  },
  redrawAll() { for (const part of ["sheet", "loupe", "overview", "chart", "lining", "anchors", "checkup", "mendPicture", "mendCheckup", "rows", "pieceRows", "takeRows", "take"]) stage[part].redraw(); },
  say(text) { this.notice = text; setTimeout(() => { if (this.notice === text) this.notice = ""; }, 5000); },
  shutProblem() { this.problem = ""; },
  renameEpisode(event) {
    return this.attempt(async () => { this.episode = await api.patch(`/api/episodes/${this.episodeId}`, { title: event.target.value }); });
  },

  clock: (frames) => clock(frames, RATE),
  shortClock: (frames) => shortClock(frames, RATE),
  lengthOf: (frames) => length(frames, RATE),
  level: (value) => level(value),
  percent: (share) => `${Math.round(share * 100)} %`,
  get isEmpty() { return stage.doc.length === 0 && this.revision >= 0; },
  get episodeLength() { return this.revision >= 0 ? shortClock(stage.doc.length, RATE) : ""; },
  get standing() { return this.loudness.loudness ? level(this.loudness.loudness.integrated_lufs) : "–"; },
  get standingRange() { return this.loudness.loudness ? level(this.loudness.loudness.loudness_range_lu) : "–"; },
  get standingAge() { return this.loudness.current ? "" : "stale"; },
  get heard() {
    const peak = Math.max(...this.levels);
    return peak > 1e-4 ? level(20 * Math.log10(peak), 0) : "–";
  },
  get meterValue() { return Math.max(20 * Math.log10(Math.max(...this.levels, 1e-3)), -60) + 60; },
  get people() { return this.tracks.filter((track) => track.linked); },
  get others() { return this.tracks.filter((track) => !track.linked); },
  get facts() {
    const waiting = this.recordings.filter((recording) => recording.state === "waiting").length;
    return {
      gather: waiting ? `${waiting} coming in` : `${this.recordings.length} recordings`,
      "line-up": this.liningFact,
      mend: this.mendFact,
      prune: this.pruneFact,
      balance: `${this.people.filter((track) => track.treated).length} treated`,
      "send-out": this.loudness.loudness ? `${this.standing} LUFS` : "measuring",
    };
  },
  factOf(name) { return this.facts[name]; },
};

document.addEventListener("alpine:init", () => {
  fieldsKeepTyping(window.Alpine);
  window.Alpine.data("episodePage", () => compose(core, elsewhere(stage, waiting), playing(stage, remember), gather(data, stage), forGood(function forget(kind, id) { this.removed = this.removed.filter((other) => other.id !== id); }), several(data, stage), patterns(data, stage), larder(data, stage), pickUp(data, stage), lineUp(data, stage), mend(data, stage), hand(stage, remembered, remember), seams(stage), places(data, stage), history(), finds(data, stage), balance(data), nextStep(data), sendOut(data, stage)));
});
