// Gather: bring files in, say who is who.

import { api } from "./api.js";
import { RATE } from "./constants.js";
import { opened } from "./folders.js";
import { peopleOf } from "./ink.js";
import { level, shortClock } from "./time.js";
import { upload } from "./uploads.js";

const VIEWS = { recordings: "Recordings", larder: "Larder", "pick-up": "Pick-up line" };

const ROLE_NAMES = {
  person: "a person",
  music: "music",
  effects: "an effect",
  "room tone": "room tone",
  spot: "a spot",
  reference: "the call",
};

/** @param {import("./page.js").Page} page */
export function gather(page, data, stage) {
  return {
    checkups: {},
    examined: null,

    uploads: [],
    inSequence: false,
    dropping: false,
    removed: data.removed,
    view: localStorage.getItem("pampa-gather") ?? "recordings",
    views: Object.keys(VIEWS),

    show() {
      page.several.refreshTicked();
      this.drawRows();
      page.pickUp.tellTakes();
    },
    // One that was deleted for good.
    gone(id) { this.removed = this.removed.filter((other) => other.id !== id); },
    get rows() { return page.settled || page.isStage("gather") ? page.episode.recordings : []; },
    isView(view) { return this.view === view; },
    viewName: (view) => VIEWS[view],
    get title() { return this.view === "recordings" ? "Gather" : VIEWS[this.view]; },
    setView(view) {
      if (this.view === "pick-up" && view !== "pick-up") page.pickUp.closeMic();
      stage.snippet.stop();
      this.view = view;
      localStorage.setItem("pampa-gather", view);
      if (view === "larder") { page.larder.read(); window.Alpine.nextTick(() => document.getElementById("larder-words").focus()); }
      this.drawRows();
    },
    drawRows() {
      const people = peopleOf(stage.doc.tracks);
      const hues = new Map(stage.doc.tracks.flatMap((track) => track.clips.map((clip) => [clip.recording, people.get(track.id) ?? null])));
      const items = page.episode.recordings.map(({ id, role, state, channels, facts }) => ({
        id,
        start: 0,
        frames: facts.conformed_frames ?? 0,
        kind: role,
        person: hues.get(id) ?? null,
        ready: state === "ready",
        version: channels,
      }));
      window.Alpine.nextTick(() => stage.rows.show(items));
    },

    async readCheckups() {
      this.checkups = await api.get(`/api/episodes/${page.episode.id}/checkups`).catch(() => this.checkups);
      if (this.examined !== null) this.drawCheckup();
      page.mend.checkedUp();
    },
    checkupOf(recording) { return this.checkups[recording.id] ?? null; },
    findingsOf(recording) { return this.checkupOf(recording)?.findings ?? []; },
    proposalsOf(recording) {
      if (recording.state !== "ready") return "";
      if (!this.checkupOf(recording)) return "being checked …";
      const count = this.findingsOf(recording).filter((finding) => finding.process).length;
      return count === 0 ? "check-up: nothing to mend" : count === 1 ? "check-up: 1 proposal" : `check-up: ${count} proposals`;
    },
    isExamined(recording) { return this.examined === recording.id; },
    // One check-up is open at a time; its drawing stands in the one canvas below the list.
    examine(recording) {
      this.examined = this.examined === recording.id ? null : recording.id;
      this.drawCheckup();
    },
    get examinedRecording() { return page.episode.recordings.find((recording) => recording.id === this.examined) ?? null; },
    get examinedName() { return this.examinedRecording ? this.examinedRecording.person || this.examinedRecording.name : ""; },
    get examinedFindings() { return this.examinedRecording ? this.findingsOf(this.examinedRecording) : []; },
    get examinedRoom() {
      const checkup = this.examinedRecording ? this.checkupOf(this.examinedRecording) : null;
      if (!checkup || !checkup.room_tone) return "";
      const [start, length] = checkup.room_tone;
      return `Room tone: the quietest steady stretch is ${length.toFixed(1)}\u00a0s at ${page.clock(start * RATE)}.`;
    },
    // What can be done about the sides at once; the rest is for Mend.
    canDo: (finding) => ["split", "left", "right"].includes(finding.process),
    doName: (finding) => (finding.process === "split" ? "Split into two tracks" : `Use the ${finding.process} side`),
    doIt(finding) {
      const recording = this.examinedRecording;
      if (finding.process !== "split") return this.setRecording(recording, { channels: finding.process });
      return page.attempt(async () => {
        await api.post(`/api/recordings/${recording.id}/split`);
        await page.episode.readRecordings();
        page.say(`${recording.person || recording.name} is two people now, each on a track. Say who is who.`);
      });
    },
    drawCheckup() {
      window.Alpine.nextTick(() => stage.checkup.show(this.examined === null ? null : this.checkups[this.examined] ?? null));
    },

    chooseFiles() { document.getElementById("files").click(); },
    filesChosen(event) { this.bringIn([...event.target.files]); event.target.value = ""; },
    dragOver() { this.dropping = true; },
    dragLeft(event) { if (!event.relatedTarget) this.dropping = false; },
    dropped(event) {
      this.dropping = false;
      // In the larder a folder is opened; elsewhere the files are what was meant.
      const inLarder = page.isStage("gather") && this.view === "larder";
      if (inLarder) return page.attempt(async () => page.larder.bringIn(await opened(event.dataTransfer)));
      return this.given([...event.dataTransfer.files]);
    },
    pasted(event) {
      const files = [...event.clipboardData.files];
      if (files.length) { event.preventDefault(); this.given(files); }
    },
    // Only who looks at the larder gives it files.
    given(files) {
      if (!files.length) return;
      if (!page.isStage("gather") || this.view === "pick-up") this.setView("recordings");
      page.go("gather");
      this.bringIn(files);
    },
    // One after another, so that pieces in sequence keep the order they were dropped in.
    async sendAll(files, send) {
      const rows = files.map((file, index) => ({
        id: `${Date.now()}-${index}`,
        name: file.name,
        share: 0,
        error: "",
        control: new AbortController(),
      }));
      this.uploads = [...this.uploads, ...rows];
      for (const [index, file] of files.entries()) {
        const row = this.uploads.find((candidate) => candidate.id === rows[index].id);
        if (!row) continue;
        try {
          await send(file, { onShare: (share) => { row.share = share; }, signal: rows[index].control.signal }, index);
          this.uploads = this.uploads.filter((candidate) => candidate.id !== row.id);
        } catch (error) {
          if (error.name === "AbortError") this.uploads = this.uploads.filter((candidate) => candidate.id !== row.id);
          else row.error = error.message;
        }
      }
    },
    bringIn(files) {
      if (this.view === "larder") return page.larder.bringIn(files.map((file) => ({ file, folders: [] })));
      let track = null;
      return this.sendAll(files, async (file, options, index) => {
        const known = new Set(page.episode.tracks.map((candidate) => candidate.id));
        const sent = await upload(`/api/episodes/${page.episode.id}/uploads`, file, { ...options, details: { after_track: track } });
        if (page.episode.recordings.some((recording) => recording.id === sent.recording && recording.state === "ready"))
          page.say(`${file.name} is here already. It was not brought in twice.`);
        if (this.inSequence && track === null && index < files.length - 1) track = await this.trackMade(sent.recording, known);
      });
    },
    // The track that the first of a sequence was put on, as soon as it is there; null where the file could not be read.
    async trackMade(recording, known) {
      const found = () => page.episode.tracks.find((track) => !known.has(track.id));
      const failed = () => page.episode.recordings.some((candidate) => candidate.id === recording && candidate.state === "failed");
      await page.episode.until(() => found() || failed());
      return found()?.id ?? null;
    },
    stopUpload(row) {
      row.control.abort();
      this.uploads = this.uploads.filter((candidate) => candidate.id !== row.id);
    },
    setRecording(recording, change) {
      return page.attempt(async () => { await api.patch(`/api/recordings/${recording.id}`, change); await page.episode.readRecordings(); });
    },
    setPerson(recording, event) { return this.setRecording(recording, { person: event.target.value }); },
    setRole(recording, event) { return this.setRecording(recording, { role: event.target.value }); },
    // What it is for, as its sound tells, until somebody says so.
    purposeOf(recording) {
      const { purpose } = recording.facts;
      if (!purpose || recording.state !== "ready") return "";
      if (this.isUnsure(recording))
        return purpose.other === "reference" ? "Others are heard in it. Is it the call?" : "Not sure by its sound. It is";
      if (purpose.role === "reference") return "all others are heard in it";
      return "told by its sound";
    },
    whoAsks: (recording) => (["person", "reference"].includes(recording.role) ? "Who is this?" : "What is this?"),
    isUnsure: (recording) => Boolean(recording.facts.purpose) && recording.facts.purpose.sure < data.sure,
    purposeName(recording, other) {
      const { purpose } = recording.facts;
      if (!purpose) return "";
      if (purpose.other === "reference") return other ? "The call" : "A person";
      return ROLE_NAMES[other ? purpose.other : purpose.role];
    },
    takePurpose(recording, other) {
      const { purpose } = recording.facts;
      return this.setRecording(recording, { role: other ? purpose.other : purpose.role });
    },
    setChannels(recording, event) { return this.setRecording(recording, { channels: event.target.value }); },
    setFileName(recording, event) { return this.setRecording(recording, { name: event.target.value || recording.name }); },
    removeRecording(recording) {
      return page.attempt(async () => {
        await api.remove(`/api/recordings/${recording.id}`);
        await page.episode.readRecordings();
        page.say(
          `${recording.person || recording.name} is off the list. What lies on tracks stays; it can be brought back from the panel.`,
        );
      });
    },
    bringBack(recording) {
      return page.attempt(async () => {
        await api.post(`/api/recordings/${recording.id}/back`);
        await page.episode.readRecordings();
      });
    },
    addToTrack(recording) {
      const kind = { reference: "person", "room tone": "effects" }[recording.role] ?? recording.role;
      return page.attempt(async () => {
        const made = await page.episode.edit({ edit: "add_track", name: recording.person || recording.name, kind });
        if (!made) return;
        const track = made.tracks[made.tracks.length - 1].id;
        await page.episode.edit({
          edit: "add_clip",
          track,
          recording: recording.id,
          start: page.transport.playhead,
          length: recording.facts.conformed_frames,
        });
        page.say(`${recording.person || recording.name} lies at ${page.clock(page.transport.playhead)} on a track of its own.`);
      });
    },
    factsOf(recording) {
      const { facts } = recording;
      if (recording.state === "waiting") return "coming in …";
      if (recording.state === "failed") return recording.error;
      const channels = facts.channels === 1 ? "mono" : facts.channels === 2 ? "stereo" : `${facts.channels} channels`;
      return `${shortClock(facts.duration_s * RATE, RATE)} · ${facts.format} · ${(facts.rate / 1000).toFixed(1)} kHz · ${channels}`;
    },
    levelsOf(recording) {
      const { facts } = recording;
      if (recording.state !== "ready") return "";
      const [what, lufs] = ["person", "spot"].includes(recording.role)
        ? ["speech", facts.speech_lufs]
        : ["loudness", facts.integrated_lufs];
      return `${what} ${level(lufs)} LUFS · peak ${level(facts.peak_dbfs)} dBFS`;
    },
    notesOf: (recording) => (recording.facts.notes || []).join(" "),
    isReady: (recording) => recording.state === "ready",
  };
}
