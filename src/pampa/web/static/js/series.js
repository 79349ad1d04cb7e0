// The series sheet of a show.

import { api } from "./api.js";
import { columnWidth, HEIGHT, line, middleOf, ribbon, TONE_HEIGHT, toneCurve, yOfLufs } from "./series-drawing.js";

const data = JSON.parse(document.getElementById("page-data").textContent);
const ASK_MS = 500;
const PEOPLE_DRAWN = 5; // colours for people
const ROOM = 800;
const LINES_LUFS = [-20, -40, -60];

const pause = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
const signed = (value, unit, digits = 1) => `${value < 0 ? "−" : "+"}${Math.abs(value).toFixed(digits)} ${unit}`;
const apart = (value, unit, digits = 1) => (value === null || value === undefined ? "" : signed(value, unit, digits));
const figure = (value, unit, digits = 1) => (value === null ? "–" : `${value.toFixed(digits).replace("-", "−")} ${unit}`);
const column = new Map(data.episodes.map((episode, index) => [episode.id, index]));
const width = columnWidth(data.episodes.length, ROOM);
const people = data.people.map((person, index) => ({ name: person.name, ink: (index % PEOPLE_DRAWN) + 1,
  points: person.points.map((point) => ({ ...point, column: column.get(point.episode) })) }));

