// Balance: the tone of the chosen voice as handles over its spectrum, and what that is compared with.

import { api } from "./api.js";
import { dbOfY, hzOfX, placeOf } from "./spectrum.js";
import { BANDS } from "./tone-response.js";

const TITLES = { lows: "Lows", body: "Body", middle: "Middle", upper: "Upper", presence: "Presence" };
const HELD_DB = 12;
const [LEAST_Q, MOST_Q] = [0.3, 4];
const [LEAST_HZ, HIGHEST_HZ] = [40, 16_000];
const REST_MS = 140; // a handle that rests so long is heard, before it is let go
const SOON_MS = 400; // first of all it is to be heard
const CUTS = [
  { name: "low_cut", title: "Low cut", setting: "low_cut_hz", least: 20, most: 300 },
  { name: "high_cut", title: "High cut", setting: "high_cut_hz", least: 4000, most: 20_000 },
];

const round = (value, step) => Math.round(value / step) * step;
// A frequency in steps that are a few hundredths of it.
export const roundHz = (hz) => round(hz, hz < 200 ? 5 : hz < 1000 ? 10 : hz < 4000 ? 50 : 100);
const hzText = (hz) => (hz < 1000 ? `${Math.round(hz)} Hz` : `${(hz / 1000).toFixed(1)} kHz`);

// A recipe after one press of an arrow key on the handle of a band.
export function stepped(recipe, band, key, shift) {
  const [db, hz, q] = [`${band.name}_db`, `${band.name}_hz`, `${band.name}_q`];
  const held = (value, low, high) => Math.min(Math.max(value, low), high);
  if (shift && band.kind === "bell" && ["ArrowUp", "ArrowDown"].includes(key)) {
    return { [q]: held(round(recipe[q] + (key === "ArrowUp" ? 0.1 : -0.1), 0.1), LEAST_Q, MOST_Q) };
  }
  if (key === "ArrowUp") return { [db]: held(recipe[db] + 0.5, -HELD_DB, HELD_DB) };
  if (key === "ArrowDown") return { [db]: held(recipe[db] - 0.5, -HELD_DB, HELD_DB) };
  if (key === "ArrowRight") return { [hz]: held(roundHz(recipe[hz] * 1.06), LEAST_HZ, HIGHEST_HZ) };
  if (key === "ArrowLeft") return { [hz]: held(roundHz(recipe[hz] / 1.06), LEAST_HZ, HIGHEST_HZ) };
  if (key === "Home") return { [db]: 0 };
  return null;
}

