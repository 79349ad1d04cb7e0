// Pick-up lines: a forgotten sentence said again into the browser, take after take, straight onto the sheet.

import { RATE } from "./constants.js";
import { makeRecorder, wavFile } from "./recorder.js";
import { remember, remembered } from "./remembered.js";
import { mountTake } from "./take.js";
import { level } from "./time.js";
import { upload } from "./uploads.js";

const REFUSALS = {
  NotAllowedError: "The browser was not allowed to use the microphone. Nothing was lost. Allow it beside the address, then open it again.",
  NotFoundError: "No microphone is plugged in. Plug one in, then open it again.",
  NotReadableError: "Another program holds the microphone. Close it there, then open it again.",
};
const CLIPPED = 0.995;
const UNSENT = "only in this page so far";

/** @param {import("./page.js").Page} page */
export function pickUp(page, data, stage) {
  // The take being recorded: where it will lie, and how loud it has been.
  let current = { place: 0, peak: 0 };
  // Takes that the server does not have yet, by number.
  const unsent = new Map();

  return {
    mics: [{ id: "", name: "the usual one" }],
    micId: remembered("pick-up-mic", ""),
    micOpen: false,
    micPeak: 0,
    isRecording: false,
    counting: 0,
    takeSeconds: 0,
    takes: [],
    speaker: remembered("pick-up-speaker", data.show.host),
    onto: null,
    countIn: remembered("pick-up-count-in", true),
    monitoring: false,

    mount() {
      stage.take = mountTake(document.getElementById("take"));
      stage.recorder = makeRecorder({ onLevel: (peak, block, rate) => this.micHeard(peak, block, rate), onLost: () => this.micLost() });
      window.addEventListener("beforeunload", (event) => { if (this.isRecording || unsent.size) event.preventDefault(); });
    },
    async openMic() {
      if (!navigator.mediaDevices) {
        page.problem =
          "Browsers open microphones only for pages of this machine or over HTTPS. " +
          "Open Pampa as localhost, or record elsewhere and drop the file.";
        return;
      }
      page.problem = "";
      try {
        await stage.recorder.open(this.micId);
      } catch (error) {
        if (this.micId && error.name === "OverconstrainedError") { this.micId = ""; return this.openMic(); }
        page.problem =
          REFUSALS[error.name] ?? "The microphone could not be opened. Nothing was lost. Look whether it is plugged in, then try again.";
        return;
      }
      this.micOpen = true;
      stage.recorder.monitor(this.monitoring);
      const devices = await navigator.mediaDevices.enumerateDevices();
      this.mics = [
        { id: "", name: "the usual one" },
        ...devices
          .filter((device) => device.kind === "audioinput" && device.deviceId && device.deviceId !== "default")
          .map((device) => ({ id: device.deviceId, name: device.label || "microphone" })),
      ];
    },
    closeMic() {
      if (this.isRecording) this.endTake();
      stage.recorder.close();
      this.micOpen = false;
    },
    micHeard(peak, block, rate) {
      this.micPeak = Math.max(peak, this.micPeak * 0.92);
      const seconds = block ? block.length / rate : 0;
      if (block) { current.peak = Math.max(current.peak, peak); this.takeSeconds += seconds; }
      stage.take.level(peak, seconds, Boolean(block));
    },
    // Unplugged, or taken away by the system: what was recorded so far is a take like any other.
    micLost() {
      const had = this.isRecording;
      this.closeMic();
      page.problem = had
        ? "The microphone has gone. What was recorded until then is kept as a take. Plug it in, then open it again."
        : "The microphone has gone. Plug it in, then open it again.";
    },
    async recordOrStop() {
      if (!page.gather.isView("pick-up") || !page.isStage("gather") || this.counting) return;
      if (!this.micOpen) return this.openMic();
      if (this.isRecording) return this.endTake();
      if (page.transport.playing) stage.player.stop();
      if (this.countIn) await stage.recorder.countIn((left) => { this.counting = left; });
      this.counting = 0;
      if (!this.micOpen) return;
      current = { place: page.transport.playhead, peak: 0 };
      this.takeSeconds = 0;
      stage.take.begin();
      stage.recorder.start();
      this.isRecording = true;
    },
    endTake() {
      const recorded = stage.recorder.stop();
      this.isRecording = false;
      if (!recorded) return;
      const last = this.takes.length ? this.takes[this.takes.length - 1] : null;
      const who = this.speaker.trim() || "Somebody";
      const number = last ? last.number + 1 : 1;
      const take = {
        number,
        who,
        place: current.place,
        peak: current.peak,
        length: 0,
        recording: null,
        told: "being kept …",
        name: `Pick-up ${number}, ${who}.wav`,
      };
      this.takes = [...this.takes, take];
      unsent.set(number, wavFile(take.name, recorded.samples, recorded.rate));
      return this.keepTake(number);
    },
    takeNumbered(number) { return this.takes.find((take) => take.number === number); },
    async keepTake(number) {
      const take = this.takeNumbered(number);
      take.told = "being kept …";
      try {
        const sent = await upload(`/api/episodes/${page.episode.id}/uploads`, unsent.get(number), {
          details: { person: take.who, role: "person", placed: true },
          onShare: () => {},
          signal: new AbortController().signal,
        });
        const row = await this.broughtIn(sent.recording);
        if (row.state === "failed") throw new Error(row.error);
        unsent.delete(number);
        take.recording = row.id;
        take.length = row.facts.conformed_frames;
        page.larder.drawPieces();
        await this.layTake(take, this.laidTake(take.place));
      } catch (error) {
        take.told = UNSENT;
        page.problem = `${take.name}: ${error.message}`;
      }
    },
    async broughtIn(id) {
      await page.episode.readRecordings();
      return page.episode.until(() => {
        const row = page.episode.recordings.find((candidate) => candidate.id === id);
        if (!row) throw new Error("It was taken off the list before it had come in. Try again.");
        return row.state === "waiting" ? null : row;
      });
    },
    clipOf(take) {
      for (const track of stage.doc.tracks) {
        const clip = track.clips.find((candidate) => candidate.recording === take.recording);
        if (clip) return { ...clip, track: track.id, trackName: track.name };
      }
      return null;
    },
    // The take that lies at this place already, whose place the next one takes.
    laidTake(place) {
      const laid = this.takes
        .filter((take) => take.recording !== null && take.place === place)
        .map((take) => this.clipOf(take))
        .filter(Boolean);
      return laid.length ? laid[laid.length - 1] : null;
    },
    async layTake(take, before) {
      const track = this.onto ?? this.pickUpTrack(take);
      const where = before ? { instead_of: before.id, track: before.track } : track === null ? {} : { track };
      const pieces = [{ recording: take.recording, start: take.place, length: take.length }];
      await page.episode.edit({ edit: "lay", name: `${take.who}, pick-ups`, kind: "person", pieces, ...where });
      this.tellTakes();
    },
    pickUpTrack(take) {
      const track = stage.doc.tracks.find((candidate) => candidate.name === `${take.who}, pick-ups`);
      return track ? track.id : null;
    },
    tellTakes() {
      for (const take of this.takes) {
        if (take.recording === null) continue;
        const clip = this.clipOf(take);
        take.told = clip ? `on ${clip.trackName} at ${page.clock(clip.start)}` : "in the list of recordings";
      }
    },
    canUse(take) { return take.told === UNSENT || (take.recording !== null && page.episode.revision >= 0 && this.clipOf(take) === null); },
    useTakeName(take) {
      if (take.told === UNSENT) return "Try again";
      return take.recording === null ? "…" : this.canUse(take) ? "Use this one" : "On the sheet";
    },
    useTake(take) { return take.told === UNSENT ? this.keepTake(take.number) : this.layTake(take, this.laidTake(take.place)); },
    hearTake(take) { return page.attempt(() => stage.snippet.play(`/api/recordings/${take.recording}/sound`)); },
    takePeak(take) { return take.peak >= CLIPPED ? "clipped" : level(20 * Math.log10(Math.max(take.peak, 1e-6))); },

    setMic(event) {
      this.micId = event.target.value;
      remember("pick-up-mic", this.micId);
      if (this.micOpen) this.openMic();
    },
    setSpeaker(event) { this.speaker = event.target.value; remember("pick-up-speaker", this.speaker); },
    setOnto(event) { this.onto = event.target.value ? Number(event.target.value) : null; },
    toggleCountIn() { this.countIn = !this.countIn; remember("pick-up-count-in", this.countIn); },
    toggleMonitoring() { this.monitoring = !this.monitoring; stage.recorder.monitor(this.monitoring); },
    get recordName() { return this.counting ? `${this.counting} …` : this.isRecording ? "Stop" : "Record"; },
    get takeClock() { return page.clock(this.takeSeconds * RATE); },
    get micLevel() { return this.micPeak > 1e-4 ? level(20 * Math.log10(this.micPeak), 0) : "–"; },
    get micSays() {
      if (this.micPeak >= CLIPPED) return "It clips. Turn the microphone down.";
      return this.isRecording ? "recording" : "Speak: the loudest words should come near −12.";
    },
  };
}
