// Balance, the second half: buses, and music and effects around the talk.

import { api } from "./api.js";
import { RATE } from "./constants.js";
import { moved, pointed, without } from "./envelope.js";
import { firstEndingAfter, paceOf } from "./geometry.js";
import { remember, remembered } from "./remembered.js";
import { placeOf, signed } from "./time.js";

const RIDE_DB = 3;
const SNAP_S = 0.12;
const ROOM_OFF = -41; // one step under the softest that is sent: nothing
const BUSES = [["voices", "Voices"], ["music", "Music"], ["effects", "Effects"], ["room", "Room"]];
const KINDS = { voices: ["person", "spot"], music: ["music"], effects: ["effects"], room: [] };
// What is asked of each way to set a piece: label, and what is usual, in seconds.
const WAYS = {
  opening: { title: "Opening", asks: [["alone_s", "Alone before the first word", 4], ["gone_s", "Gone after the first word", 12]] },
  bed: { title: "Bed", asks: [["lead_s", "Sooner and later than the selection", 1.5]] },
  sting: { title: "Sting", asks: [["rest_s", "The talk goes on after", 2.5]] },
  ending: { title: "Ending", asks: [["before_s", "Comes in before the last word ends", 8], ["alone_s", "Last note after it", 6]] },
};
const USUAL_UNDER = 14;