/** @param {import("./page.js").Page} page */
export function tone(page, data, stage) {
  let asked = 0;
  let resting = 0;
  let timer = 0;
  return {
    spectrum: null,
    note: "Listening to the voice …",
    compared: "common",
    drafted: null, // what a handle that is being dragged would make of the recipe
    others: {}, // spectra that were compared with, by their name

    get recipe() { return { ...page.balance.recipe, ...(this.drafted ?? {}) }; },

    // A voice that was changed is looked at long before the loudness of the whole episode is known.
    readSoon() {
      clearTimeout(timer);
      timer = setTimeout(() => this.read(), SOON_MS);
    },
    // The spectrum of the chosen voice, as it is treated now.
    async read() {
      const { voice } = page.balance;
      if (!voice || !page.isStage("balance")) return;
      const mine = ++asked;
      this.draw();
      const told = await api.get(`/api/episodes/${page.episode.id}/voices/${voice.id}/spectrum`).catch((error) => {
        this.note = error.message;
        return null;
      });
      if (mine !== asked) return;
      this.spectrum = told;
      this.draw();
    },
    draw() {
      if (!page.isStage("balance")) return;
      const { voice } = page.balance;
      stage.spectrum.show({
        spectrum: this.spectrum, recipe: page.balance.isTreated ? this.recipe : null, note: this.note, name: page.balance.voiceName,
        person: Math.max(page.episode.people.findIndex((track) => voice && track.id === voice.id), 0) % 5, compared: this.comparison,
      });
    },

    // -- compared with -------------------------------------------------------------------------------------

    // Average speech, another person, or the same one in an episode that went out.
    get comparisons() {
      const { voice } = page.balance;
      const others = page.episode.people.filter((track) => voice && track.id !== voice.id);
      return [
        { id: "none", name: "nothing" },
        { id: "common", name: "average speech" },
        ...others.map((track) => ({ id: `track-${track.id}`, name: track.name })),
        ...page.recipes.likenesses.map((then) => ({ id: `then-${then.id}`, name: `${page.balance.voiceName} in ${then.episode}` })),
      ];
    },
    get comparison() {
      const chosen = this.comparisons.find(({ id }) => id === this.compared);
      if (!chosen || !this.spectrum || chosen.id === "none") return null;
      const { hz, common } = this.spectrum;
      if (chosen.id === "common") return { name: chosen.name, hz, levels: common };
      const then = page.recipes.likenesses.find(({ id }) => `then-${id}` === chosen.id);
      if (then) return { name: chosen.name, hz, levels: then.spectrum_db };
      const other = this.others[chosen.id];
      return other ? { name: chosen.name, hz: other.hz, levels: other.after } : null;
    },
    async compareWith(id) {
      this.compared = id;
      if (id.startsWith("track-")) {
        const track = id.slice(6);
        await page.attempt(async () => {
          this.others = { ...this.others, [id]: await api.get(`/api/episodes/${page.episode.id}/voices/${track}/spectrum`) };
        });
      }
      this.draw();
    },

    // -- handles -------------------------------------------------------------------------------------------

    get handles() {
      if (!page.balance.showsSpectrum || !page.balance.isTreated) return [];
      const { recipe } = this;
      const bands = BANDS.map((band) => {
        const [db, hz] = [recipe[`${band.name}_db`], recipe[`${band.name}_hz`]];
        const narrow = band.kind === "bell" ? `, ${recipe[`${band.name}_q`].toFixed(1)} narrow` : "";
        const words = `${page.balance.db(db)} dB at ${hzText(hz)}${narrow}`;
        return { ...band, title: TITLES[band.name], place: placeOf(hz, db), value: db, least: -HELD_DB, most: HELD_DB, words, cut: null };
      });
      const cuts = CUTS.map((cut) => {
        const hz = recipe[cut.setting];
        const rests = cut.name === "low_cut" ? 40 : HIGHEST_HZ;
        const words = hz ? hzText(hz) : "off";
        return { name: cut.name, title: cut.title, place: placeOf(hz || rests, 0), value: hz, least: 0, most: cut.most, words, cut };
      });
      return [...bands, ...cuts];
    },
    handleKey(handle, event) {
      const { key, shiftKey } = event;
      const step = (recipe) => (handle.cut ? this.cutStepped(recipe, handle.cut, key) : stepped(recipe, handle, key, shiftKey));
      if (!step(this.recipe)) return;
      event.preventDefault();
      event.stopPropagation();
      this.commit(step);
    },
    cutStepped(recipe, { name, setting, least, most }, key) {
      const now = recipe[setting];
      const off = name === "low_cut" ? least : most;
      const ways = { ArrowRight: 1.08, ArrowUp: 1.08, ArrowLeft: 1 / 1.08, ArrowDown: 1 / 1.08 };
      if (key === "Home") return { [setting]: 0 };
      if (!ways[key]) return null;
      const next = roundHz((now || off) * ways[key]);
      return { [setting]: next <= least || next >= most ? 0 : next };
    },
    resetHandle(handle) {
      if (handle.cut) return this.commit({ [handle.cut.setting]: 0 });
      const shape = [`${handle.name}_hz`, ...(handle.kind === "bell" ? [`${handle.name}_q`] : [])];
      const usual = Object.fromEntries(shape.map((name) => [name, data.usualVoice[name]]));
      return this.commit({ ...usual, [`${handle.name}_db`]: 0 });
    },
    grab(handle, event) {
      if (event.button !== 0) return;
      const { target } = event;
      target.setPointerCapture(event.pointerId);
      target.focus();
      const box = target.parentElement.getBoundingClientRect();
      const [fromX, fromY] = [event.clientX, event.clientY];
      let moved = false;
      const move = (at) => {
        if (!moved && Math.hypot(at.clientX - fromX, at.clientY - fromY) < 3) return;
        moved = true;
        this.draft(this.dragged(handle, at.clientX - box.left, at.clientY - box.top));
      };
      const held = new AbortController();
      const end = (at) => {
        held.abort();
        clearTimeout(resting);
        if (moved && this.drafted && at.type === "pointerup") this.commit(this.drafted);
        else this.settle();
      };
      target.addEventListener("pointermove", move, { signal: held.signal });
      for (const name of ["pointerup", "pointercancel"]) target.addEventListener(name, end, { signal: held.signal });
    },
    dragged(handle, x, y) {
      const { width, height } = stage.spectrum.size();
      const hz = roundHz(hzOfX(x, width));
      if (handle.cut) {
        const { setting, least, most } = handle.cut;
        const inside = Math.min(Math.max(hz, least), most);
        return { [setting]: (handle.cut.name === "low_cut" ? hz <= 42 : hz >= 15_500) ? 0 : inside };
      }
      const db = Math.min(Math.max(round(dbOfY(y, height), 0.5), -HELD_DB), HELD_DB);
      return { [`${handle.name}_db`]: db, [`${handle.name}_hz`]: Math.min(Math.max(hz, LEAST_HZ), HIGHEST_HZ) };
    },
    // While it is dragged, the curve follows at once; the sound does where it rests for a moment.
    draft(change) {
      this.drafted = change;
      this.draw();
      clearTimeout(resting);
      const { voice } = page.balance;
      resting = setTimeout(() => { stage.player.set({ instead: { [voice.id]: this.recipe } }); }, REST_MS);
    },
    async commit(change) {
      await page.balance.change(change);
      this.settle();
    },
    // Nothing is dragged any more.
    settle() {
      if (this.drafted) stage.player.set({ instead: page.recipes.heardInstead });
      this.drafted = null;
      this.draw();
    },
  };
}
