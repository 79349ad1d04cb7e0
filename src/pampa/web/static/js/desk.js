// The desk: each episode drawn small, what it needs next, and files that are dropped onto a show.

import { api } from "./api.js";
import { RATE } from "./constants.js";
import { stalkShare } from "./geometry.js";
import { level, shortClock } from "./time.js";
import { upload } from "./uploads.js";

export const nextTitle = (show) => `Episode ${Math.max(0, ...show.episodes.map((episode) => episode.number ?? 0)) + 1}`;

const COLUMNS = 160;
const MIDDLE = 20;
const GLANCES = 12; // of each show: the newest
const SHOWN = 40; // likewise, until the earlier ones are asked for: a list of hundreds takes seconds to be made

// One person's talk as one path of strokes, above or below the horizon.
function strokes(person, sign) {
  const parts = [];
  person.levels.forEach((byte, column) => {
    const height = stalkShare(byte, person.gain_db) * (MIDDLE - 1);
    if (height > 0.5) parts.push(`M${((column + 0.5) / person.levels.length) * COLUMNS} ${MIDDLE}v${sign * height}`);
  });
  return parts.join("");
}

export function desk(page, data) {
  return {
    glances: {},
    over: null,
    sending: null,
    uploads: [],
    whole: [], // the shows of which all episodes are listed

    isWhole(show) { return this.whole.includes(show.id) || show.episodes.length <= SHOWN; },
    episodesOf(show) { return this.isWhole(show) ? show.episodes : show.episodes.slice(0, SHOWN); },
    earlierOf(show) { return `Show ${show.episodes.length - SHOWN} earlier episodes`; },
    listWhole(show) { this.whole = [...this.whole, show.id]; },

    async lookAtAll() {
      for (const show of data.shows) {
        for (const episode of show.episodes.slice(0, GLANCES)) await this.look(episode);
      }
    },
    async look(episode) {
      const glance = await api.get(`/api/episodes/${episode.id}/glance`).catch(() => null);
      if (glance) this.glances = { ...this.glances, [episode.id]: glance };
    },
    glanceOf(episode) { return this.glances[episode.id] ?? null; },
    drawingOf(episode, side) {
      const people = this.glanceOf(episode)?.people ?? [];
      return people.filter((_, n) => n % 2 === side).map((person) => strokes(person, side ? 1 : -1)).join("") || "M0 20h0";
    },
    stepOf(episode) { return this.glanceOf(episode)?.step.told ?? ""; },
    lengthOf(episode) {
      const glance = this.glanceOf(episode);
      return glance && glance.length ? shortClock(glance.length, RATE) : "";
    },
    loudnessOf(episode) {
      const lufs = this.glanceOf(episode)?.lufs ?? null;
      return lufs === null ? "" : `${level(lufs)} LUFS`;
    },
    // An episode opens where its next step is.
    address(episode) { return `/episodes/${episode.id}/${this.glanceOf(episode)?.step.stage ?? "prune"}`; },
    openName(episode) {
      const stage = this.glanceOf(episode)?.step.stage;
      return stage ? data.stages[stage] : "Open";
    },

    isOver(show) { return this.over === show.id; },
    isSending(show) { return this.sending === show.id; },
    dropClass(show) { return this.isOver(show) ? "dropping" : ""; },
    dragOver(show) { this.over = show.id; },
    dragLeft(event) { if (!event.currentTarget.contains(event.relatedTarget)) this.over = null; },
    dropped(show, event) {
      this.over = null;
      const files = [...event.dataTransfer.files];
      if (files.length && this.sending === null) return this.begin(show, files);
    },
    begin(show, files) {
      return page.attempt(async () => {
        this.sending = show.id;
        try {
          const episode = await api.post(`/api/shows/${show.id}/episodes`, { title: nextTitle(show) });
          this.uploads = files.map((file) => ({ name: file.name, share: 0 }));
          for (const [n, file] of files.entries()) {
            await upload(`/api/episodes/${episode.id}/uploads`, file, {
              onShare: (share) => {
                this.uploads[n].share = share;
              },
              signal: new AbortController().signal,
            });
          }
          window.location.href = `/episodes/${episode.id}/gather`;
        } finally {
          this.sending = null;
          this.uploads = [];
        }
      });
    },
  };
}
