// Patterns: keep one of this episode, and lay the ending of the one that it began from.

import { api } from "./api.js";

export function patterns(data, stage) {
  return {
    ending: [],

    refreshEnding() {
      const lies = (piece) => stage.doc.tracks.some((track) => track.clips.some((clip) => clip.recording === piece.recording && clip.source === piece.source));
      const ending = (data.choices.ending ?? []).filter((piece) => !lies(piece));
      if (ending.length !== this.ending.length) this.ending = ending;
    },
    get endingText() { return this.ending.length === 1 ? "A piece of the pattern waits for the end of the talk." : `${this.ending.length} pieces of the pattern wait for the end of the talk.`; },
    layEnding() {
      return this.inTurn(async () => {
        this.takeChange(await api.post(`/api/episodes/${this.episodeId}/ending`, { revision: this.revision }));
        this.say("The ending lies as far from the last words as it did in the pattern.");
      });
    },
    keepPattern() {
      const name = this.$refs.patternName.value;
      return this.attempt(async () => {
        await api.post(`/api/episodes/${this.episodeId}/pattern`, { name });
        this.say(`The pattern ${name} is kept. On the page of shows, a new episode can begin with it.`);
      });
    },
  };
}
