// Balance: how each voice is treated, and how music lies under the talk.

import { signed } from "./time.js";

export function balance() {
  return {
    duckingDb: 12,

    set(track, change) { return this.edit({ edit: "set_track", track: track.id, ...change }); },
    toggleTreated(track) { return this.set(track, { treated: !track.treated }); },
    toggleMuted(track) { return this.set(track, { muted: !track.muted }); },
    togglePinned(track) { return this.set(track, { pinned: !track.pinned }); },
    setGain(track, event) { return this.set(track, { gain_db: Number(event.target.value) }); },
    renameTrack(track, event) { return this.set(track, { name: event.target.value }); },
    removeTrack(track) { return this.edit({ edit: "remove_track", track: track.id }); },
    setRecipe(track, name, event) {
      return this.edit({ edit: "set_recipe", track: track.id, ...track.recipe, [name]: Number(event.target.value) });
    },
    setDucking(event) { return this.edit({ edit: "set_ducking", depth_db: Number(event.target.value) }); },
    db: (value) => signed(value),
    ratioName: (value) => (value <= 1 ? "off" : `${value.toFixed(1)} : 1`),
    lowCutName: (value) => (value <= 0 ? "off" : `${Math.round(value)} Hz`),
    fieldId: (name, track) => `${name}-${track.id}`,
    muteLabel: (track) => `${track.muted ? "Unmute" : "Mute"} ${track.name}`,
    soloLabel: (track) => `Hear ${track.name} alone`,
  };
}
