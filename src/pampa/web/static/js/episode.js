// The page of one episode: its stores, its canvases, and how both are tied together.

import { mountBands } from "./bands.js";
import { mountChart } from "./chart.js";
import { mountCheckup } from "./checkup.js";
import { RATE } from "./constants.js";
import { followElsewhere } from "./elsewhere.js";
import { forGood } from "./for-good.js";
import { COMPARE_ACTIONS, actionFor, KEYS, watchPointer } from "./keys.js";
import { mountLoupe } from "./loupe.js";
import { MEND_ACTIONS } from "./mend-keys.js";
import { nextStep } from "./next-step.js";
import { mountOverview } from "./overview.js";
import { patterns } from "./patterns.js";
import { mountPicture } from "./picture.js";
import { makePlayer } from "./player.js";
import { remember, remembered } from "./remembered.js";
import { mountRows } from "./rows.js";
import { several } from "./several.js";
import { episode } from "./shared-episode.js";
import { jobs } from "./shared-jobs.js";
import { loudness } from "./shared-loudness.js";
import { picture } from "./shared-picture.js";
import { selection } from "./shared-selection.js";
import { transport } from "./shared-transport.js";
import { mountSheet } from "./sheet.js";
import { mountSpectrum } from "./spectrum.js";
import { peaks } from "./stage-balance-peaks.js";
import { recipes } from "./stage-balance-recipes.js";
import { tone } from "./stage-balance-tone.js";
import { music } from "./stage-balance-music.js";
import { balance } from "./stage-balance.js";
import { findRun } from "./stage-find-run.js";
import { finds } from "./stage-finds.js";
import { gather } from "./stage-gather.js";
import { hand } from "./stage-hand.js";
import { history } from "./stage-history.js";
import { larder } from "./stage-larder.js";
import { lineUp } from "./stage-line-up.js";
import { mend } from "./stage-mend.js";
import { pickUp } from "./stage-pick-up.js";
import { places } from "./stage-places.js";
import { seams } from "./stage-seams.js";
import { compare } from "./stage-compare.js";
import { lastLook } from "./stage-last-look.js";
import { listeners } from "./stage-listeners.js";
import { publish } from "./stage-publish.js";
import { straight } from "./stage-straight.js";
import { sendOut } from "./stage-send-out.js";
import { stalkStore } from "./stalks.js";
import { clock, length, level, shortClock } from "./time.js";
import { fieldsKeepTyping } from "./typing.js";
import { curveStore } from "./voice-curves.js";

const SETTLE_MS = 150; // the page is drawn and answers; what is not seen can be filled in
const SAID_MS = 5000;
const data = JSON.parse(document.getElementById("page-data").textContent);
const find = (id) => document.getElementById(id);

/**
 * What the canvases read. It stays outside the reactive page: drawing reads it thousands of times a frame.
 * doc : the document; opened : the seam that is open in the loupe, and the document with it put back.
 * @type {Record<string, any>}
 */
const stage = { doc: data.state, opened: null };
const REDRAWN = [
  "sheet",
  "loupe",
  "picture",
  "spectrum",
  "overview",
  "bands",
  "chart",
  "lining",
  "anchors",
  "checkup",
  "mendPicture",
  "mendCheckup",
  "rows",
  "pieceRows",
  "takeRows",
  "take",
];

