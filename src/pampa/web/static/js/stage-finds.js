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

/** @param {import("./page.js").Page} page */
export function finds(page, data, stage) {
  const { policy } = data;
  const key = `pampa-finds-${data.show.id}`;
  const settings = { ...USUAL, ...JSON.parse(localStorage.getItem(key) ?? "{}") };
  let known = [];
  let placed = [];
  const edges = new Map(); // how far edges were moved by hand, of finds that wait for a decision
  const keyOf = (find) => `${find.kind}:${find.recording}:${find.start}`;
  const byHand = (find) => ({
    ...find,
    confidence: 1,
    alone: true,
    pause_s: Infinity,
    evidence: "Marked by hand.",
    id: `hand ${keyOf(find)}`,
  });

  const withEdges = (find) => {
    const { left, right } = edges.get(keyOf(find)) ?? { left: 0, right: 0 };
    return find.state === "open" && (left || right)
      ? { ...find, place: Math.max(find.place + left, 0), until: Math.max(find.until + right, find.place + left + 48) }
      : find;
  };

  return {
    waits: false,
    unheard: [],
    kinds: [],
    listed: [],
    chosen: null,
    settings,
    handKind: "filler",
    runIn: RUN_IN,
    kindNames: KINDS,

    async read() {
      const told = await api.get(`/api/episodes/${page.episode.id}/finds`).catch(() => null);
      if (!told) return;
      this.waits = told.waits;
      this.unheard = told.unheard;
      if (!told.waits) known = told.finds.map((find, index) => ({ ...find, id: index }));
      this.place();
    },
    // Finds follow their recordings: after every edit they are laid on the sheet anew.
    place() {
      placed = placeFinds(stage.doc, [...known, ...stage.doc.added.map(byHand)], policy)
        .filter((find) => this.isWanted(find))
        .map(withEdges);
      this.kinds = KINDS.map(({ kind, name }) => {
        const all = placed.filter((find) => find.kind === kind);
        const open = all.filter((find) => this.isAsked(find));
        return {
          kind,
          name,
          open: open.length,
          decided: all.filter((find) => find.state !== "open").length,
          saved: open.reduce((sum, find) => sum + this.saves(find), 0),
          shown: !this.settings.hidden.includes(kind),
        };
      });
      this.list();
      this.draw();
      page.findRun.count();
    },
    isWanted(find) {
      if (find.kind === "silence") return find.stop - find.start >= this.settings.longer * RATE;
      return find.kind !== "filler" || find.pause_s >= this.settings.pause;
    },
    draw() {
      const shown = page.stage === "prune" ? placed.filter((find) => this.isShown(find) && ["open", "left"].includes(find.state)) : [];
      const chosen = this.chosen === null ? null : this.chosen.id;
      stage.sheet.show({ finds: shown, find: chosen });
      const told =
        this.chosen && closesUp(this.chosen, policy)
          ? { ...this.chosen, cut: cutFor(this.chosen, this.settings.keep * RATE, policy) }
          : this.chosen;
      stage.loupe.show({ find: told });
      stage.overview.show({ finds: shown.filter((find) => find.state === "open") });
    },
    isShown(find) { return !this.settings.hidden.includes(find.kind) && find.confidence * 100 >= this.settings.sure; },
    isAsked(find) { return find.state === "open" && find.confidence * 100 >= this.settings.sure; },
    saves(find) {
      if (!closesUp(find, policy)) return 0;
      const cut = cutFor(find, this.settings.keep * RATE, policy);
      return Math.max(cut.stop - cut.start, 0);
    },
    get open() { return placed.filter((find) => this.isShown(find) && find.state === "open"); },
    list() {
      const open = this.open;
      const next = open.findIndex((find) => find.until > page.transport.playhead);
      const first = Math.max(Math.min((next < 0 ? open.length : next) - 4, open.length - LISTED), 0);
      this.listed = open.slice(first, first + LISTED);
      if (this.chosen && !open.some((find) => find.id === this.chosen.id)) this.chosen = null;
    },
    get left() { return this.kinds.filter((entry) => entry.shown).reduce((sum, entry) => sum + entry.open, 0); },
    get decidedCount() { return this.kinds.filter((entry) => entry.shown).reduce((sum, entry) => sum + entry.decided, 0); },
    get savesText() { return page.lengthOf(this.kinds.filter((entry) => entry.shown).reduce((sum, entry) => sum + entry.saved, 0)); },
    get unlisted() { return Math.max(this.left - this.listed.length, 0); },
    get hasAny() { return this.kinds.some((entry) => entry.open + entry.decided > 0); },
    get fact() {
      if (this.waits) return "looking";
      if (this.hasAny && this.left > 0) return this.left === 1 ? "1 find left" : `${this.left} finds left`;
      return page.episode.seams.length === 1 ? "1 seam" : `${page.episode.seams.length} seams`;
    },
    nameOf: (find) => ONE[find.kind],
    whoOf: (find) => (find.kind === "silence" ? "" : find.trackName.split(" ")[0]),
    lengthOf(find) { return find.kind === "click" ? "" : page.lengthOf(find.until - find.place); },
    isChosen(find) { return this.chosen !== null && this.chosen.id === find.id; },

    // -- going through them ------------------------------------------------------------------------------

    choose(find) {
      page.seams.choose(null);
      this.chosen = find;
      if (page.stage === "prune") page.hand.showPruneView("finds");
      page.transport.seek(find.place);
      stage.loupe.show({ centre: (find.place + find.until) / 2 });
      stage.sheet.keepInSight(find.place);
      this.list();
      this.draw();
    },
    nextPlace() { this.goAmong(1); },
    previousPlace() { this.goAmong(-1); },
    // To the next open find or seam; those on one spot come one after another.
    goAmong(way) {
      const here = this.chosen ? this.chosen.place : page.transport.playhead;
      const beyond = (place) => (place - here) * way > 480;
      const others = this.open.filter(
        (find) =>
          !this.isChosen(find) &&
          (beyond(find.place) ||
            (find.place === here && this.chosen && (placed.indexOf(find) - placed.findIndex((other) => this.isChosen(other))) * way > 0)),
      );
      const seams = stage.doc.seams.filter((seam) => beyond(seam.at));
      const find = way > 0 ? others[0] : others[others.length - 1];
      const seam = way > 0 ? seams[0] : seams[seams.length - 1];
      if (find && (!seam || (seam.at - find.place) * way >= 0)) return this.choose(find);
      if (seam) { this.chosen = null; this.draw(); return page.seams.choose(seam.id); }
      return page.say(way > 0 ? "No more finds or seams after this." : "No finds or seams before this.");
    },
    // Edges moved by hand hold until it is decided; what it would sound like is heard at once.
    move(find) {
      const base = placed.find((other) => other.id === find.id);
      const before = edges.get(keyOf(find)) ?? { left: 0, right: 0 };
      edges.set(keyOf(find), {
        left: before.left + Math.round(find.place) - base.place,
        right: before.right + Math.round(find.until) - base.until,
      });
      this.place();
      this.chosen = placed.find((other) => other.id === find.id) ?? null;
      this.draw();
      return this.chosen && closesUp(find, policy) ? page.hand.hearWithout() : this.hear();
    },
    mark() {
      if (page.hand.needsSelection()) return null;
      const { start, stop, track } = page.selection.range;
      const home = stage.doc.tracks.find(
        (candidate) =>
          (track === null ? candidate.kind === "person" : candidate.id === track) &&
          candidate.clips.some((clip) => clip.start <= start && clip.start + clip.length > start),
      );
      if (!home) { page.problem = "Nobody's sound begins there. Select where somebody is recorded."; return null; }
      const clip = home.clips.find((candidate) => candidate.start <= start && candidate.start + candidate.length > start);
      const first = clip.source + start - clip.start;
      return page.episode.edit({
        edit: "mark_find",
        name: named(this.handKind),
        finds: [{ kind: this.handKind, recording: clip.recording, start: first, stop: first + stop - start }],
      });
    },
    chooseHandKind(event) { this.handKind = event.target.value; },
    isHandKind(entry) { return entry.kind === this.handKind; },
    isByHand(find) { return find !== null && String(find.id).startsWith("hand"); },
    drop() {
      const { kind, recording, start, stop } = this.chosen;
      return page.episode.edit({ edit: "drop_find", name: named(kind), finds: [{ kind, recording, start, stop }] });
    },
    hear() {
      if (!this.chosen) return page.seams.playAcross();
      return page.transport.playRange(this.chosen.place - RUN_IN, this.chosen.until + RUN_IN);
    },

    // -- deciding ----------------------------------------------------------------------------------------

    take() { return this.cut(TAKEN_WHOLE); },
    shorten() {
      if (this.chosen && this.chosen.kind !== "silence") {
        page.say("Silences are shortened; other finds are taken out or left.");
        return null;
      }
      return this.cut(this.settings.keep);
    },
    async cut(keep) {
      const find = this.chosen;
      if (!find) { page.problem = "No find is chosen. Press N for the next one, or click one in the list."; return null; }
      const made = await page.episode.edit(() => ({ edit: "prune", name: named(find.kind), cuts: [cutFor(find, keep * RATE, policy)] }));
      return made ? this.decided(find) : null;
    },
    async leave() {
      const find = this.chosen;
      if (!find) { page.problem = "No find is chosen. Press N for the next one, or click one in the list."; return null; }
      const { kind, recording, start, stop } = find;
      const made = await page.episode.edit({ edit: "leave", name: named(kind), finds: [{ kind, recording, start, stop }] });
      return made ? this.decided(find, { quiet: true }) : null;
    },
    decided(find, { quiet = false } = {}) {
      this.place();
      const next = this.open.find((other) => other.place >= find.place - 480 && other.id !== find.id);
      if (page.findRun.going) return page.findRun.next();
      const hear = this.settings.after === "hear" && !quiet;
      if (next && !hear) return this.choose(next);
      this.chosen = null;
      page.transport.seek(find.place, { keep: true });
      this.draw();
      return hear ? page.transport.playRange(find.place - RUN_IN, find.place + RUN_IN) : null;
    },
    // All of a kind that are sure enough, in one edit.
    async takeAll(kind) {
      return this.takeThese(placed.filter((find) => find.kind === kind && this.isAsked(find)));
    },
    async takeThese(chosen) {
      if (!chosen.length) return;
      const [{ kind }] = chosen;
      const alike = chosen.every((find) => find.kind === kind);
      const { name } = alike ? KINDS.find((entry) => entry.kind === kind) : { name: "Finds" };
      const told = chosen.length === 1 ? named(kind) : `${chosen.length} ${name.toLowerCase()}`;
      const made = await page.episode.edit(() => ({
        edit: "prune",
        name: told,
        cuts: chosen.map((find) => cutFor(find, this.settings.keep * RATE, policy)),
      }));
      if (!made) return;
      this.place();
      const done = alike && kind === "silence" ? "shortened" : "taken out";
      page.say(`${told[0].toUpperCase()}${told.slice(1)} ${done}. Ctrl Z takes it back.`);
    },

    // -- what is asked about -----------------------------------------------------------------------------

    set(name, event) {
      const value = name === "after" ? event.target.value : Number(event.target.value);
      if (name !== "after" && !Number.isFinite(value)) return;
      this.settings = { ...this.settings, [name]: value };
      this.keepSettings();
    },
    toggleKind(kind) {
      const { hidden } = this.settings;
      this.settings = { ...this.settings, hidden: hidden.includes(kind) ? hidden.filter((other) => other !== kind) : [...hidden, kind] };
      this.keepSettings();
    },
    keepSettings() {
      localStorage.setItem(key, JSON.stringify(this.settings));
      this.place();
    },
    isAfter(way) { return this.settings.after === way; },
    allLabel: (kind) => (kind === "silence" ? "Shorten all" : "Take out all"),
  };
}
