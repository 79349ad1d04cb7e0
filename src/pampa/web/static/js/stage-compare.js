// Send out, compare: two states of the episode heard in turns at one loudness, and what differs between them.

import { api } from "./api.js";
import { RATE } from "./constants.js";
import { makePlayer } from "./player.js";
import { remember, remembered } from "./remembered.js";
import { level, shortClock } from "./time.js";

const RUN_IN_S = 1.5;

/** @param {import("./page.js").Page} page */
export function compare(page, stage) {
  const path = () => `/api/episodes/${page.episode.id}`;
  let player = null;
  let asked = 0;
  return {
    sides: [],
    chosen: remembered("compare", { here: "", there: "now" }),
    told: null,
    hearsThere: false,
    playing: false,
    place: 0, // of the side that is heard, in seconds

    async show() {
      const mine = ++asked;
      const [sides, told] = await Promise.all([
        api.get(`${path()}/sides`).catch(() => this.sides), api.get(`${path()}/comparison`).catch(() => this.told),
      ]);
      this.sides = sides;
      if (mine === asked) this.told = told;
      const known = sides.map((side) => side.of);
      if (!known.includes(this.chosen.here)) this.chosen = { ...this.chosen, here: known.find((of) => of !== this.chosen.there) ?? "" };
      if (!known.includes(this.chosen.there)) this.chosen = { ...this.chosen, there: "now" };
      this.draw();
    },
    leave() { if (this.playing) this.stop(); },
    isChosen(side, of) { return this.chosen[side] === of; },
    choose(side, event) { this.chosen = { ...this.chosen, [side]: event.target.value }; remember("compare", this.chosen); },
    between(here, there) {
      this.chosen = { here, there };
      remember("compare", this.chosen);
      return this.begin();
    },
    get canCompare() { return this.chosen.here !== "" && this.chosen.here !== this.chosen.there; },
    begin() {
      this.leave();
      // It may be done, and read, before this is answered: what it was answered then is out of date.
      const mine = ++asked;
      return page.attempt(async () => {
        const told = await api.post(`${path()}/comparison`, this.chosen);
        if (mine === asked) this.told = told;
        return this.read();
      });
    },
    async read() {
      const mine = ++asked;
      const told = await api.get(`${path()}/comparison`).catch(() => null);
      if (!told || mine !== asked) return;
      this.told = told;
      this.place = 0;
      this.draw();
    },
    get waits() { return this.told !== null && this.told.waits; },
    get isCompared() { return this.told !== null && this.told.here !== null; },
    get says() {
      if (this.sides.length < 2) return "There is nothing to compare with yet: keep a version in Prune, or make a file.";
      if (this.waits) return "Both are being listened to …";
      if (!this.isCompared) return "Choose two, and hear one against the other.";
      const count = this.told.differences.length;
      return count === 0 ? "Nothing differs." : count === 1 ? "1 thing differs." : `${count} things differ.`;
    },
    figuresOf: (side) => `${shortClock(side.seconds * RATE)}  ${level(side.lufs)} LUFS`,
    get hereName() { return this.isCompared ? this.told.here.name : ""; },
    get thereName() { return this.isCompared ? this.told.there.name : ""; },
    get hereFigures() { return this.isCompared ? this.figuresOf(this.told.here) : ""; },
    get thereFigures() { return this.isCompared ? this.figuresOf(this.told.there) : ""; },
    get differences() { return this.isCompared ? this.told.differences : []; },
    timeOf: (seconds) => (seconds === null ? "–" : shortClock(seconds * RATE)),

    // -- hearing -----------------------------------------------------------------------------------------

    get side() { return this.told[this.hearsThere ? "there" : "here"]; },
    // The same moment on the other side; where that has nothing of it, where it would be.
    across(seconds, toThere) {
      const own = toThere ? "here_s" : "there_s";
      const other = toThere ? "there_s" : "here_s";
      const { stretches } = this.told;
      const within = stretches.find((each) => each[own] <= seconds && seconds < each[own] + each.length_s);
      if (within) return within[other] + seconds - within[own];
      const before = stretches.filter((each) => each[own] + each.length_s <= seconds).sort((a, b) => b[own] - a[own])[0];
      return before ? before[other] + before.length_s : 0;
    },
    play() {
      if (!this.isCompared) return;
      if (this.playing) { this.stop(); return; }
      if (page.transport.playing) stage.player.stop();
      player ??= makePlayer({
        address: ({ of }, query) => { query.set("of", of); return `${path()}/comparison/sound?${query}`; },
        settings: { speed: 1, of: this.side.of },
        length: () => Math.round(this.side.seconds * RATE),
        onMove: (place) => { this.place = place / RATE; this.draw(); },
        onStop: () => { this.playing = false; },
        onLevel: () => {},
        onError: (error) => page.tell(error),
      });
      player.set({ of: this.side.of });
      this.playing = true;
      player.play(Math.round((this.place >= this.side.seconds - 0.1 ? 0 : this.place) * RATE));
    },
    stop() { this.playing = false; if (player) player.stop(); },
    // From the one to the other, at the same words, while it plays.
    hear(there) {
      if (!this.isCompared || there === this.hearsThere) return;
      const place = this.across(this.place, there);
      this.hearsThere = there;
      this.place = place;
      if (this.playing) { player.set({ of: this.side.of }); player.play(Math.round(place * RATE)); }
      this.draw();
    },
    swap() { this.hear(!this.hearsThere); },
    goTo(difference) {
      const there = difference.there_s !== null && (this.hearsThere || difference.here_s === null);
      this.hearsThere = there;
      this.place = Math.max((there ? difference.there_s : difference.here_s) - RUN_IN_S, 0);
      if (this.playing) player.stop();
      this.play();
      this.draw();
    },
    seek(seconds, there) {
      this.hearsThere = there;
      this.place = seconds;
      if (this.playing) { player.set({ of: this.side.of }); player.play(Math.round(seconds * RATE)); }
      this.draw();
    },
    get placeText() { return page.clock(Math.round(this.place * RATE)); },
    async copy() {
      await navigator.clipboard.writeText(this.told.report).catch(() => {});
      page.say("The report is in the clipboard.");
    },
    get reportAddress() { return this.isCompared ? `data:text/plain;charset=utf-8,${encodeURIComponent(this.told.report)}` : ""; },
    draw() {
      if (this.isCompared) stage.bands.show({ told: this.told, place: this.place, there: this.hearsThere });
    },
  };
}
