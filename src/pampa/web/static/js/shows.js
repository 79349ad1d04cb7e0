// The page of shows.

import { api } from "./api.js";
import { desk, nextTitle } from "./desk.js";
import { disk } from "./disk.js";
import { forGood } from "./for-good.js";

const data = JSON.parse(document.getElementById("page-data").textContent);

const shows = {
  guarded: data.guarded,
  shows: data.shows,
  archived: data.archived,
  name: "",
  host: "",
  problem: "",
  desk: null, // these two come with the page
  disk: null,
  get hasArchived() { return this.archived.shows.length + this.archived.episodes.length > 0; },
  get isEmpty() { return this.shows.length === 0; },

  init() { this.desk.lookAtAll(); },
  // One that was deleted for good.
  gone(kind, id) {
    this.archived[kind] = this.archived[kind].filter((other) => other.id !== id);
    if (kind === "shows") this.archived.episodes = this.archived.episodes.filter((episode) => episode.show_id !== id);
  },

  async attempt(work) {
    this.problem = "";
    try {
      await work();
    } catch (error) {
      this.problem = error.message;
    }
  },
  makeShow() {
    return this.attempt(async () => {
      const show = await api.post("/api/shows", { name: this.name, host: this.host });
      this.shows.push({ ...show, episodes: [], patterns: [] });
      this.name = "";
      this.host = "";
    });
  },
  makeEpisode(show) {
    return this.attempt(async () => {
      const episode = await api.post(`/api/shows/${show.id}/episodes`, { title: nextTitle(show) });
      window.location.href = `/episodes/${episode.id}/gather`;
    });
  },
  makeFrom(show, pattern) {
    return this.attempt(async () => {
      const episode = await api.post(`/api/patterns/${pattern.id}/episodes`, { title: nextTitle(show) });
      window.location.href = `/episodes/${episode.id}/gather`;
    });
  },
  forgetPattern(show, pattern) {
    return this.attempt(async () => {
      await api.remove(`/api/patterns/${pattern.id}`);
      show.patterns = show.patterns.filter((other) => other.id !== pattern.id);
    });
  },
  fromName: (pattern) => `New from “${pattern.name}”`,
  titleFor: (pattern) => `Begin with ${pattern.people.join(", ")}, and the music in its places`,
  renameShow(show, event) {
    return this.attempt(() => api.patch(`/api/shows/${show.id}`, { name: event.target.value }));
  },
  renameEpisode(episode, event) {
    return this.attempt(() => api.patch(`/api/episodes/${episode.id}`, { title: event.target.value }));
  },
  archiveShow(show, archived) {
    return this.attempt(async () => {
      await api.patch(`/api/shows/${show.id}`, { archived });
      window.location.reload();
    });
  },
  archiveEpisode(episode, archived) {
    return this.attempt(async () => {
      await api.patch(`/api/episodes/${episode.id}`, { archived });
      window.location.reload();
    });
  },
  seriesOf: (show) => `/shows/${show.id}/series`,
  numbered: (episode) => (episode.number === null ? "–" : String(episode.number)),
  labelFor: (what, name) => `${what} ${name}`,
  signOut() {
    return this.attempt(async () => {
      await api.post("/sign-out");
      window.location.href = "/sign-in";
    });
  },
};

document.addEventListener("alpine:init", () => {
  const page = window.Alpine.reactive(shows);
  Object.assign(page, { desk: desk(page, data), disk: disk(page), forGood: forGood(page, (kind, id) => page.gone(kind, id)) });
  window.Alpine.data("showsPage", () => page);
});
