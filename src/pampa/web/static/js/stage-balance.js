// Balance: how each voice is treated, and how music lies under the talk.

import { api } from "./api.js";
import { RATE } from "./constants.js";
import { paceOf } from "./geometry.js";
import { signed } from "./time.js";

const TURN_DB = 3;
const [MOST_DB, LEAST_DB] = [60, -12];
const HIGHEST_HZ = RATE / 2;

// What of a track's clips lies in a range, as places of their recordings, each on its own clock, in seconds.
function placesWithin(doc, track, { start, stop }) {
  return track.clips.filter((clip) => clip.start < stop && clip.start + clip.length > start).map((clip) => {
    const seconds = (place) => (clip.source + place - clip.start) * paceOf(doc, clip.recording) / RATE;
    const [first, last] = [Math.max(start, clip.start), Math.min(stop, clip.start + clip.length)];
    return { recording: clip.recording, start_s: seconds(first), stop_s: seconds(last) };
  });
}

// Spots with one more that turns a place down by `db`; one that lies on the very place already is turned further.
export function turned(spots, { start_s, stop_s }, db) {
  const near = (one, other) => Math.abs(one - other) < 1e-3;
  const whole = (spot) => spot.how === "lower" && spot.low_hz === 0 && spot.high_hz >= HIGHEST_HZ;
  const old = spots.find((spot) => whole(spot) && near(spot.start_s, start_s) && near(spot.stop_s, stop_s));
  const by = Math.min(Math.max((old ? old.db : 0) + db, LEAST_DB), MOST_DB);
  const others = spots.filter((spot) => spot !== old);
  return by === 0 ? others : [...others, { start_s, stop_s, how: "lower", db: by, low_hz: 0, high_hz: HIGHEST_HZ }];
}

/** @param {import("./page.js").Page} page */
export function balance(page, data, stage) {
  return {
    voiceStages: data.voice.map(({ name, settings }) => ({
      name, main: settings.filter((setting) => !setting.more), more: settings.filter((setting) => setting.more),
    })),
    duckingDb: 12,
    reports: {}, // by track and stage: what the stage does, in words and numbers

    // Told once the loudness has been measured: what the stages take is known of the same sound by then.
    async read() {
      if (!page.isStage("balance")) return;
      const recipes = Object.fromEntries(page.episode.people.map((track) => [track.id, JSON.stringify(track.recipe)]));
      const told = await api.get(`/api/episodes/${page.episode.id}/voices`).catch(() => null);
      if (told) this.reports = Object.fromEntries(Object.entries(told).map(([id, words]) => [id, { words, recipe: recipes[id] }]));
    },
    // Nothing, until it is told again, where the recipe is another one by now.
    reportOf(part, track) {
      const report = this.reports[track.id];
      return report && report.recipe === JSON.stringify(track.recipe) ? report.words[part.name] ?? "" : "";
    },
    fit(track) {
      return page.episode.inTurn(async () => {
        const address = `/api/episodes/${page.episode.id}/voices/${track.id}/fit`;
        page.episode.takeChange(await api.post(address, { revision: page.episode.revision }));
        page.say(`${track.name} is even and near average speech now. Ctrl Z takes it back.`);
      });
    },
    // One word or more of one person, before the compressor.
    softer() { return this.turn(TURN_DB); },
    louder() { return this.turn(-TURN_DB); },
    async turn(db) {
      const { range } = page.selection;
      const track = page.selection.selectsOne ? stage.doc.tracks.find((candidate) => candidate.id === range.track) : null;
      const places = track && track.kind === "person" ? placesWithin(stage.doc, track, range) : [];
      if (!places.length) {
        page.problem = "Select what one person says: hold Alt while dragging over the sheet, then make it softer or louder.";
        return;
      }
      for (const recording of new Set(places.map((place) => place.recording))) {
        const made = await page.episode.edit(() => {
          const amounts = page.mend.amountsOf(recording);
          const here = places.filter((place) => place.recording === recording);
          const spots = here.reduce((all, place) => turned(all, place, db), amounts.spots);
          return { edit: "mend", name: page.episode.nameOf(recording), recordings: [recording], amounts: { ...amounts, spots } };
        });
        if (!made) return;
      }
      page.say(`${track.name} is ${Math.abs(db)} dB ${db > 0 ? "softer" : "louder"} there.`);
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
