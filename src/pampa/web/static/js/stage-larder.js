// The larder in Gather: search it, listen in place, use a piece, tag it, bring files in.

import { api } from "./api.js";
import { RATE } from "./constants.js";
import { level, placeOf } from "./time.js";
import { chosen, mayHoldSound } from "./folders.js";
import { upload } from "./uploads.js";

const KINDS = { all: "All", music: "Music", effects: "Effects", spot: "Spots", "room tone": "Room tone" };
const LENGTHS = [
  { name: "any length" },
  { name: "under 10 s", longest: 10 },
  { name: "10 to 60 s", shortest: 10, longest: 60 },
  { name: "over a minute", shortest: 60 },
];
const HEARD_S = 30;
// Letters of tags that a piece may have.
const TAGS = 400;
const EMPTY =
  "Nothing is in the larder yet. Drop music, effects and spots here, or send recordings of an episode: " +
  "choose them under Recordings, then To the larder.";

/** @param {import("./page.js").Page} page */
export function larder(page, data, stage) {
  let turn = 0;
  return {
    words: "",
    pieceKind: "all",
    pieceKinds: Object.keys(KINDS),
    pieceLength: LENGTHS[0].name,
    pieceLengths: LENGTHS,
    pieces: [],
    piecesTotal: null,
    heardPiece: null,
    removedPiece: null,
    useAt: "playhead",
    useTime: "0:00:00",

    idents: [],
    async readIdents() {
      const path = `/api/shows/${data.show.id}/idents`;
      this.idents = await api.get(path).catch(() => this.idents);
      if (this.idents.some((ident) => ident.piece !== null && !ident.current)) api.post(`${path}/renew`).catch(() => {});
    },
    identState: (ident) => (ident.piece === null ? "not made yet" : ident.current ? "in the larder" : "has changed: made again"),
    identHref: (ident) => `/episodes/${ident.episode}/gather`,
    beginIdent() {
      const field = /** @type {HTMLInputElement} */ (document.getElementById("new-ident"));
      const name = field.value.trim();
      if (!name) { field.focus(); return null; }
      return page.attempt(async () => {
        const made = await api.post(`/api/shows/${data.show.id}/idents`, { name });
        window.location.assign(this.identHref(made));
      });
    },

    // While somebody types, the answer to the last letter is what counts.
    async read() {
      this.readIdents();
      const mine = ++turn;
      const span = LENGTHS.find((candidate) => candidate.name === this.pieceLength);
      const asked = new URLSearchParams({ words: this.words });
      if (this.pieceKind !== "all") asked.set("kind", this.pieceKind);
      if (span.shortest) asked.set("shortest_s", String(span.shortest));
      if (span.longest) asked.set("longest_s", String(span.longest));
      const found = await api.get(`/api/shows/${data.show.id}/larder?${asked}`).catch(() => null);
      if (!found || mine !== turn) return;
      this.pieces = found.pieces;
      this.piecesTotal = found.total;
      this.drawPieces();
    },
    drawPieces() {
      const pieces = this.pieces.map((piece) => ({
        id: piece.id,
        start: piece.start,
        frames: piece.length,
        kind: piece.kind,
        person: null,
        ready: true,
      }));
      const takes = page.pickUp.takes
        .filter((take) => take.recording !== null)
        .map((take) => ({ id: take.recording, start: 0, frames: take.length, kind: "person", person: 0, ready: true }));
      window.Alpine.nextTick(() => { stage.pieceRows.show(pieces); stage.takeRows.show(takes); });
    },
    seekPieces(event) { this.words = event.target.value; return this.read(); },
    isPieceKind(kind) { return this.pieceKind === kind; },
    setPieceKind(kind) { this.pieceKind = kind; this.read(); },
    setPieceLength(event) { this.pieceLength = event.target.value; this.read(); },
    pieceKindName: (kind) => KINDS[kind],
    pieceLoudness: (piece) => (piece.loudness_lufs === null ? "–" : `${level(piece.loudness_lufs)} LUFS`),
    pieceBeat: (piece) => (piece.bpm === null ? "" : `${Math.round(piece.bpm)} bpm`),
    get says() {
      if (this.piecesTotal === null) return "";
      if (this.piecesTotal > this.pieces.length)
        return `The first ${this.pieces.length} of ${this.piecesTotal}. Another word narrows them down.`;
      if (this.piecesTotal > 0) return "";
      const narrowed = this.words || this.pieceKind !== "all" || this.pieceLength !== LENGTHS[0].name;
      return narrowed
        ? "Nothing in the larder is like that. Use fewer words, or another kind."
        : EMPTY;
    },

    // -- listening ---------------------------------------------------------------------------------------

    isHeard(piece) { return this.heardPiece === piece.id; },
    hearLabel(piece) { return this.isHeard(piece) ? `Stop ${piece.name}` : `Listen to ${piece.name}`; },
    hearFrom(piece, event) {
      const box = event.target.getBoundingClientRect();
      this.heardPiece = null;
      return this.hearPiece(piece, Math.round(((event.clientX - box.left) / box.width) * piece.length));
    },
    async hearPiece(piece, start) {
      if (this.isHeard(piece)) return stage.snippet.stop();
      const frames = Math.min(piece.length - start, HEARD_S * RATE);
      return page.attempt(async () => {
        await stage.snippet.play(`/api/recordings/${piece.id}/sound?start=${piece.start + start}&frames=${Math.max(frames, 1)}`);
        this.heardPiece = piece.id;
      });
    },

    // -- using and changing ------------------------------------------------------------------------------

    get usePlace() {
      return this.useAt === "start" ? 0 : this.useAt === "playhead" ? page.transport.playhead : placeOf(this.useTime, RATE) ?? 0;
    },
    get useTitle() { return `Lay it into the episode at ${page.clock(this.usePlace)}`; },
    setUseTime(event) {
      if (placeOf(event.target.value, RATE) === null) {
        page.problem = `“${event.target.value}” is not a time. Write it as 0:04:20, 4:20 or 260.`;
        return;
      }
      this.useTime = event.target.value;
    },
    usePiece(piece) {
      const start = this.usePlace;
      return page.episode.inTurn(async () => {
        page.episode.takeChange(
          await api.post(`/api/episodes/${page.episode.id}/larder/${piece.id}`, { revision: page.episode.revision, start }),
        );
        page.say(`${piece.name} lies at ${page.clock(start)}.`);
      });
    },
    changePiece(piece, change) {
      return page.attempt(async () => { await api.patch(`/api/larder/${piece.id}`, change); await this.read(); });
    },
    renamePiece(piece, event) { return this.changePiece(piece, { name: event.target.value }); },
    tagPiece(piece, event) { return this.changePiece(piece, { tags: event.target.value }); },
    changePieceKind(piece, event) { return this.changePiece(piece, { kind: event.target.value }); },
    async removePiece(piece) { await this.changePiece(piece, { removed: true }); this.removedPiece = piece; },
    async bringPieceBack() { await this.changePiece(this.removedPiece, { removed: false }); this.removedPiece = null; },
    chooseFolder() { document.getElementById("larder-folder").click(); },
    folderChosen(event) {
      const found = chosen(event.target.files);
      event.target.value = "";
      return this.bringIn(found);
    },
    // A folder's names become tags; one that is called like a kind says what lies in it.
    bringIn(found) {
      const taken = found.filter(mayHoldSound);
      const left = found.length - taken.length;
      if (left) page.say(`${left} ${left === 1 ? "file is" : "files are"} no sound and stayed where they are.`);
      const ofKind = (folders) => Object.keys(KINDS).find((kind) => kind !== "all" &&
        folders.some((folder) => [kind, KINDS[kind].toLowerCase()].includes(folder.toLowerCase())));
      const shown = this.pieceKind === "all" ? "music" : this.pieceKind;
      return page.gather.sendAll(taken.map(({ file }) => file), (file, options, index) => {
        const { folders } = taken[index];
        const details = { kind: ofKind(folders) ?? shown, tags: folders.join(" ").slice(0, TAGS) };
        return upload(`/api/shows/${data.show.id}/larder/uploads`, file, { ...options, details });
      });
    },
    keep(recording, details) {
      return api.post(`/api/recordings/${recording.id}/keep`, {
        name: recording.person || recording.name.replace(/\.\w+$/, ""),
        ...details,
      });
    },
    keepRoom() {
      const recording = page.gather.examinedRecording;
      const [start, length] = page.gather.checkupOf(recording).room_tone;
      return page.attempt(async () => {
        await this.keep(recording, {
          kind: "room tone",
          name: `Room tone, ${recording.person || recording.name}`,
          start: Math.round(start * RATE),
          length: Math.round(length * RATE),
        });
        page.say("The room tone is kept in the larder.");
      });
    },
  };
}
