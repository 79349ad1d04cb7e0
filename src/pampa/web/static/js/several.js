// Several recordings at once: choose them, order them, join parts.

import { api } from "./api.js";

const APART = "pampa-apart";
const remembered = () => JSON.parse(localStorage.getItem(APART) ?? "[]");
const NUMBERED = /^(.*?[^\d])(\d+)(\.\w+)$/;

// Files that a recorder has split: numbered one after another, of one format, not all of one length (which would be
// the tracks of a recorder that ran at the same time). The longest such run, as recordings in order, or null.
export function partsOf(recordings) {
  const runs = new Map();
  for (const recording of recordings) {
    const found = NUMBERED.exec(recording.name);
    if (!found || recording.state !== "ready" || recording.role !== "person") continue;
    const key = JSON.stringify([found[1], found[3], recording.facts.rate, recording.facts.channels]);
    runs.set(key, [...(runs.get(key) ?? []), { number: Number(found[2]), recording }]);
  }
  for (const run of runs.values()) {
    run.sort((a, b) => a.number - b.number);
    const follows = run.every(({ number }, index) => number === run[0].number + index);
    const lengths = run.map(({ recording }) => recording.facts.duration_s);
    if (run.length > 1 && follows && Math.max(...lengths) - Math.min(...lengths) > 1) return run.map(({ recording }) => recording);
  }
  return null;
}

/** @param {import("./page.js").Page} page */
export function several(page, stage) {
  return {
    ticked: [],
    partsFound: null,

    isTicked(recording) { return this.ticked.includes(recording.id); },
    tick(recording) {
      this.ticked = this.isTicked(recording) ? this.ticked.filter((id) => id !== recording.id) : [...this.ticked, recording.id];
    },
    get allTicked() { return page.episode.recordings.length > 0 && this.ticked.length === page.episode.recordings.length; },
    tickAll() { this.ticked = this.allTicked ? [] : page.episode.recordings.map((recording) => recording.id); },
    get hasTicked() { return this.ticked.length > 0 && page.gather.view === "recordings"; },
    get tickedCount() { return `${this.ticked.length} chosen`; },
    tickedInOrder() { return page.episode.recordings.filter((recording) => this.isTicked(recording)); },
    // After the list has changed: what is not in it any more is not chosen either.
    refreshTicked() {
      const known = new Set(page.episode.recordings.map((recording) => recording.id));
      if (this.ticked.some((id) => !known.has(id))) this.ticked = this.ticked.filter((id) => known.has(id));
      const parts = partsOf(page.episode.recordings);
      const apart =
        parts &&
        new Set(
          stage.doc.tracks
            .filter((track) => track.clips.some((clip) => parts.some((part) => part.id === clip.recording)))
            .map((track) => track.id),
        ).size > 1;
      this.partsFound = apart && !remembered().includes(parts[0].id) ? parts : null;
    },
    // They only look like parts: this is not proposed again.
    leaveParts() {
      localStorage.setItem(APART, JSON.stringify([...remembered(), this.partsFound[0].id]));
      this.partsFound = null;
    },
    eachTicked(work) {
      return page.attempt(async () => {
        for (const recording of this.tickedInOrder()) await work(recording);
        await page.episode.readRecordings();
      });
    },
    setRoleOfTicked(event) {
      const role = event.target.value;
      event.target.value = "";
      if (role) return this.eachTicked((recording) => api.patch(`/api/recordings/${recording.id}`, { role }));
    },
    async removeTicked() {
      const count = this.ticked.length;
      await this.eachTicked((recording) => api.remove(`/api/recordings/${recording.id}`));
      page.say(`${count} recordings are off the list. What lies on tracks stays; they can be brought back from the panel.`);
    },
    async keepTicked() {
      await this.eachTicked((recording) =>
        page.larder.keep(recording, { kind: { person: "spot", reference: "effects" }[recording.role] ?? recording.role }),
      );
      if (!page.problem) page.say("They are in the larder of the show now, for every episode.");
    },
    moveTicked(by) {
      const order = [...page.episode.recordings];
      const moving = [...order.keys()].filter((index) => this.isTicked(order[index]));
      if (by > 0) moving.reverse();
      for (const index of moving) {
        const other = index + by;
        if (order[other] && !this.isTicked(order[other])) [order[index], order[other]] = [order[other], order[index]];
      }
      page.episode.recordings = order;
      return page.attempt(() =>
        api.put(`/api/episodes/${page.episode.id}/recordings/order`, { recordings: order.map((recording) => recording.id) }),
      );
    },
    join(parts) {
      return page.episode.inTurn(async () => {
        page.episode.takeChange(
          await api.post(`/api/episodes/${page.episode.id}/recordings/join`, {
            revision: page.episode.revision,
            recordings: parts.map((part) => part.id),
          }),
        );
        this.ticked = [];
        this.partsFound = null;
        page.say(`${parts.length} parts lie one after another now. Undo takes them apart again.`);
      });
    },
    joinTicked() { return this.join(this.tickedInOrder()); },
    joinParts() { return this.join(this.partsFound); },
    get partsText() {
      return this.partsFound ? `${this.partsFound.map((part) => part.name).join(", ")} look like parts of one recording.` : "";
    },
  };
}
