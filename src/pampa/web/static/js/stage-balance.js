// Balance: how each voice is treated, and how music lies under the talk.

import { api } from "./api.js";
import { RATE } from "./constants.js";
import { paceOf } from "./geometry.js";
import { remember, remembered } from "./remembered.js";
import { signed } from "./time.js";

const LISTENING = "listening \u2026";
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

const TITLES = {
  level: "Level", tone: "Tone", bands: "Bands", compressor: "Compressor", sibilance: "Sibilance", warmth: "Warmth",
};

/** @param {import("./page.js").Page} page */
export function balance(page, data, stage) {
  return {
    voiceStages: data.voice.map(({ name, settings }) => ({
      name, title: TITLES[name], main: settings.filter((setting) => !setting.more), more: settings.filter((setting) => setting.more),
      single: settings.length === 1,
    })),
    reports: {}, // by track and stage: what the stage does, in words and numbers
    picked: null, // the number of the track whose voice is on show; none yet: the first one
    byLoudness: remembered("by-loudness", true),
    below: remembered("balance-below", "spectrum"), // what lies under the sheet
    taken: "", // the stage that is heard by what it takes away

    // -- what is on show -------------------------------------------------------------------------------------

    get voice() {
      const { people } = page.episode;
      return people.find((track) => track.id === this.picked) ?? people[0] ?? null;
    },
    get voiceName() { return this.voice ? this.voice.name : ""; },
    get recipe() { return this.voice ? this.voice.recipe : data.usualVoice; },
    get isTreated() { return this.voice !== null && this.voice.treated; },
    isPicked(track) { return this.voice !== null && this.voice.id === track.id; },
    pick(track) {
      this.stopTaken(); // it was of the voice that was on show
      this.picked = track.id;
      this.show();
    },
    countOf: (track) => (track.treated ? (track.muted ? "muted" : "") : "as recorded"),
    show() {
      if (!page.isStage("balance")) return;
      this.draw();
      this.read();
      page.tone.read();
      page.recipes.read();
      page.peaks.read();
      page.music.read();
    },
    // Once the loudness has been measured: what the chains do to this very sound is known by then.
    heardAnew() {
      if (!page.isStage("balance")) return;
      this.read();
      page.tone.read();
      page.peaks.read();
      page.music.read();
    },
    mended() { stage.curves.forget(); stage.sheet.arrived(); this.heardAnew(); },
    draw() { stage.sheet.show({ byLoudness: page.isStage("balance") && this.byLoudness }); },
    setByLoudness(byLoudness) {
      this.byLoudness = byLoudness;
      remember("by-loudness", byLoudness);
      this.draw();
    },
    setBelow(below) {
      this.below = below;
      remember("balance-below", below);
      page.tone.draw();
    },
    get showsSpectrum() { return page.isStage("balance") && this.below === "spectrum"; },

    async read() {
      if (!page.isStage("balance")) return;
      const recipes = Object.fromEntries(page.episode.people.map((track) => [track.id, JSON.stringify(track.recipe)]));
      const told = await api.get(`/api/episodes/${page.episode.id}/voices`).catch(() => null);
      if (told) this.reports = Object.fromEntries(Object.entries(told).map(([id, words]) => [id, { words, recipe: recipes[id] }]));
    },
    // Where the recipe is another one by now, what was told before stands until it is told again, as older: nothing below
    // moves under a hand. A stage that is off tells what a check-up has found for it.
    reportOf(part) {
      if (!this.voice) return "";
      const report = this.reports[this.voice.id];
      if (this.isOn(part)) return report?.words[part.name] ?? LISTENING;
      const clip = (stage.doc.tracks.find((track) => track.id === this.voice.id) ?? { clips: [] }).clips[0];
      const checkup = clip ? page.gather.checkups[clip.recording] : null;
      const finding = checkup ? checkup.findings.find((each) => each.process === part.name) : null;
      return finding ? finding.text : "";
    },
    isOlder(part) {
      const report = this.voice ? this.reports[this.voice.id] : null;
      return this.isOn(part) && Boolean(report) && report.recipe !== JSON.stringify(this.recipe);
    },
    isOn(part) {
      return [...part.main, ...part.more].some(({ name, off }) => off !== null && this.recipe[name] !== off);
    },
    // What the server sets by listening to a voice: one edit, in its turn.
    ask(path, body, say) {
      return page.episode.inTurn(async () => {
        const address = `/api/episodes/${page.episode.id}/${path}`;
        page.episode.takeChange(await api.post(address, { revision: page.episode.revision, ...body }));
        if (say) page.say(say);
      });
    },
    fit() {
      const { id, name } = this.voice;
      return this.ask(`voices/${id}/fit`, {}, `${name} is even and near average speech now. Ctrl Z takes it back.`);
    },
    bringNearer(event) {
      return this.ask(`voices/${this.voice.id}/nearer`, { amount: this.within(event.target, 0, 100) });
    },

    // -- hearing -------------------------------------------------------------------------------------------

    // What a stage takes away, alone and as loud as it is in the mix; again, and all is heard as treated.
    hearTaken(part) {
      this.taken = this.taken === part.name ? "" : part.name;
      stage.player.set({ taken: this.taken ? { track: this.voice.id, stage: this.taken } : null });
    },
    isTaken(part) { return this.taken === part.name; },
    takenAway() {
      const on = this.voiceStages.filter((part) => this.isOn(part));
      const wanted = on.find((part) => part.name === "sibilance") ?? on.find((part) => part.name === "compressor") ?? on[0];
      if (!this.isTreated || !wanted) { page.say("Nothing is done to this voice that could be heard by itself."); return; }
      if (!this.taken) this.hearTaken(wanted);
      page.say(`What ${TITLES[this.taken].toLowerCase()} takes from ${this.voiceName}. Press 2 to hear all of it again.`);
    },
    stopTaken() { if (this.taken) { this.taken = ""; stage.player.set({ taken: null }); } },

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
    setGain(track, { target }) {
      target.value = this.within(target, Number(target.min), Number(target.max));
      return this.set(track, { gain_db: Number(target.value) });
    },
    renameTrack(track, event) { return this.set(track, { name: event.target.value }); },
    removeTrack(track) { return page.episode.edit({ edit: "remove_track", track: track.id }); },
    // A number as it was typed or dragged, held to its limits; what is none leaves it as it was.
    within(field, low, high) {
      const value = field.value === "" ? NaN : Number(field.value);
      return Number.isFinite(value) ? Math.min(Math.max(value, low), high) : Number(field.defaultValue) || 0;
    },
    setSetting(setting, event) {
      const value = this.within(event.target, ...setting.bounds);
      event.target.value = value;
      return value === this.recipe[setting.name] ? null : this.change({ [setting.name]: value });
    },
    resetSetting(setting) { return this.change({ [setting.name]: data.usualVoice[setting.name] }); },
    // Changes are laid over what stands when their turn comes, and may be told by it: two quick ones both count.
    change(change) {
      const { id } = this.voice;
      return page.episode.edit(() => {
        const { recipe } = stage.doc.tracks.find((track) => track.id === id);
        return { edit: "set_recipe", track: id, recipe: { ...recipe, ...(typeof change === "function" ? change(recipe) : change) } };
      });
    },
    resetGain(track) { return this.set(track, { gain_db: 0 }); },
    db: (value) => signed(value),
    fieldId: (name, track) => `${name}-${track.id}`,
    muteLabel: (track) => `${track.muted ? "Unmute" : "Mute"} ${track.name}`,
    soloLabel: (track) => `Hear ${track.name} alone`,
  };
}
