// What happens elsewhere: edits in other windows, jobs, recordings that come in, loudness as it is measured anew.

import { api } from "./api.js";

export function elsewhere(stage, waiting) {
  return {
    follow() {
      const source = new EventSource(`/api/episodes/${this.episodeId}/events`);
      const on = (kind, work) => source.addEventListener(kind, (event) => work(JSON.parse(event.data)));
      on("revision", ({ revision }) => this.newer(revision));
      on("job", (job) => this.jobTold(job));
      on("recordings", () => { this.readRecordings(); this.readNextSoon(); });
      on("loudness", () => this.readLoudness());
      on("lining", () => { this.readLinings(); this.readNextSoon(); });
      on("checkups", () => this.readCheckups());
      on("mended", () => this.mendedTold());
      on("finds", () => this.readFinds());
      on("joins", () => this.readJoins());
      on("stems", () => this.readStems());
      on("larder", () => { if (this.isGatherView("larder")) this.readLarder(); });
      on("deliveries", () => { this.readDeliveries(); this.readNextSoon(); });
      // Whatever was told while nobody listened.
      source.onopen = () => { this.reload(); this.readRecordings(); this.readCheckups(); this.readJobs(); this.readDeliveries(); this.readLoudness(); if (this.isStage("prune")) this.readFinds(); if (this.isStage("mend")) this.mendedTold(); };
    },
    jobTold(job) {
      const open = ["waiting", "running"].includes(job.state);
      const others = this.jobs.filter((other) => other.id !== job.id);
      this.jobs = open ? [...others, job].sort((a, b) => a.id - b.id) : others;
      if (job.state === "failed") this.problem = job.error;
      if (job.state === "cancelled") this.say(`${job.label}: stopped.`);
      this.deliveryTold(job);
    },
    async readJobs() { this.jobs = await api.get(`/api/episodes/${this.episodeId}/jobs`).catch(() => this.jobs); },
    cancelJob(job) { return this.attempt(() => api.post(`/api/jobs/${job.id}/cancel`)); },
    async readRecordings() {
      const path = `/api/episodes/${this.episodeId}/recordings`;
      [this.recordings, this.removed] = await Promise.all([api.get(path).catch(() => this.recordings), api.get(`${path}?removed=true`).catch(() => this.removed)]);
      this.showGather();
      this.$nextTick(() => this.drawLining());
      const views = { gains: this.gains(), names: this.names() };
      stage.sheet.show(views);
      stage.loupe.show(views);
      stage.overview.show(views);
    },
    showGather() {
      this.refreshTicked();
      this.drawRows();
      this.tellTakes();
    },
    // Quick edits after one another are measured once, and not while the sheet is being redrawn.
    readLoudnessSoon() {
      clearTimeout(waiting.measure);
      waiting.measure = setTimeout(() => this.readLoudness(), 250);
    },
    async readLoudness() {
      const told = await api.get(`/api/episodes/${this.episodeId}/loudness`).catch(() => null);
      if (!told) return;
      this.loudness = told;
      this.tuneListening();
      this.drawChart();
    },
    // What is heard is as loud as what will go out.
    tuneListening() {
      const now = this.loudness.loudness;
      if (now && now.integrated_lufs !== null) {
        const gain = Math.min(Math.max(this.plan.target_lufs - now.integrated_lufs, -30), 30);
        if (Math.abs(gain - (this.gain ?? 0)) > 0.05) {
          this.gain = gain;
          stage.player.set({ gain });
          stage.player.prepare(this.playhead);
        }
      }
    },
  };
}