/** @param {import("./page.js").Page} page */
export function music(page, data, stage) {
  return {
    depthDb: 12,
    buses: [],
    busesOpen: remembered("buses-open", false),
    loud: {}, // by bus, how loud it is by itself
    pieces: [],
    ways: Object.entries(WAYS).map(([name, way]) => ({ name, title: way.title })),
    way: remembered("music-way", "opening"),
    asked: remembered("music-asked", {}),
    piece: null,
    specials: data.specials,
    special: remembered("special", { kind: "phone", amount: 100 }),
    beats: {},

    take(state) {
      this.depthDb = state.ducking.depth_db;
      this.buses = BUSES.map(([name, title]) => ({
        name, title, gain_db: 0, muted: false, pressed: 0, room: "hall", ...state.buses.find((bus) => bus.name === name),
      }));
    },
    async read() {
      if (!page.isStage("balance")) return;
      const { id } = page.episode;
      const told = (path, take) => api.get(path).then(take, () => null);
      await Promise.all([
        this.readPieces(), told(`/api/episodes/${id}/steps`, (steps) => stage.sheet.show({ steps })),
        this.readBuses(), this.readBeats(),
      ]);
    },
    // Only where they are looked at: each is measured by itself.
    async readBuses() {
      if (!this.busesOpen) return;
      const loud = await api.get(`/api/episodes/${page.episode.id}/buses`).catch(() => null);
      if (loud) this.loud = loud;
    },
    toggleBuses({ target }) {
      if (target.open === this.busesOpen) return;
      this.busesOpen = target.open;
      remember("buses-open", target.open);
      this.readBuses();
    },
    async readPieces() {
      const found = await api.get(`/api/shows/${data.show.id}/larder?kind=music`).catch(() => null);
      if (found) this.pieces = found.pieces;
    },
    // Where the chosen piece beats, once it is asked for.
    async readBeats() {
      const { piece } = page.selection;
      if (!piece || piece.kind !== "music" || this.beats[piece.recording]) return;
      const told = await api.get(`/api/recordings/${piece.recording}/beats`).catch(() => null);
      if (!told) return;
      this.beats = { ...this.beats, [piece.recording]: told };
      stage.sheet.show({ beats: this.beats });
    },
    get tempo() {
      const told = page.selection.piece ? this.beats[page.selection.piece.recording] : null;
      if (!told) return "";
      return told.bpm ? `${told.bpm.toFixed(1)} beats a minute, ${told.bars_s.length} bars` : "No steady beat is heard in it.";
    },

    // -- buses and tracks ------------------------------------------------------------------------------------

    loudOf(bus) {
      const lufs = this.loud[bus.name];
      return lufs === undefined ? "" : lufs === null ? "silent" : `${signed(lufs)} LUFS`;
    },
    setBus(bus, change) { return page.episode.edit({ edit: "set_bus", bus: bus.name, ...change }); },
    setBusNumber(bus, name, { target }) {
      target.value = page.balance.within(target, Number(target.min), Number(target.max));
      return this.setBus(bus, { [name]: Number(target.value) });
    },
    resetBus(bus, name) { return this.setBus(bus, { [name]: 0 }); },
    toggleBus(bus) { return this.setBus(bus, { muted: !bus.muted }); },
    setRoom(bus, event) { return this.setBus(bus, { room: event.target.value }); },
    busTracks(bus) { return page.episode.tracks.filter((track) => KINDS[bus.name].includes(track.kind)); },
    isBusAlone(bus) {
      const own = this.busTracks(bus);
      return own.length > 0 && own.length === page.transport.solo.length && own.every((track) => page.transport.isSolo(track));
    },
    toggleBusAlone(bus) { page.transport.hearOnly(this.isBusAlone(bus) ? [] : this.busTracks(bus)); },

    underOf(track) { return track.under ? track.under.lu : 0; },
    underText(track) {
      if (!track.under) return `as it was set: −${this.depthDb} dB`;
      return track.under.lu ? `${track.under.lu} LU` : "stays as it is";
    },
    setUnder(track, name, { target }) {
      target.value = page.balance.within(target, Number(target.min), Number(target.max));
      return page.episode.edit({ edit: "set_under", track: track.id, [name]: Number(target.value) });
    },
    resetUnder(track) { return page.episode.edit({ edit: "set_under", track: track.id, lu: USUAL_UNDER }); },
    roomOf(thing) {
      const send = thing ? thing.sends.find((candidate) => candidate.bus === "room") : null;
      return send ? send.level_db : ROOM_OFF;
    },
    roomText(thing) { return this.roomOf(thing) === ROOM_OFF ? "dry" : `${signed(this.roomOf(thing))} dB`; },
    sendTrack(track, { target }) { return page.episode.edit({ edit: "set_send", track: track.id, bus: "room", ...this.sent(target) }); },
    sendPiece({ target }) {
      return page.episode.edit({ edit: "send_clip", clip: page.selection.piece.id, bus: "room", ...this.sent(target) });
    },
    sent: ({ value }) => (Number(value) > ROOM_OFF ? { level_db: Number(value) } : {}),
    dryTrack(track) { return page.episode.edit({ edit: "set_send", track: track.id, bus: "room" }); },

    // -- over time ---------------------------------------------------------------------------------------------

    get rideText() {
      const { range } = page.selection;
      const one = range && range.track !== null ? page.episode.tracks.find((track) => track.id === range.track) : null;
      return one ? one.name : "all music and effects";
    },
    lower() { return this.ride(-RIDE_DB); },
    lift() { return this.ride(RIDE_DB); },
    // A stretch of what is chosen: one person, the track of the chosen piece, or all music and effects.
    ride(db) {
      if (page.hand.needsSelection()) return null;
      const { start, stop, track } = page.selection.range;
      const others = page.episode.others.map((other) => other.id);
      const tracks = track !== null ? [track] : others;
      if (!tracks.length) { page.problem = "There is no music and no effect here to be lifted or lowered."; return null; }
      const shoulder = Math.min(Math.round((stop - start) / 2), Math.round(RATE * (track === null ? 0.4 : 0.08)));
      return page.episode.edit({ edit: "ride", start, stop, db, tracks, shoulder });
    },
    evenAgain() { return page.episode.edit({ edit: "set_envelope", clip: page.selection.piece.id, points: [] }); },
    // The points of the chosen piece's envelope, as a list to type in: places are of the episode.
    get points() {
      const { piece } = page.selection;
      return piece ? piece.envelope.map(([at, db], index) => ({ index, at, db, place: page.clock(at - piece.source + piece.start) })) : [];
    },
    // Bends the chosen piece's line as it stands once the edit's turn has come: what was done just before counts.
    bend(how) {
      const { id } = page.selection.piece;
      return page.episode.edit(() => {
        const piece = stage.doc.tracks.flatMap((track) => track.clips).find((clip) => clip.id === id);
        if (!piece) throw new Error("That piece is gone. Nothing was changed.");
        return { edit: "set_envelope", clip: id, points: how(piece) };
      });
    },
    // The same for one point of it, known by its place in the recording.
    bendAt({ at }, how) {
      return this.bend(({ envelope, ...piece }) => {
        const index = envelope.findIndex((point) => point[0] === at);
        if (index < 0) throw new Error("That point is gone. Nothing was changed.");
        return how(envelope, index, piece);
      });
    },
    addPoint() {
      const { playhead } = page.transport;
      return this.bend((piece) => {
        const place = piece.source + Math.round(Math.min(Math.max(playhead - piece.start, 0), piece.length));
        if (piece.envelope.some(([at]) => at === place)) throw new Error("A point of its line is there already.");
        return pointed(piece.envelope, place);
      });
    },
    setPointDb(point, { target }) {
      target.value = page.balance.within(target, -60, 24);
      const db = Number(target.value);
      return this.bendAt(point, (points, index) => moved(points, index, [point.at, db]));
    },
    setPointPlace(point, { target }) {
      const typed = placeOf(target.value, RATE);
      if (typed === null) {
        page.problem = `“${target.value}” is not a time. Write it as 0:04:20, 4:20 or 260.`;
        target.value = point.place;
        return null;
      }
      return this.bendAt(point, (points, index, { start, source }) => moved(points, index, [typed - start + source, points[index][1]]));
    },
    removePoint(point) { return this.bendAt(point, without); },
    get isBent() { return page.selection.piece !== null && page.selection.piece.envelope.length > 0; },
    setShape(name, event) { return page.episode.edit({ edit: "set_clip", clip: page.selection.piece.id, [name]: event.target.value }); },

    // -- special voices --------------------------------------------------------------------------------------

    setSpecial(name, event) {
      this.special = { ...this.special, [name]: name === "amount" ? Number(event.target.value) : event.target.value };
      remember("special", this.special);
    },
    isSpecial(kind) { return this.special.kind === kind; },
    // What it would be for: what is selected of one person, or the chosen piece.
    get specialFor() {
      const { range, piece, selectsOne } = page.selection;
      if (selectsOne) return { track: range.track, start: range.start, stop: range.stop, name: this.rideText };
      return piece ? { track: piece.track, start: piece.start, stop: piece.start + piece.length, name: piece.trackName } : null;
    },
    get specialText() { return this.specialFor ? this.specialFor.name : ""; },
    putThrough() { return this.throughSpecial(this.special.amount); },
    asItWas() { return this.throughSpecial(0); },
    throughSpecial(amount) {
      const { track, start, stop } = this.specialFor;
      return page.episode.edit({ edit: "special_stretch", track, start, stop, kind: this.special.kind, amount });
    },
    specialOf(track) { return track.special ? track.special.kind : ""; },
    setTrackSpecial(track, { target }) {
      const kind = target.value || this.special.kind;
      return page.episode.edit({ edit: "special_track", track: track.id, kind, amount: target.value ? this.special.amount : 0 });
    },

    // -- beats -------------------------------------------------------------------------------------------------

    // Places of beats or bars of a clip, as frames of the episode.
    placesOf(clip, bars) {
      const told = this.beats[clip.recording];
      const pace = RATE / paceOf(stage.doc, clip.recording);
      const seconds = told ? (bars ? told.bars_s : told.beats_s) : [];
      return seconds.map((second) => Math.round(clip.start + second * pace - clip.source));
    },
    // An edge that is dropped next to a beat of its own music falls on it.
    onBeat(id, at) {
      const clip = stage.doc.tracks.flatMap((track) => track.clips).find((candidate) => candidate.id === id);
      const near = clip ? this.placesOf(clip, false).find((place) => Math.abs(place - at) < SNAP_S * RATE) : undefined;
      return near ?? at;
    },
    repeatBar() { return this.withBar("repeat_part"); },
    leaveOutBar() { return this.withBar("leave_out_part"); },
    withBar(edit) {
      const { piece } = page.selection;
      const here = page.transport.playhead;
      const bars = this.placesOf(piece, true).filter((place) => place >= piece.start && place <= piece.start + piece.length);
      const next = bars.findIndex((place) => place > here);
      if (next < 1) { page.problem = "No whole bar of this piece lies at the playhead."; return null; }
      return page.episode.edit({ edit, clip: piece.id, start: bars[next - 1], stop: bars[next] });
    },
    async fitTo(event) {
      const length_s = Number(event.target.value);
      event.target.value = "";
      if (!(length_s > 0)) return;
      const { piece } = page.selection;
      const path = `/api/episodes/${page.episode.id}/clips/${piece.id}/fit`;
      if (await page.attempt(() => api.post(path, { length_s }))) page.say(`It is being fitted to ${length_s} s.`);
    },

    // -- set around the talk -----------------------------------------------------------------------------------

    isWay(name) { return this.way === name; },
    setWay(name) { this.way = name; this.piece = null; remember("music-way", name); },
    get asks() {
      return [...WAYS[this.way].asks, ["under_lu", "Under the talk, LU", USUAL_UNDER]].map(([name, label, usual]) => ({
        name, label, key: `${this.way}-${name}`, value: this.asked[`${this.way}-${name}`] ?? usual,
      }));
    },
    ask(question, { target }) {
      const value = page.balance.within(target, 0, 3600);
      this.asked = { ...this.asked, [question.key]: value };
      remember("music-asked", this.asked);
    },
    // As long as asks for: the longest piece opens and ends, the shortest is a sting, and a bed is called one.
    get pieceId() {
      const known = this.pieces.find((piece) => piece.id === this.piece);
      if (known) return known.id;
      const long = [...this.pieces].sort((a, b) => b.length - a.length);
      const beds = long.filter((piece) => `${piece.name} ${piece.tags}`.toLowerCase().includes("bed"));
      const [best] = { sting: long.slice(-1), bed: [...beds, ...long] }[this.way] ?? long;
      return best ? best.id : null;
    },
    choosePiece(event) { this.piece = Number(event.target.value) || null; },
    // The chosen piece from the playhead on, under whoever talks there, before anything is laid.
    async hearPiece() {
      if (!this.pieces.length) await this.readPieces();
      const piece = this.pieces.find((candidate) => candidate.id === this.pieceId);
      if (!piece) { page.problem = "There is no music in the larder yet. Bring some in, in Gather."; return null; }
      const at = page.transport.playhead;
      return page.transport.playRange(at, at + piece.length, { piece: { id: piece.id, at, end: at + piece.length } });
    },
    get setText() { return `Set the ${this.way}`; },
    async setAround() {
      if (!this.pieces.length) await this.readPieces();
      const piece = this.pieceId;
      if (piece === null) { page.problem = "There is no music in the larder yet. Bring some in, in Gather."; return null; }
      const told = Object.fromEntries(this.asks.map(({ name, value }) => [name, value]));
      const { playhead } = page.transport;
      if (this.way === "sting") Object.assign(told, { at: playhead });
      if (this.way === "bed") {
        const range = page.selection.hasRange ? page.selection.range : this.spotAt(playhead);
        if (!range) { page.problem = "Select what the bed is to lie under, or put the playhead on a spot."; return null; }
        Object.assign(told, { start: range.start, stop: range.stop });
      }
      const say = `The ${this.way} lies in its place. Ctrl Z takes it back.`;
      return page.balance.ask("music", { what: this.way, piece, ...told }, say);
    },
    spotAt(place) {
      for (const track of stage.doc.tracks.filter((candidate) => candidate.kind === "spot")) {
        const clip = track.clips[firstEndingAfter(track.clips, place)];
        if (clip && clip.start <= place) return { start: clip.start, stop: clip.start + clip.length };
      }
      return null;
    },
  };
}