// What any store may say or ask of the page itself. Its names are the page's own, without a store before them.
/** @type {import("./page.js").Itself & ThisType<import("./page.js").Page>} */
const itself = {
  stage: data.stage,
  settled: false, // whether lists that are not seen at first have been filled too
  made: [data.stage], // stages whose panels are there: the others come when they are first gone to
  notice: "",
  problem: "",
  letters: remembered("letters", true), // whether keys that type something act by themselves

  init() {
    mount(this);
    this.episode.take(data.state);
    this.picture.tell();
    this.redrawAll();
    document.fonts.ready.then(() => this.redrawAll());
    followElsewhere(this);
    this.loudness.read();
    if (this.gather.isView("larder")) this.larder.read();
    if (this.isStage("prune")) this.finds.read();
    if (this.isStage("mend")) window.Alpine.nextTick(() => this.mend.show());
    if (this.isStage("balance")) window.Alpine.nextTick(() => this.balance.show());
    if (this.isStage("send-out")) window.Alpine.nextTick(() => this.sendOut.show());
    this.transport.toLastPlace();
    window.addEventListener("keydown", (event) => this.pressed(event));
    watchPointer(document);
    window.addEventListener("popstate", () => this.arrive(window.location.pathname.split("/").pop()));
    matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => this.redrawAll());
    document.body.dataset.ready = "yes";
    setTimeout(() => { this.settled = true; this.seams.listAround(this.transport.playhead); this.wakeAll(); }, SETTLE_MS);
  },

  // -- what it says --------------------------------------------------------------------------------------

  say(text) { this.notice = text; setTimeout(() => { if (this.notice === text) this.notice = ""; }, SAID_MS); },
  shutProblem() { this.problem = ""; },
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
    if (error.status === 409) this.episode.newer(this.episode.revision + 1);
  },
  clock: (frames) => clock(frames, RATE),
  shortClock: (frames) => shortClock(frames, RATE),
  lengthOf: (frames) => length(frames, RATE),
  level: (value) => level(value),
  percent: (share) => `${Math.round(share * 100)} %`,

  // -- keys ----------------------------------------------------------------------------------------------

  get listedKeys() { return this.settled ? KEYS.filter((key) => key.listed !== false) : []; },
  pressed(event) {
    const action = actionFor(event, this.letters);
    if (!action) return;
    // Copying text and pasting files stay the browser's where there is nothing of the sheet to copy or paste.
    if (["hand.copy", "hand.cutToCarry"].includes(action) && !this.selection.hasRange) return;
    if (action === "hand.paste" && !this.hand.canPaste) return;
    event.preventDefault();
    this.act(action);
  },
  // What a key or a button of the transport does at this stage: a method, the store that it belongs to, and after a
  // colon what it is given.
  act(action) {
    const others = this.isStage("mend") ? MEND_ACTIONS : this.isStage("send-out") && this.sendOut.isView("compare") ? COMPARE_ACTIONS : {};
    const here = action in others ? others[action] : action;
    if (!here) return;
    const [name, argument] = here.split(":");
    const [store, method] = name.includes(".") ? name.split(".") : [null, name];
    if (store) this[store][method](argument);
    else this[method]();
  },
  toggleHelp() {
    const keys = /** @type {HTMLDialogElement} */ (find("keys"));
    if (keys.open) keys.close();
    else keys.showModal();
  },
  setLetters({ target }) { this.letters = target.checked; remember("letters", this.letters); },

  // -- stages --------------------------------------------------------------------------------------------

  go(name) {
    if (name !== this.stage) window.history.pushState({}, "", `/episodes/${this.episode.id}/${name}`);
    this.arrive(name);
  },
  // At a stage, by its name in the header or by the browser's own way back.
  arrive(name) {
    this.stage = name;
    this.make(name);
    this.picture.tell();
    if (name === "prune") this.finds.read();
    this.balance.draw();
    if (name === "balance") window.Alpine.nextTick(() => this.balance.show());
    else this.balance.stopTaken();
    this.finds.draw();
    if (name === "send-out") window.Alpine.nextTick(() => this.sendOut.show());
    else this.compare.leave();
    if (name === "gather") this.gather.show();
    else if (this.pickUp.micOpen) this.pickUp.closeMic();
    if (name === "mend") { if (this.transport.playing) stage.player.stop(); window.Alpine.nextTick(() => this.mend.show()); }
    else if (this.mend.playing) this.mend.stop();
  },
  make(name) { if (!this.made.includes(name)) this.made = [...this.made, name]; this.wake(name); },
  // What other stages have in the middle is there from the start, but comes to life a moment later or when it is gone to.
  wake(name) {
    const part = document.querySelector(`[data-asleep="${name}"]`);
    if (!part) return;
    window.Alpine.destroyTree(part); // forgets that it was to be ignored
    for (const mark of ["x-ignore", "data-asleep"]) part.removeAttribute(mark);
    window.Alpine.initTree(part);
  },
  wakeAll() {
    const next = /** @type {HTMLElement} */ (document.querySelector("[data-asleep]"));
    if (!next) return;
    this.wake(next.dataset.asleep);
    setTimeout(() => this.wakeAll());
  },
  isMade(name) { return this.made.includes(name); },
  isStage(name) { return this.stage === name; },
  get showsSheet() { return !["gather", "line-up", "mend", "send-out"].includes(this.stage); },
  get facts() {
    const waiting = this.episode.recordings.filter((recording) => recording.state === "waiting").length;
    return {
      gather: waiting ? `${waiting} coming in` : `${this.episode.recordings.length} recordings`,
      "line-up": this.lineUp.fact,
      mend: this.mend.fact,
      prune: this.finds.fact,
      balance: `${this.episode.people.filter((track) => track.treated).length} treated`,
      "send-out": this.loudness.measured.loudness ? `${this.loudness.standing} LUFS` : "measuring",
    };
  },
  factOf(name) { return this.facts[name]; },
  toggleTheme() {
    const dark = document.documentElement.dataset.bsTheme !== "dark";
    document.documentElement.dataset.bsTheme = dark ? "dark" : "light";
    localStorage.setItem("pampa-theme", dark ? "night" : "day");
    this.redrawAll();
  },
  redrawAll() { for (const part of REDRAWN) stage[part].redraw(); },
};

