// Send out: targets, formats, and the files made.

import { api } from "./api.js";
import { RATE } from "./constants.js";
import { level, localMinute, signed } from "./time.js";

const RATES = { false: [96, 128, 160, 192, 256, 320], true: [48, 64, 80, 96, 128, 160] };

/** @param {import("./page.js").Page} page */
export function sendOut(page, data, stage) {
  const { choices, targets } = data;
  const target = choices.target_lufs ?? -16;
  return {
    deliveries: data.deliveries,
    targets,
    plan: {
      target_lufs: target,
      ceiling_dbtp: choices.ceiling_dbtp ?? -1,
      mono: choices.mono ?? false,
      kind: choices.kind ?? "mp3",
      bits: choices.bits ?? 24,
      kbit: choices.kbit ?? 160,
      title: data.episode.title,
      number: data.episode.number,
      date: choices.date || new Date().toISOString().slice(0, 10),
    },
    isIdent: data.isIdent,
    making: null,
    opened: null,

    makeIdent() {
      return page.attempt(async () => {
        await api.post(`/api/episodes/${page.episode.id}/ident`);
        page.say("The ident is being made; it comes into the larder.");
      });
    },
    get targetName() {
      const found = targets.findIndex((candidate) => candidate.lufs === this.plan.target_lufs && candidate.mono === this.plan.mono);
      return found < 0 ? "free" : String(found);
    },
    isTarget(index) { return this.targetName === String(index); },
    chooseTarget(event) {
      const found = targets[Number(event.target.value)];
      if (!found) return;
      this.plan.target_lufs = found.lufs;
      this.plan.mono = found.mono;
      this.fixRate();
      page.loudness.tuneListening();
      this.drawChart();
    },
    setTarget(event) { this.plan.target_lufs = Number(event.target.value); page.loudness.tuneListening(); this.drawChart(); },
    setMono(event) { this.plan.mono = event.target.value === "mono"; this.fixRate(); },
    get channelsValue() { return this.plan.mono ? "mono" : "stereo"; },
    get rates() { return RATES[this.plan.mono]; },
    fixRate() { if (!this.rates.includes(this.plan.kbit)) this.plan.kbit = this.plan.mono ? 96 : 160; },
    get isMp3() { return this.plan.kind === "mp3"; },
    get formatValue() { return this.isMp3 ? `mp3-${this.plan.kbit}` : `${this.plan.kind}-${this.plan.bits}`; },
    chooseFormat(event) {
      const [kind, size] = event.target.value.split("-");
      this.plan.kind = kind;
      if (kind === "mp3") this.plan.kbit = Number(size);
      else this.plan.bits = Number(size);
    },
    rateValue: (kbit) => `mp3-${kbit}`,
    rateName: (kbit) => `MP3, ${kbit} kbit/s`,
    send() {
      return page.attempt(async () => {
        const started = await api.post(`/api/episodes/${page.episode.id}/deliveries`, {
          ...this.plan, number: this.plan.number === "" ? null : this.plan.number, kbit: this.isMp3 ? this.plan.kbit : null,
        });
        if (this.making === null) this.making = { id: started.job, doing: "Starting", share: 0 };
      });
    },
    deliveryTold(job) {
      if (job.kind !== "deliver") return;
      this.making = ["waiting", "running"].includes(job.state) ? job : null;
    },
    stopMaking() { return page.jobs.cancel(this.making); },
    async readDeliveries() {
      const before = this.deliveries.length;
      this.deliveries = await api.get(`/api/episodes/${page.episode.id}/deliveries`).catch(() => this.deliveries);
      if (this.deliveries.length > before) this.opened = this.deliveries[0].id;
      this.drawChart();
    },
    fileAddress: (delivery) => `/api/deliveries/${delivery.id}/file`,
    toggleSheet(delivery) { this.opened = this.opened === delivery.id ? null : delivery.id; this.drawChart(); },
    isOpened(delivery) { return this.opened === delivery.id; },
    outcome: (delivery) => (delivery.sheet.met ? "on target" : "not on target"),
    deliveredAt: (delivery) => localMinute(delivery.created),
    megabytes: (delivery) => `${(delivery.sheet.size_bytes / 1e6).toFixed(1)} MB`,
    isStale(delivery) { return delivery.revision !== page.episode.revision; },
    gainOf: (delivery) => signed(delivery.sheet.gain_db),
    lossOf: (delivery) => level(delivery.sheet.limiting_loss_lu, 2),
    // The episode as it stands, shifted to the target; or the file whose sheet is open.
    drawChart() {
      const file = this.deliveries.find((delivery) => delivery.id === this.opened);
      const now = page.loudness.measured.loudness;
      const shift = file || !now || now.integrated_lufs === null ? 0 : this.plan.target_lufs - now.integrated_lufs;
      stage.chart.show({
        curve: file ? file.sheet.short_term_lufs : page.loudness.measured.short_term_lufs,
        target: file ? file.sheet.target_lufs : this.plan.target_lufs,
        shift, rate: RATE,
      });
    },
    get chartTitle() {
      const file = this.deliveries.find((delivery) => delivery.id === this.opened);
      return file ? `${file.name}, measured` : "The episode as it stands, brought to the target";
    },
    get needs() {
      const now = page.loudness.measured.loudness;
      if (!now || now.integrated_lufs === null) return "";
      return signed(this.plan.target_lufs - now.integrated_lufs);
    },
  };
}
