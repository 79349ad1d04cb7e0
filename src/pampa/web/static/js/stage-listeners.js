// Send out, for listeners: title and notes, chapters, artwork, as a player shows them.

import { api } from "./api.js";
import { RATE } from "./constants.js";
import { placeOf } from "./time.js";

const SOON_MS = 500;

/** @param {import("./page.js").Page} page */
export function listeners(page, data) {
  const path = () => `/api/episodes/${page.episode.id}/listeners`;
  const ofShow = `/api/shows/${data.show.id}/listeners`;
  let timer = 0;
  return {
    seen: null,
    pattern: data.ofShow.notes_pattern,
    fields: "{title} {number} {season} {show} {host} {date} {people} {chapters} {links} {length}",

    show() { return this.read(); },
    async read() {
      const told = await api.get(path()).catch(() => null);
      if (told) this.take(told);
    },
    take(seen) {
      this.seen = seen;
      page.episode.about = { ...page.episode.about, title: seen.title, number: seen.number };
      // Made harmless by the server: only what notes may hold is in it.
      const notes = document.getElementById("notes-preview");
      if (notes) notes.innerHTML = seen.html;
    },
    change(change) { return page.attempt(async () => this.take(await api.patch(path(), change))); },
    setTitle({ target }) { return this.change({ title: target.value }); },
    setNumber({ target }) { return this.change({ number: target.value === "" ? null : Number(target.value) }); },
    setSeason({ target }) { return this.change({ season: Number(target.value) || 0 }); },
    setDate({ target }) { return this.change({ date: target.value }); },
    setLink({ target }) { return this.change({ link: target.value.trim() }); },
    get title() { return this.seen ? this.seen.title : page.episode.about.title; },
    get number() { return this.seen ? this.seen.number ?? "" : ""; },
    get season() { return this.seen ? this.seen.words.season || "" : ""; },
    get date() { return this.seen ? this.seen.words.date || new Date().toISOString().slice(0, 10) : ""; },
    get link() { return this.seen ? this.seen.words.link : ""; },
    get byline() {
      const season = this.season ? `season ${this.season}` : "";
      const number = this.number === "" ? "" : `episode ${this.number}`;
      return [data.show.name, season, number, this.date].filter(Boolean).join(" · ");
    },

    // -- notes -------------------------------------------------------------------------------------------

    get ownNotes() { return this.seen !== null && this.seen.words.notes !== null; },
    get notesText() { return this.seen ? this.seen.words.notes ?? this.pattern : ""; },
    typed({ target }) {
      clearTimeout(timer);
      timer = setTimeout(() => this.setNotes(target.value), SOON_MS);
    },
    // Whoever goes elsewhere at once has written it all the same.
    written({ target }) { return target.value === this.notesText ? null : this.setNotes(target.value); },
    setNotes(text) {
      clearTimeout(timer);
      return text === this.pattern && !this.ownNotes ? null : this.change({ notes: text });
    },
    patternAgain() { return this.change({ pattern_again: true }); },
    keepAsPattern() {
      return page.attempt(async () => {
        const told = await api.patch(ofShow, { notes_pattern: this.notesText });
        this.pattern = told.notes_pattern;
        await this.change({ pattern_again: true });
        page.say(`The notes of ${data.show.name} begin with this from now on.`);
      });
    },

    // -- artwork -----------------------------------------------------------------------------------------

    get artwork() { return this.seen ? this.seen.artwork : ""; },
    get artworkAddress() { return this.artwork ? `/api/artworks/${this.artwork}` : null; },
    get artworkSays() { return this.seen ? this.seen.artwork_findings.join(" ") : ""; },
    async kept(event) {
      const [file] = event.target.files;
      event.target.value = "";
      return file ? api.postBytes("/api/artworks", file) : null;
    },
    setArtwork(event, whole) {
      return page.attempt(async () => {
        const made = await this.kept(event);
        if (!made) return;
        if (whole) await api.patch(ofShow, { artwork: made.sha256 });
        await this.change(whole ? {} : { artwork: made.sha256 });
      });
    },
    setShowArtwork(event) { return this.setArtwork(event, true); },
    setEpisodeArtwork(event) { return this.setArtwork(event, false); },

    // -- chapters ----------------------------------------------------------------------------------------

    get chapters() { return page.episode.markers; },
    chapterPicture: (marker) => (marker.picture ? `/api/artworks/${marker.picture}` : null),
    async edited(edit) { await page.episode.edit(edit); return this.read(); },
    addChapter() { return this.edited({ edit: "add_marker", at: page.transport.playhead, name: "" }); },
    setChapter(marker, name, { target }) { return this.edited({ edit: "set_marker", marker: marker.id, [name]: target.value.trim() }); },
    toggleChapter(marker) { return this.edited({ edit: "set_marker", marker: marker.id, chapter: !marker.chapter }); },
    moveChapter(marker, { target }) {
      const at = placeOf(target.value, RATE);
      if (at === null) {
        page.problem = `“${target.value}” is not a time. Write it as 0:04:20, 4:20 or 260.`;
        target.value = page.clock(marker.at);
        return null;
      }
      return this.edited({ edit: "set_marker", marker: marker.id, at });
    },
    setChapterPicture(marker, event) {
      return page.attempt(async () => {
        const made = await this.kept(event);
        if (made) await this.edited({ edit: "set_marker", marker: marker.id, picture: made.sha256 });
      });
    },
    removeChapter(marker) { return this.edited({ edit: "remove_marker", marker: marker.id }); },
    seenChapter: (chapter) => page.shortClock(Math.floor(chapter.start_s) * RATE),
    get seenChapters() { return this.seen ? this.seen.chapters : []; },
    chaptersAddress: (kind) => `/api/episodes/${page.episode.id}/chapters.${kind}`,
  };
}
