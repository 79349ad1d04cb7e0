// Send out, publishing: where to, what the feed would say, what its rules find, and what is public there now.

import { api } from "./api.js";
import { remember, remembered } from "./remembered.js";
import { localMinute } from "./time.js";

const KINDS = { mooring: "A mooring", folder: "A folder of this machine", sftp: "A machine, by SFTP" };
const STATES = { public: "public", draft: "draft", waiting: "waits for its date", withdrawn: "taken away" };
const NEW = { kind: "folder", name: "", secret: "", address: "", machine: "", port: 22, user: "", folder: "", public: "" };
const SECRETS = { mooring: "Token", sftp: "Password, or a private key", folder: "" };

/** @param {import("./page.js").Page} page */
export function publish(page, data) {
  const ofShow = `/api/shows/${data.show.id}`;
  const ofEpisode = () => `/api/episodes/${page.episode.id}`;
  let shown = 0;
  let looked = 0;
  return {
    places: [],
    chosen: remembered(`place-${data.show.id}`, null),
    fresh: { ...NEW },
    adds: false,
    delivery: null,
    draft: false,
    when: "",
    outlook: null,
    problem: "",
    looks: false,
    told: {},
    words: data.ofShow,
    categories: data.categories,
    making: null,
    kinds: Object.entries(KINDS).map(([name, title]) => ({ name, title })),

    async show() {
      const mine = ++shown;
      const places = await api.get(`${ofShow}/places`).catch(() => this.places);
      if (mine !== shown) return null; // a list that was asked for later knows more, and who is chosen is in that
      this.places = places;
      if (!this.place && this.places.length) this.chosen = this.places[0].id;
      await Promise.all([this.read(), page.listeners.read()]);
      return this.look();
    },
    // How it stands everywhere, as far as it was brought there from here.
    async read() {
      const told = await api.get(`${ofEpisode()}/publications`).catch(() => []);
      this.told = Object.fromEntries(told.map((each) => [each.place_id, each]));
    },

    // -- places ------------------------------------------------------------------------------------------

    get place() { return this.places.find((place) => place.id === this.chosen) ?? null; },
    isPlace(place) { return place.id === this.chosen; },
    choosePlace({ target }) {
      this.chosen = Number(target.value);
      this.outlook = null; // that of another place
      remember(`place-${data.show.id}`, this.chosen);
      return this.look();
    },
    get placeText() {
      if (!this.place) return "";
      const { kind, address, machine, folder, fingerprint } = this.place;
      return { mooring: address, folder, sftp: `${machine}${folder}, known by ${fingerprint}` }[kind];
    },
    get secretName() { return this.place ? SECRETS[this.place.kind] : ""; },
    get lacksSecret() { return this.place !== null && !this.place.has_secret; },
    setSecret({ target }) {
      const secret = target.value;
      target.value = "";
      if (!secret) return null;
      return this.changed(() => api.patch(`/api/places/${this.chosen}`, { secret }), "Its secret is kept; nobody is shown it.");
    },
    setAddress({ target }) { return this.changed(() => api.patch(`/api/places/${this.chosen}`, { address: target.value }), ""); },
    forgetPlace() {
      return this.changed(() => api.remove(`/api/places/${this.chosen}`), "Nothing is published there any more. What lies there stays.");
    },
    changed(work, said) {
      return page.attempt(async () => {
        const made = await work();
        if (made) this.chosen = made.id;
        if (said) page.say(said);
        await this.show();
      });
    },
    isNew(kind) { return this.fresh.kind === kind; },
    get freshSecret() { return SECRETS[this.fresh.kind]; },
    toggleAdd() { this.adds = !this.adds; },
    setNew(name, { target }) { this.fresh = { ...this.fresh, [name]: name === "port" ? Number(target.value) : target.value.trim() }; },
    addPlace() {
      return page.attempt(async () => {
        const made = await api.post(`${ofShow}/places`, this.fresh);
        this.adds = false;
        this.fresh = { ...NEW };
        this.chosen = made.id;
        this.outlook = null;
        remember(`place-${data.show.id}`, made.id);
        await this.show();
      });
    },

    // -- what it will say --------------------------------------------------------------------------------

    get files() { return page.sendOut.deliveries; },
    get file() { return this.files.find((file) => file.id === this.delivery) ?? this.files[0] ?? null; },
    isFile(file) { return this.file !== null && file.id === this.file.id; },
    chooseFile({ target }) { this.delivery = Number(target.value); return this.look(); },
    fileText: (file) => `${file.name}, ${localMinute(file.created)}`,
    get isStale() { return this.file !== null && page.sendOut.isStale(this.file); },
    setDraft({ target }) { this.draft = target.checked; return this.look(); },
    setWhen({ target }) { this.when = target.value; return this.look(); },
    isKind(kind) { return page.listeners.seen !== null && page.listeners.seen.words.kind === kind; },
    get isExplicit() { return page.listeners.seen !== null && page.listeners.seen.words.explicit; },
    async setEpisode(change) { await page.listeners.change(change); return this.look(); },
    setKind({ target }) { return this.setEpisode({ kind: target.value }); },
    setExplicit({ target }) { return this.setEpisode({ explicit: target.checked }); },
    get keepsBack() { return this.place !== null && this.place.kind === "mooring"; },
    get wish() {
      const when = this.when && this.keepsBack ? new Date(this.when).toISOString() : null;
      return { place: this.chosen, delivery: this.file ? this.file.id : 0, when, draft: this.draft && this.keepsBack };
    },
    async look() {
      const mine = ++looked;
      this.problem = "";
      this.looks = this.place !== null && !this.lacksSecret && this.file !== null;
      if (!this.looks) { this.outlook = null; return; }
      let problem = "";
      const outlook = await api.post(`${ofEpisode()}/outlook`, this.wish).catch((error) => { problem = error.message; return null; });
      if (mine !== looked) return; // something else was asked meanwhile
      this.outlook = outlook;
      this.problem = problem;
      this.looks = false;
    },
    get says() {
      if (!this.places.length) return "Say first where the show is published.";
      if (this.lacksSecret) return `${this.secretName} of ${this.place ? this.place.name : ""} is not known here. Set it above.`;
      if (!this.file) return "Make a file first, in Files; it is what is published.";
      if (this.problem) return this.problem;
      return this.looks && !this.outlook ? "Asking the place …" : "";
    },
    get faults() { return this.outlook ? this.outlook.faults : []; },
    get isFaultless() { return this.outlook !== null && this.faults.length === 0; },
    get there() { return this.outlook ? this.outlook.there : []; },
    get preview() { return this.outlook ? this.outlook.preview : ""; },
    get isStrange() { return this.outlook !== null && this.outlook.strange !== ""; },
    get clockSays() { return this.outlook ? this.outlook.clock : ""; },
    get feedAddress() { return this.outlook ? this.outlook.address : null; },
    stateName: (listed) => STATES[listed.state],
    isThis(listed) { return listed.episode === page.episode.id; },
    dateOf: (listed) => (listed.date ? localMinute(listed.date) : "no date"),
    get standsText() {
      const own = this.told[this.chosen];
      return own ? `${STATES[own.state]} since ${localMinute(own.made)}` : "not there yet";
    },
    get canPublish() { return this.outlook !== null && this.making === null && !this.faults.some((fault) => fault.grave); },
    get isThere() { return this.there.some((listed) => this.isThis(listed)); },
    get publishText() {
      if (this.isStrange) return "Take the feed over and publish";
      if (this.wish.draft) return "Bring it there as a draft";
      return this.outlook && this.outlook.again ? "Publish the change" : "Publish";
    },
    publishIt() { return this.begin("publish", { ...this.wish, take_over: this.isStrange }); },
    withdraw() { return this.begin("withdraw", { place: this.chosen }); },
    begin(what, body) {
      return page.attempt(async () => {
        const { job } = await api.post(`${ofEpisode()}/${what}`, body);
        if (this.making === null) this.making = { id: job, doing: "Starting", share: 0 };
      });
    },
    jobTold(job) {
      if (!["publish", "withdraw"].includes(job.kind)) return;
      const open = ["waiting", "running"].includes(job.state);
      this.making = open ? job : null;
      if (!open && page.sendOut.isView("publish")) this.show();
    },
    stop() { return page.jobs.cancel(this.making); },

    // -- the show, as its feed has it ----------------------------------------------------------------------

    setWord(name, { target }) {
      const value = target.type === "checkbox" ? target.checked : target.value.trim();
      return page.attempt(async () => {
        this.words = await api.patch(`${ofShow}/listeners`, { [name]: value });
        await this.look();
      });
    },
  };
}