const series = {
  show: data.show, episodes: data.episodes, people, chosen: 0, problem: "", says: "", changed: null,
  working: "", share: 0, stopped: false, jobs: [], sources: {},

  init() {
    const drawn = people.flatMap((person) => person.points.map((point) => point.column));
    this.chosen = drawn.length ? Math.max(...drawn) : 0;
  },
  get isEmpty() { return people.length === 0; },
  get hasPeople() { return people.length > 0; },
  get hasStale() { return data.episodes.some((episode) => episode.stale && !episode.archived); },
  get staleText() {
    const count = data.episodes.filter((episode) => episode.stale && !episode.archived).length;
    return `${count} ${count === 1 ? "episode stands" : "episodes stand"} otherwise than what is known.`;
  },
  get isWorking() { return this.working !== ""; },

  // Drawing
  width: width * data.episodes.length,
  box: `0 0 ${width * data.episodes.length} ${HEIGHT}`,
  toneBox: `0 0 ${width * data.episodes.length} ${TONE_HEIGHT}`,
  middle: TONE_HEIGHT / 2,
  columnStyle: { width: `${width}px` },
  drawnStyle: { width: `${width * data.episodes.length}px` },
  inkOf: (person) => `series-ink-${person.ink}`,
  ribbonOf: (person) => ribbon(person.points, width),
  levelOf: (person) => line(person.points, width, "speech_lufs"),
  floorOf: (person) => line(person.points, width, "floor_lufs"),
  tonesOf: (person) => person.points.map((point) => toneCurve(point, data.hz, width)).join(""),
  movedOf: (person) => person.points.filter((point) => point.told.length && point.heard.speech_lufs !== null)
    .map((point) => { // a hook over the ribbon
      const [x, y] = [middleOf(point.column, width), yOfLufs(point.heard.speech_lufs) - 12];
      return `M${x - 6} ${y - 6}L${x} ${y}L${x + 6} ${y - 6}`;
    }).join(""),
  rules: LINES_LUFS.map((lufs) => `M0 ${yOfLufs(lufs)}H100000`).join(""),
  scale: LINES_LUFS.map((lufs) => ({ lufs, text: `−${Math.abs(lufs)}`, style: { top: `${yOfLufs(lufs) - 8}px` } })),
  get chosenStyle() { return { left: `${this.chosen * width}px`, width: `${width}px` }; },
  sentence(person) {
    const last = person.points.at(-1);
    if (person.points.length === 1) return "heard once";
    return last.told.length ? `last time ${last.told.join(", ")}` : "last time as ever";
  },
  wordsOf(person) {
    return `${person.name}: ${person.points.map((point) => `${this.named(data.episodes[point.column])}, ${figure(point.heard.speech_lufs,
      "LUFS")}${point.told.length ? `, ${point.told.join(", ")}` : ""}`).join("; ")}`;
  },

  // The chosen episode
  choose(index) { this.chosen = index; this.says = ""; this.changed = null; },
  isChosen(index) { return this.chosen === index; },
  step(event, by) {
    const next = Math.min(Math.max(this.chosen + by, 0), data.episodes.length - 1);
    this.choose(next);
    event.currentTarget.children[next].focus();
  },
  get episode() { return data.episodes[this.chosen] ?? { title: "", number: null, integrated_lufs: null, target_lufs: null }; },
  named: (episode) => (episode.number === null ? episode.title : `${episode.number} · ${episode.title}`),
  shortOf: (episode) => (episode.number === null ? "–" : String(episode.number)),
  loudnessOf: (episode) => (episode.integrated_lufs === null ? "" : episode.integrated_lufs.toFixed(1).replace("-", "−")),
  get deliveredText() {
    const { integrated_lufs: got, target_lufs: wanted } = this.episode;
    return got === null ? "Not sent out from here." : `Sent out at ${figure(got, "LUFS")}, target ${figure(wanted, "LUFS")}.`;
  },
  get address() { return `/episodes/${this.episode.id}/balance`; },
  get canOpen() { return data.episodes.length > 0 && !this.episode.archived; },
  get heardHere() {
    return people.map((person) => ({ name: person.name, ink: person.ink, person, point: person.points.find((point) =>
      point.column === this.chosen) })).filter((each) => each.point);
  },
  get isSilent() { return this.heardHere.length === 0; },
  toldOf: ({ point }) => (point.off === null ? "For the first time." : point.told.length ? `Moved: ${point.told.join(", ")}.` : "As ever."),
  standsText: ({ point }) => (point.went_out ? "" : "As it stands, not as it went out."),
  rowsOf({ point: { heard, off } }) {
    const row = (name, value, from) => ({ name, value, apart: from });
    return [
      row("level", figure(heard.speech_lufs, "LUFS"), apart(off?.level_lu, "LU")),
      row("tone", "", (off?.tone_db ?? null) === null ? "" : `${off.tone_db.toFixed(1)} dB off`),
      row("soft to loud", figure(heard.spread_lu, "LU"), apart(off?.dynamics_lu, "LU")),
      row("room", figure(heard.floor_lufs, "LUFS"), apart(off?.floor_db, "dB")),
      row("rings", figure(heard.decay_s, "s", 2), apart(off?.decay_s, "s", 2)),
    ];
  },
  othersOf: ({ person, point }) => person.points.filter((other) => other !== point && other.went_out)
    .map((other) => ({ id: other.id, text: data.episodes[other.column].number === null ? data.episodes[other.column].title
      : `episode ${data.episodes[other.column].number}` })).reverse(),
  hasOthers(here) { return this.canOpen && this.othersOf(here).length > 0; },
  sourceLabel: ({ name }) => `Which episode ${name} is to sound like`,
  takeSource({ name }, event) { this.sources[name] = Number(event.target.value); },
  sourceOf(here) {
    const others = this.othersOf(here);
    return (others.find((other) => other.id === this.sources[here.name]) ?? others[0]).id;
  },
  makeAlike(here) {
    return this.attempt(async () => {
      const likeness = this.sourceOf(here);
      await api.post(`/api/shows/${data.show.id}/series/alike`, { episode: this.episode.id, person: here.name, likeness });
      const text = this.othersOf(here).find((other) => other.id === likeness).text;
      this.says = `${here.name} sounds as in ${text} now: tone and gain, one edit that is undone there.`;
      this.changed = this.episode.id;
    });
  },
  get hasSaid() { return this.says !== ""; },

  // Listening to episodes as they stand
  listen() {
    return this.attempt(async () => {
      this.stopped = false;
      this.jobs = (await api.post(`/api/shows/${data.show.id}/series/listen`)).jobs;
      if (!this.jobs.length) {
        this.says = "In those episodes nobody has a voice of their own yet.";
        return;
      }
      try {
        for (const [index, job] of this.jobs.entries()) if (!this.stopped) await this.followed(job, index);
      } finally {
        this.working = "";
      }
      window.location.reload();
    });
  },
  async followed(job, index) {
    for (;;) {
      const told = await api.get(`/api/jobs/${job}`);
      if (told.state === "failed") throw new Error(told.error);
      if (!["waiting", "running"].includes(told.state)) return;
      this.working = told.label;
      this.share = (index + told.share) / this.jobs.length;
      await pause(ASK_MS);
    }
  },
  stop() {
    this.stopped = true;
    return this.attempt(async () => { for (const job of this.jobs) await api.post(`/api/jobs/${job}/cancel`); });
  },
  async attempt(work) {
    this.problem = "";
    try {
      await work();
    } catch (error) {
      this.problem = error.message;
    }
  },
};

document.addEventListener("alpine:init", () => window.Alpine.data("seriesPage", () => series));
