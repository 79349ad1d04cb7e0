// Balance: recipes and starting points, two settings heard against one another, and the same person in other episodes.

import { api } from "./api.js";

const PART_TITLES = {
  mending: "Mending", level: "Level", tone: "Tone", bands: "Bands", compressor: "Compressor", sibilance: "Sibilance", warmth: "Warmth",
};

/** @param {import("./page.js").Page} page */
export function recipes(page, data, stage) {
  const address = (path) => `/api/episodes/${page.episode.id}/${path}`;
  const same = (one, other) => JSON.stringify(one) === JSON.stringify(other);
  return {
    kept: [],
    likenesses: [],
    last: null,
    starts: Object.keys(data.starts),
    parts: Object.entries(PART_TITLES).map(([name, title]) => ({ name, title })),
    wanted: Object.keys(PART_TITLES), // which parts of a recipe are applied
    also: [], // further people to whom a recipe is applied, by the numbers of their tracks
    other: null, // what the voice is compared with: {name, recipe}
    hearsOther: false,

    async read() {
      const { voice } = page.balance;
      if (!voice || !page.isStage("balance")) return;
      const [kept, past] = await Promise.all([
        api.get(address(`recipes?person=${encodeURIComponent(voice.name)}`)).catch(() => this.kept),
        api.get(address(`voices/${voice.id}/past`)).catch(() => ({ last: null, likenesses: [] })),
      ]);
      if (!page.balance.isPicked(voice)) return;
      this.kept = kept;
      this.last = past.last;
      this.likenesses = past.likenesses;
      page.tone.draw();
    },

    // -- kept and applied ----------------------------------------------------------------------------------

    get chosen() { return page.episode.people.filter((track) => page.balance.isPicked(track) || this.also.includes(track.id)); },
    get tracks() { return this.chosen.map((track) => track.id); },
    get whose() { return this.chosen.map((track) => track.name).join(", "); },
    isAlso(track) { return page.balance.isPicked(track) || this.also.includes(track.id); },
    toggleAlso(track) {
      this.also = this.also.includes(track.id) ? this.also.filter((id) => id !== track.id) : [...this.also, track.id];
    },
    isWanted(part) { return this.wanted.includes(part.name); },
    togglePart(part) {
      this.wanted = this.isWanted(part) ? this.wanted.filter((name) => name !== part.name) : [...this.wanted, part.name];
    },
    keyOf(recipe) {
      const place = this.kept.indexOf(recipe);
      return place < 9 ? `⇧${place + 1}` : "";
    },
    apply(recipe) {
      const body = { tracks: this.tracks, recipe: recipe.id, parts: this.wanted };
      return page.balance.ask("treat", body, `${this.whose}: treated by ${recipe.name}. Ctrl Z takes it back.`);
    },
    start(event) {
      const start = event.target.value;
      event.target.value = "";
      if (!start) return null;
      const body = { tracks: this.tracks, start, parts: this.wanted };
      return page.balance.ask("treat", body, `${this.whose}: ${start}. Change whatever is wrong for this voice.`);
    },
    // By its key: the first nine of the list.
    byNumber(number) {
      const recipe = this.kept[Number(number) - 1];
      if (!recipe) { page.say(`No recipe is kept at Shift ${number} yet.`); return null; }
      return this.apply(recipe);
    },
    keep(event) {
      const { name } = event.target.elements;
      return page.attempt(async () => {
        const { voice } = page.balance;
        const kept = await api.post(address(`voices/${voice.id}/recipes`), { name: name.value.trim() || voice.name });
        name.value = "";
        await this.read();
        page.say(`${kept.name} is kept, with the mending and the voice of ${voice.name}.`);
      });
    },
    forget(recipe) {
      return page.attempt(async () => {
        await api.remove(address(`recipes/${recipe.id}`));
        await this.read();
      });
    },
    fileOf(recipe) { return address(`recipes/${recipe.id}/file`); },
    readFile(event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return null;
      return page.attempt(async () => {
        const kept = await api.post(address("recipes/file"), { called: file.name, text: (await file.text()).slice(0, 200_000) });
        await this.read();
        page.say(`${kept.name} is kept.`);
      });
    },

    // -- the same person elsewhere -------------------------------------------------------------------------

    get offersLast() {
      return this.last !== null && page.balance.isTreated && !same(this.last.voice, page.balance.recipe);
    },
    get lastText() { return this.offersLast ? `${page.balance.voiceName} was in ${this.last.episode} too.` : ""; },
    asLastTime() {
      const { id, name } = page.balance.voice;
      return page.balance.ask(`voices/${id}/last`, {}, `${name} is mended and treated as in ${this.last.episode}.`);
    },
    alike(event) {
      const then = this.likenesses.find(({ id }) => id === Number(event.target.value));
      event.target.value = "";
      if (!then) return null;
      const { id, name } = page.balance.voice;
      page.tone.compareWith(`then-${then.id}`);
      return page.balance.ask(`voices/${id}/alike`, { likeness: then.id }, `${name} is corrected towards ${then.episode}.`);
    },
    thenText(then) {
      const number = then.number === null ? "" : `${then.number}, `;
      return `${number}${then.episode}: spread ${page.level(then.spread_lu)} LU, room ${page.level(then.floor_lufs)} LUFS`;
    },

    // -- two settings --------------------------------------------------------------------------------------

    get otherName() { return this.other ? this.other.name : ""; },
    get heardInstead() { return this.other && this.hearsOther ? { [this.other.track]: this.other.recipe } : null; },
    holdThis() { this.compare({ name: "as it was", recipe: { ...page.balance.recipe } }); },
    compare({ name, recipe }) {
      this.other = { name, recipe, track: page.balance.voice.id };
      this.hear(false);
    },
    compareChosen(event) {
      const { value } = event.target;
      event.target.value = "";
      const kept = this.kept.find(({ id }) => `kept-${id}` === value);
      if (kept) this.compare({ name: kept.name, recipe: { ...page.balance.recipe, ...kept.voice } });
      else if (data.starts[value]) this.compare({ name: value, recipe: { ...data.starts[value], level: page.balance.recipe.level } });
      else if (value === "this") this.holdThis();
    },
    hear(other) {
      this.hearsOther = other && this.other !== null;
      stage.player.set({ instead: this.heardInstead });
    },
    // One key goes from the one to the other; the first press holds what is set now, to be changed against it.
    toggle() {
      if (!page.isStage("balance") || !page.balance.voice) return;
      if (!this.other || this.other.track !== page.balance.voice.id) {
        this.holdThis();
        page.say("Held as it is now. Change something, and press A again to hear one against the other.");
        return;
      }
      this.hear(!this.hearsOther);
      page.say(this.hearsOther ? `Heard: ${this.other.name}` : "Heard: as it is set now");
    },
    takeOther() {
      const { recipe } = this.other;
      this.compare({ name: "as it was", recipe: { ...page.balance.recipe } });
      return page.balance.change(recipe);
    },
  };
}
