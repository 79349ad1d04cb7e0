// Patterns: keep one of this episode, and lay the ending of the one that it began from.

import { api } from "./api.js";

/** @param {import("./page.js").Page} page */
export function patterns(page, data, stage) {
  return {
    ending: [],

    refreshEnding() {
      const lies = (piece) =>
        stage.doc.tracks.some((track) => track.clips.some((clip) => clip.recording === piece.recording && clip.source === piece.source));
      const ending = (data.choices.ending ?? []).filter((piece) => !lies(piece));
      if (ending.length !== this.ending.length) this.ending = ending;
    },
    get endingText() {
      return this.ending.length === 1
        ? "A piece of the pattern waits for the end of the talk."
        : `${this.ending.length} pieces of the pattern wait for the end of the talk.`;
    },
    layEnding() {
      return page.episode.inTurn(async () => {
        page.episode.takeChange(await api.post(`/api/episodes/${page.episode.id}/ending`, { revision: page.episode.revision }));
        page.say("The ending lies as far from the last words as it did in the pattern.");
      });
    },
    keepPattern() {
      const name = /** @type {HTMLInputElement} */ (document.getElementById("pattern-name")).value;
      return page.attempt(async () => {
        await api.post(`/api/episodes/${page.episode.id}/pattern`, { name });
        page.say(`The pattern ${name} is kept. On the page of shows, a new episode can begin with it.`);
      });
    },
  };
}
