// Balance: how each voice is treated, and how music lies under the talk.

import { api } from "./api.js";
import { signed } from "./time.js";

/** @param {import("./page.js").Page} page */
export function balance(page, data) {
  return {
    voiceSettings: data.settings,
    duckingDb: 12,
    reports: {}, // by track and stage: what the stage does, in words and numbers

    // Known of what has been computed, which the loudness has been measured on as well.
    async read() {
      if (!page.isStage("balance")) return;
      this.reports = await api.get(`/api/episodes/${page.episode.id}/voices`).catch(() => this.reports);
    },
    reportOf(setting, track) { return this.reports[track.id]?.[setting.stage] ?? ""; },
    set(track, change) { return page.episode.edit({ edit: "set_track", track: track.id, ...change }); },
    toggleTreated(track) { return this.set(track, { treated: !track.treated }); },
    toggleMuted(track) { return this.set(track, { muted: !track.muted }); },
    togglePinned(track) { return this.set(track, { pinned: !track.pinned }); },
    setGain(track, event) { return this.set(track, { gain_db: Number(event.target.value) }); },
    renameTrack(track, event) { return this.set(track, { name: event.target.value }); },
    removeTrack(track) { return page.episode.edit({ edit: "remove_track", track: track.id }); },
    setRecipe(track, name, event) {
      const recipe = { ...track.recipe, [name]: Number(event.target.value) };
      return page.episode.edit({ edit: "set_recipe", track: track.id, recipe });
    },
    setDucking(event) { return page.episode.edit({ edit: "set_ducking", depth_db: Number(event.target.value) }); },
    db: (value) => signed(value),
    settingName(setting, track) {
      const value = track.recipe[setting.name];
      if (setting.unit === "dB") return signed(value);
      return value === setting.off ? "off" : `${value.toFixed(setting.step < 1 ? 1 : 0)} ${setting.unit}`;
    },
    fieldId: (name, track) => `${name}-${track.id}`,
    muteLabel: (track) => `${track.muted ? "Unmute" : "Mute"} ${track.name}`,
    soloLabel: (track) => `Hear ${track.name} alone`,
  };
}
