// Prune's finds: how many of each kind, one after another by a key, all of a kind at once.

import { api } from "./api.js";
import { RATE } from "./constants.js";
import { closesUp, cutFor, placeFinds } from "./finds.js";

const LISTED = 24;
const RUN_IN = 1.5 * RATE;
const TAKEN_WHOLE = 0.15;
const KINDS = [
  { kind: "chatter", name: "Chatter", one: "chatter" },
  { kind: "silence", name: "Silences", one: "silence" },
  { kind: "filler", name: "Fillers", one: "filler" },
  { kind: "restart", name: "Restarts", one: "restart" },
  { kind: "backchannel", name: "Agreement", one: "agreement" },
  { kind: "breath", name: "Breaths", one: "breath" },
  { kind: "knock", name: "Knocks", one: "knock" },
  { kind: "click", name: "Clicks", one: "click" },
];
const ONE = Object.fromEntries(KINDS.map(({ kind, one }) => [kind, one]));
const named = (kind) => (/^[aeiou]/.test(ONE[kind]) ? `an ${ONE[kind]}` : `a ${ONE[kind]}`);
const USUAL = { longer: 1.2, keep: 0.6, sure: 50, pause: 0, after: "hear", hidden: ["breath", "click"] };

export function finds(data, stage) {
  const { policy } = data;
  const key = `pampa-finds-${data.show.id}`;
  const settings = { ...USUAL, ...JSON.parse(localStorage.getItem(key) ?? "{}") };
  let known = [];
  let placed = [];
  const edges = new Map(); // how far edges were moved by hand, of finds that wait for a decision
  const keyOf = (find) => `${find.kind}:${find.recording}:${find.start}`;
  const byHand = (find) => ({ ...find, confidence: 1, alone: true, pause_s: Infinity, evidence: "Marked by hand.", id: `hand ${keyOf(find)}` });

  const withEdges = (find) => {
    const { left, right } = edges.get(keyOf(find)) ?? { left: 0, right: 0 };
    return find.state === "open" && (left || right) ? { ...find, place: Math.max(find.place + left, 0), until: Math.max(find.until + right, find.place + left + 48) } : find;
  };

  return {
    findsWait: false,
    findKinds: [],
    listedFinds: [],
    chosenFind: null,
    findSettings: settings,
    handKind: "filler",
    findKindNames: KINDS,

    async readFinds() {
      const told = await api.get(`/api/episodes/${this.episodeId}/finds`).catch(() => null);
      if (!told) return;
      this.findsWait = told.waits;
      if (!told.waits) known = told.finds.map((find, index) => ({ ...find, id: index }));
      this.placeFinds();
    },
    // Finds follow their recordings: after every edit they are laid on the sheet anew.
    placeFinds() {
      placed = placeFinds(stage.doc, [...known, ...stage.doc.added.map(byHand)], policy).filter((find) => this.isWanted(find)).map(withEdges);
      this.findKinds = KINDS.map(({ kind, name }) => {
        const all = placed.filter((find) => find.kind === kind);
        const open = all.filter((find) => this.isAsked(find));
        return { kind, name, open: open.length, decided: all.filter((find) => find.state !== "open").length, saved: open.reduce((sum, find) => sum + this.saves(find), 0), shown: !this.findSettings.hidden.includes(kind) };
      });
      this.listFinds();
      this.drawFinds();
    },
    isWanted(find) {
      if (find.kind === "silence") return find.stop - find.start >= this.findSettings.longer * RATE;
      return find.kind !== "filler" || find.pause_s >= this.findSettings.pause;
    },
    drawFinds() {
      const shown = this.stage === "prune" ? placed.filter((find) => this.isShown(find) && ["open", "left"].includes(find.state)) : [];
      const chosen = this.chosenFind === null ? null : this.chosenFind.id;
      stage.sheet.show({ finds: shown, find: chosen });
      const told = this.chosenFind && closesUp(this.chosenFind, policy) ? { ...this.chosenFind, cut: cutFor(this.chosenFind, this.findSettings.keep * RATE, policy) } : this.chosenFind;
      stage.loupe.show({ find: told });
      stage.overview.show({ finds: shown.filter((find) => find.state === "open") });
    },
    isShown(find) { return !this.findSettings.hidden.includes(find.kind) && find.confidence * 100 >= this.findSettings.sure; },
    isAsked(find) { return find.state === "open" && find.confidence * 100 >= this.findSettings.sure; },
    saves(find) {
      if (!closesUp(find, policy)) return 0;
      const cut = cutFor(find, this.findSettings.keep * RATE, policy);
      return Math.max(cut.stop - cut.start, 0);
    },
    get openFinds() { return placed.filter((find) => this.isShown(find) && find.state === "open"); },
    listFinds() {
      const open = this.openFinds;
      const next = open.findIndex((find) => find.until > this.playhead);
      const first = Math.max(Math.min((next < 0 ? open.length : next) - 4, open.length - LISTED), 0);
      this.listedFinds = open.slice(first, first + LISTED);
      if (this.chosenFind && !open.some((find) => find.id === this.chosenFind.id)) this.chosenFind = null;
    },
    get findsLeft() { return this.findKinds.filter((entry) => entry.shown).reduce((sum, entry) => sum + entry.open, 0); },
    get findsDecided() { return this.findKinds.filter((entry) => entry.shown).reduce((sum, entry) => sum + entry.decided, 0); },
    get findsSave() { return this.lengthOf(this.findKinds.filter((entry) => entry.shown).reduce((sum, entry) => sum + entry.saved, 0)); },
    get findsUnlisted() { return Math.max(this.findsLeft - this.listedFinds.length, 0); },
    get hasFinds() { return this.findKinds.some((entry) => entry.open + entry.decided > 0); },
    get pruneFact() {
      if (this.findsWait) return "looking";
      if (this.hasFinds && this.findsLeft > 0) return this.findsLeft === 1 ? "1 find left" : `${this.findsLeft} finds left`;
      return this.seams.length === 1 ? "1 seam" : `${this.seams.length} seams`;
    },
    findName: (find) => ONE[find.kind],
    findWho: (find) => (find.kind === "silence" ? "" : find.trackName.split(" ")[0]),
    findLength(find) { return find.kind === "click" ? "" : this.lengthOf(find.until - find.place); },
    isFind(find) { return this.chosenFind !== null && this.chosenFind.id === find.id; },

    // -- going through them ------------------------------------------------------------------------------

    chooseFind(find) {
      this.chooseSeam(null);
      this.chosenFind = find;
      if (this.stage === "prune") this.showPruneView("finds");
      this.seek(find.place);
      stage.loupe.show({ centre: (find.place + find.until) / 2 });
      stage.sheet.keepInSight(find.place);
      this.listFinds();
      this.drawFinds();
    },
    nextPlace() { this.goAmong(1); },
    previousPlace() { this.goAmong(-1); },
    // To the next open find or seam; those on one spot come one after another.
    goAmong(way) {
      const here = this.chosenFind ? this.chosenFind.place : this.playhead;
      const beyond = (place) => (place - here) * way > 480;
      const finds = this.openFinds.filter((find) => !this.isFind(find) && (beyond(find.place) || (find.place === here && this.chosenFind && (placed.indexOf(find) - placed.findIndex((other) => this.isFind(other))) * way > 0)));
      const seams = stage.doc.seams.filter((seam) => beyond(seam.at));
      const find = way > 0 ? finds[0] : finds[finds.length - 1];
      const seam = way > 0 ? seams[0] : seams[seams.length - 1];
      if (find && (!seam || (seam.at - find.place) * way >= 0)) return this.chooseFind(find);
      if (seam) { this.chosenFind = null; this.drawFinds(); return this.chooseSeam(seam.id); }
      return this.say(way > 0 ? "No more finds or seams after this." : "No finds or seams before this.");
    },
    // Edges moved by hand hold until it is decided; what it would sound like is heard at once.
    moveFind(find) {
      const base = placed.find((other) => other.id === find.id);
      const before = edges.get(keyOf(find)) ?? { left: 0, right: 0 };
      edges.set(keyOf(find), { left: before.left + Math.round(find.place) - base.place, right: before.right + Math.round(find.until) - base.until });
      this.placeFinds();
      this.chosenFind = placed.find((other) => other.id === find.id) ?? null;
      this.drawFinds();
      return this.chosenFind && closesUp(find, policy) ? this.hearWithout() : this.hearFind();
    },
    markFind() {
      if (this.needsSelection()) return null;
      const { start, stop, track } = this.selection;
      const home = stage.doc.tracks.find((candidate) => (track === null ? candidate.kind === "person" : candidate.id === track) && candidate.clips.some((clip) => clip.start <= start && clip.start + clip.length > start));
      if (!home) { this.problem = "Nobody's sound begins there. Select where somebody is recorded."; return null; }
      const clip = home.clips.find((candidate) => candidate.start <= start && candidate.start + candidate.length > start);
      const first = clip.source + start - clip.start;
      return this.edit({ edit: "mark_find", name: named(this.handKind), finds: [{ kind: this.handKind, recording: clip.recording, start: first, stop: first + stop - start }] });
    },
    chooseHandKind(event) { this.handKind = event.target.value; },
    isHandKind(entry) { return entry.kind === this.handKind; },
    isByHand(find) { return find !== null && String(find.id).startsWith("hand"); },
    dropFind() {
      const { kind, recording, start, stop } = this.chosenFind;
      return this.edit({ edit: "drop_find", name: named(kind), finds: [{ kind, recording, start, stop }] });
    },
    hearFind() {
      if (!this.chosenFind) return this.playAcross();
      return this.playRange(this.chosenFind.place - RUN_IN, this.chosenFind.until + RUN_IN);
    },

    // -- deciding ----------------------------------------------------------------------------------------

    takeFind() { return this.cutFind(TAKEN_WHOLE); },
    shortenFind() {
      if (this.chosenFind && this.chosenFind.kind !== "silence") { this.say("Silences are shortened; other finds are taken out or left."); return null; }
      return this.cutFind(this.findSettings.keep);
    },
    async cutFind(keep) {
      const find = this.chosenFind;
      if (!find) { this.problem = "No find is chosen. Press N for the next one, or click one in the list."; return null; }
      const made = await this.edit(() => ({ edit: "prune", name: named(find.kind), cuts: [cutFor(find, keep * RATE, policy)] }));
      return made ? this.decided(find) : null;
    },
    async leaveFind() {
      const find = this.chosenFind;
      if (!find) { this.problem = "No find is chosen. Press N for the next one, or click one in the list."; return null; }
      const { kind, recording, start, stop } = find;
      const made = await this.edit({ edit: "leave", name: named(kind), finds: [{ kind, recording, start, stop }] });
      return made ? this.decided(find, { quiet: true }) : null;
    },
    decided(find, { quiet = false } = {}) {
      this.placeFinds();
      const next = this.openFinds.find((other) => other.place >= find.place - 480 && other.id !== find.id);
      const hear = this.findSettings.after === "hear" && !quiet;
      if (next && !hear) return this.chooseFind(next);
      this.chosenFind = null;
      this.seek(find.place, { keep: true });
      this.drawFinds();
      return hear ? this.playRange(find.place - RUN_IN, find.place + RUN_IN) : null;
    },
    // All of a kind that are sure enough, in one edit.
    async takeAllFinds(kind) {
      const chosen = placed.filter((find) => find.kind === kind && this.isAsked(find));
      if (!chosen.length) return;
      const { name } = KINDS.find((entry) => entry.kind === kind);
      const told = chosen.length === 1 ? named(kind) : `${chosen.length} ${name.toLowerCase()}`;
      const made = await this.edit(() => ({ edit: "prune", name: told, cuts: chosen.map((find) => cutFor(find, this.findSettings.keep * RATE, policy)) }));
      if (!made) return;
      this.placeFinds();
      this.say(`${told[0].toUpperCase()}${told.slice(1)} ${kind === "silence" ? "shortened" : "taken out"}. Ctrl Z takes it back.`);
    },

    // -- what is asked about -----------------------------------------------------------------------------

    setFinds(name, event) {
      const value = name === "after" ? event.target.value : Number(event.target.value);
      if (name !== "after" && !Number.isFinite(value)) return;
      this.findSettings = { ...this.findSettings, [name]: value };
      this.keepFindSettings();
    },
    toggleKind(kind) {
      const { hidden } = this.findSettings;
      this.findSettings = { ...this.findSettings, hidden: hidden.includes(kind) ? hidden.filter((other) => other !== kind) : [...hidden, kind] };
      this.keepFindSettings();
    },
    keepFindSettings() {
      localStorage.setItem(key, JSON.stringify(this.findSettings));
      this.placeFinds();
    },
    isAfter(way) { return this.findSettings.after === way; },
    allLabel: (kind) => (kind === "silence" ? "Shorten all" : "Take out all"),
  };
}
