// Room on the disk, on the page of shows: what takes it, episodes laid up and brought back, caches emptied.

import { api } from "./api.js";

const PIECE = 8 << 20;
const ASK_MS = 700;

const megabytes = (bytes) => (bytes < 1e9 ? `${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB` : `${(bytes / 1e9).toFixed(1)} GB`);
const pause = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

export function disk(page) {
  return {
    taken: null,
    laidUp: [],
    working: "", // what is being done, in words
    share: 0,
    job: null,
    stopped: false,

    async opened({ target }) { if (target.open) await this.read(); },
    read() {
      return page.attempt(async () => { [this.taken, this.laidUp] = await Promise.all([api.get("/api/space"), api.get("/api/laid-up")]); });
    },
    get hasTaken() { return this.taken !== null; },
    get hasNoneLaidUp() { return this.hasTaken && this.laidUp.length === 0; },
    get says() {
      if (!this.taken) return "";
      const { caches, laid_up: archives, free } = this.taken;
      return `${megabytes(free)} are free. Treated sound that can be made again takes ${megabytes(caches)}; `
        + `archives of laid-up episodes take ${megabytes(archives)}.`;
    },
    // Episodes by the room that they take, with the name of their show.
    get rows() {
      if (!this.taken) return [];
      const known = new Map(page.shows.flatMap((show) => show.episodes.map((episode) => [episode.id, { show, episode }])));
      return this.taken.episodes.filter((each) => known.has(each.episode)).map((each) => {
        const { show, episode } = known.get(each.episode);
        return { id: each.episode, show: show.name, title: episode.title, number: episode.number,
          bytes: each.originals + each.working + each.files, told: each };
      }).sort((a, b) => b.bytes - a.bytes);
    },
    // Whole shows, with their larders and what lies archived.
    get shows() {
      if (!this.taken) return [];
      return page.shows.map((show) => ({ id: show.id, name: show.name, bytes: this.taken.episodes.filter((each) => each.show === show.id)
        .reduce((sum, each) => sum + each.originals + each.working + each.files, 0) }));
    },
    size: (bytes) => megabytes(bytes),
    partsOf: ({ originals, working, files }) =>
      `originals ${megabytes(originals)}, working copies ${megabytes(working)}, files made ${megabytes(files)}`,
    named: (each) => `${each.show} · ${each.number === null ? "" : `${each.number} · `}${each.title}`,
    madeAt: (archive) => archive.made.slice(0, 10),
    address: (archive) => `/api/laid-up/${encodeURIComponent(archive.name)}`,
    missingText: (archive) => (archive.missing.length ? `without ${archive.missing.join(", ")}` : ""),

    empty() { return page.attempt(async () => { await api.post("/api/space/empty"); await this.read(); }); },
    get isWorking() { return this.working !== ""; },
    layUp(row, free) {
      return page.attempt(async () => {
        const { job } = await api.post(`/api/episodes/${row.id}/lay-up`, { free });
        this.job = job;
        try {
          await this.followed(job);
        } finally {
          this.working = "";
          this.job = null;
        }
        if (free) window.location.reload();
        else await this.read();
      });
    },
    // Until the job has ended; why it failed is told.
    async followed(job) {
      for (;;) {
        const told = await api.get(`/api/jobs/${job}`);
        if (told.state === "failed") throw new Error(told.error);
        if (!["waiting", "running"].includes(told.state)) return;
        this.working = told.doing || told.label;
        this.share = told.share;
        await pause(ASK_MS);
      }
    },
    stop() {
      this.stopped = true;
      return this.job === null ? null : page.attempt(() => api.post(`/api/jobs/${this.job}/cancel`));
    },
    bringBack(archive) {
      return page.attempt(async () => {
        this.working = `Bringing back ${archive.title}`;
        this.share = 0;
        try {
          await api.post(`${this.address(archive)}/bring-back`);
        } finally {
          this.working = "";
        }
        window.location.reload();
      });
    },
    letGo(archive) { return page.attempt(async () => { await api.remove(this.address(archive)); await this.read(); }); },
    // An archive from elsewhere.
    send(event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return null;
      return page.attempt(async () => {
        this.stopped = false;
        try {
          for (let offset = 0; offset < Math.max(file.size, 1) && !this.stopped; offset += PIECE) {
            this.working = `Taking in ${file.name}`;
            this.share = offset / file.size;
            const bytes = await file.slice(offset, offset + PIECE).arrayBuffer();
            const last = offset + PIECE >= file.size;
            await api.putBytes(`/api/laid-up/${encodeURIComponent(file.name)}?offset=${offset}&last=${last}`, bytes);
          }
        } finally {
          this.working = "";
        }
        await this.read();
      });
    },
  };
}
