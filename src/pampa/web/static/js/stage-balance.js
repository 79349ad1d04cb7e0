// Balance: how each voice is treated, and how music lies under the talk.

import { api } from "./api.js";
import { signed } from "./time.js";

const SOON_MS = 300;

/** @param {import("./page.js").Page} page */
export function balance(page, data) {
  let timer = 0;
  return {
    voiceStages: data.voice.map(({ name, settings }) => ({
      name, main: settings.filter((setting) => !setting.more), more: settings.filter((setting) => setting.more),
    })),
    duckingDb: 12,
    reports: {}, // by track and stage: what the stage does, in words and numbers

    readSoon() {
      clearTimeout(timer);
      timer = setTimeout(() => this.read(), SOON_MS);
    },
    async read() {
      if (!page.isStage("balance")) return;
      this.reports = await api.get(`/api/episodes/${page.episode.id}/voices`).catch(() => this.reports);
    },
    reportOf(stage, track) { return this.reports[track.id]?.[stage.name] ?? ""; },
    fit(track) {
      return page.episode.inTurn(async () => {
        const address = `/api/episodes/${page.episode.id}/voices/${track.id}/fit`;
        page.episode.takeChange(await api.post(address, { revision: page.episode.revision }));
        page.say(`${track.name} is even and near average speech now. Ctrl Z takes it back.`);
      });
    },
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
      return setting.off !== null && value === setting.off ? "off" : `${value.toFixed(setting.step < 1 ? 1 : 0)} ${setting.unit}`.trim();
    },
    fieldId: (name, track) => `${name}-${track.id}`,
    muteLabel: (track) => `${track.muted ? "Unmute" : "Mute"} ${track.name}`,
    soloLabel: (track) => `Hear ${track.name} alone`,
  };
}