// The canvases and the player, each given what it tells of.
/** @param {import("./page.js").Page} page */
function mount(page) {
  const stalks = stalkStore({ onArrival: () => { for (const part of ["sheet", "overview", "mendPicture"]) stage[part].arrived(); } });
  stage.curves = curveStore({
    onArrival: () => stage.sheet.arrived(),
    address: (track, recording, tile) => `/api/episodes/${page.episode.id}/voices/${track}/curves?recording=${recording}&tile=${tile}`,
  });
  stage.sheet = mountSheet({
    curves: stage.curves,
    scroller: find("sheet-scroller"), spacer: find("sheet-spacer"), canvas: find("sheet-canvas"), overlay: find("sheet-overlay"), stalks,
    onSeek: (place) => page.transport.seek(place),
    onSelect: (range) => page.selection.select(range),
    onClip: (picked) => page.selection.pick(picked),
    onSeam: (seam) => page.seams.choose(seam),
    onEnvelope: (clip, points) => page.episode.edit({ edit: "set_envelope", clip, points }),
    onPinch: (way) => (way > 0 ? page.transport.finer() : page.transport.coarser()),
    onTwoTap: () => page.episode.undo(),
    onView: (seen) => stage.overview.show({ seen }),
  });
  stage.picture = mountPicture({ canvas: find("picture") });
  stage.overview = mountOverview({ canvas: find("overview"), stalks, onGo: (place) => page.transport.goTo(place) });
  stage.loupe = mountLoupe({
    canvas: find("loupe-canvas"),
    onSelect: (range) => page.selection.select(range, { keep: true }),
    onSeek: (place) => page.transport.seek(place, { keep: true }),
    onTrim: (clip, edge, at, following) => page.episode.edit({ edit: "trim", clip, edge, at: page.music.onBeat(clip, at), following }),
    onMove: (clip, start, following) => page.episode.edit({ edit: "move", clip, start, following }),
    onSlip: (clip, by) => page.episode.edit({ edit: "slip", clip, by }),
    onSide: (seam, first, last) => page.seams.drag(seam, first, last),
    onFind: (moved) => page.finds.move(moved),
    onPick: (picked) => page.selection.pick(picked),
  });
  stage.spectrum = mountSpectrum({ canvas: find("voice-spectrum") });
  stage.bands = mountBands({ canvas: find("bands"), onSeek: (seconds, there) => page.compare.seek(seconds, there) });
  stage.chart = mountChart({ canvas: find("chart"), onGo: (place) => { page.go("prune"); page.transport.goTo(place); } });
  stage.player = makePlayer({
    address: ({ speed, treated, only, gain, openSeam, without, instead, taken, piece }, query) => {
      for (const [name, value] of Object.entries({ speed, treated, gain_db: gain.toFixed(2) })) query.set(name, value);
      if (openSeam) query.set("open_seam", openSeam.seam);
      for (const place of without ?? []) query.append("without", place);
      for (const track of only) query.append("only", track);
      if (instead) query.set("instead", JSON.stringify(instead));
      if (piece) { query.set("piece", piece.id); query.set("piece_at", piece.at); }
      if (taken) { query.set("taken_track", taken.track); query.set("taken_stage", taken.stage); }
      return `/api/episodes/${page.episode.id}/sound?${query}`;
    },
    settings: { speed: page.transport.speed, treated: true, only: [], gain: 0, instead: null, taken: null },
    length: () => {
      const { openSeam, piece } = stage.player.supposed;
      return openSeam ? stage.opened.state.sounds_until : Math.max(stage.doc.sounds_until, piece ? piece.end : 0);
    },
    onMove: (place) => page.transport.moved(place),
    onStop: () => { page.transport.playing = false; stage.player.prepare(page.transport.playhead); page.findRun.stopped(); },
    onLevel: (levels) => { page.transport.levels = levels; },
    onError: (error) => page.tell(error),
  });
  page.lineUp.mount();
  page.mend.mount(stalks);
  stage.checkup = mountCheckup(find("checkup"));
  stage.rows = mountRows({ list: find("recordings") });
  stage.pieceRows = mountRows({ list: find("larder") });
  stage.takeRows = mountRows({ list: find("takes") });
  page.pickUp.mount();
}

document.addEventListener("alpine:init", () => {
  const { Alpine } = window;
  fieldsKeepTyping(Alpine);
  /** @type {import("./page.js").Page} */
  const page = Alpine.reactive(itself);
  Object.assign(page, {
    episode: episode(page, data, stage),
    selection: selection(page, stage),
    transport: transport(page, data, stage),
    loudness: loudness(page, stage),
    picture: picture(page, stage),
    jobs: jobs(page, data),
    next: nextStep(page, data),
    gather: gather(page, data, stage),
    several: several(page, stage),
    patterns: patterns(page, data, stage),
    larder: larder(page, data, stage),
    pickUp: pickUp(page, data, stage),
    forGood: forGood(page, (_kind, id) => page.gather.gone(id)),
    lineUp: lineUp(page, data, stage),
    mend: mend(page, data, stage),
    hand: hand(page, stage),
    seams: seams(page, stage),
    places: places(page, data, stage),
    history: history(page),
    finds: finds(page, data, stage),
    findRun: findRun(page, stage),
    balance: balance(page, data, stage),
    tone: tone(page, data, stage),
    recipes: recipes(page, data, stage),
    peaks: peaks(page),
    music: music(page, data, stage),
    sendOut: sendOut(page, data, stage),
    compare: compare(page, stage),
    lastLook: lastLook(page),
    listeners: listeners(page, data),
    publish: publish(page, data),
    straight: straight(page),
  });
  Alpine.data("episodePage", () => page);
});
