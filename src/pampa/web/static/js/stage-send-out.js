// Send out: which files are wanted, and those that were made.

import { api } from "./api.js";
import { RATE } from "./constants.js";
import { remember, remembered } from "./remembered.js";
import { level, localMinute, signed } from "./time.js";

const VIEWS = { look: "Last look", listeners: "For listeners", files: "Files", publish: "Publish", compare: "Compare" };
const RATES = {
  mp3: { false: [96, 128, 160, 192, 256, 320], true: [48, 64, 80, 96, 128, 160] },
  m4a: { false: [96, 128, 192, 256], true: [48, 64, 80, 128] },
  opus: { false: [64, 96, 128, 192], true: [32, 48, 64, 96] },
};
const USUAL_KBIT = { mp3: { false: 160, true: 96 }, m4a: { false: 128, true: 80 }, opus: { false: 96, true: 48 } };
const NAMES = { mp3: "MP3", m4a: "AAC", opus: "Opus", ogg: "Vorbis", wav: "WAV", flac: "FLAC" };
const FIXED = [
  { value: "mp3-v2", name: "MP3, variable, best" },
  { value: "mp3-v4", name: "MP3, variable" },
  { value: "ogg-v5", name: "Vorbis" },
  { value: "ogg-v8", name: "Vorbis, best" },
  { value: "flac-16", name: "FLAC, 16 bit" },
  { value: "flac-24", name: "FLAC, 24 bit" },
  { value: "wav-16", name: "WAV, 16 bit" },
  { value: "wav-24", name: "WAV, 24 bit" },
  { value: "wav-24-broadcast", name: "WAV, 24 bit, broadcast" },
  { value: "wav-32", name: "WAV, 32 bit float" },
];
const MONO_LU = 3;
const USUAL = { name: "", kind: "mp3", bits: 24, kbit: 160, quality: null, rate: 48000, broadcast: false, target_lufs: -16,
  ceiling_dbtp: -1, mono: false, ticked: true };

// A file's format as one word, and back.
const valueOf = ({ kind, bits, kbit, quality, broadcast, mono }) =>
  quality !== null ? `${kind}-v${quality}` : kind in RATES ? `${kind}-${kbit ?? USUAL_KBIT[kind][mono]}`
    : `${kind}-${bits}${broadcast ? "-broadcast" : ""}`;
function formatOf(value) {
  const [kind, size, broadcast] = value.split("-");
  const none = { kind, bits: 24, kbit: null, quality: null, broadcast: false };
  if (size.startsWith("v")) return { ...none, quality: Number(size.slice(1)) };
  return kind in RATES ? { ...none, kbit: Number(size) } : { ...none, bits: Number(size), broadcast: broadcast === "broadcast" };
}

/** @param {import("./page.js").Page} page */
export function sendOut(page, data, stage) {
  const { choices, targets, ofShow } = data;
  // What was chosen for this episode before there were sets.
  const once = Object.fromEntries(Object.entries(choices).filter(([name]) => name in USUAL));
  const wanted = ofShow.wanted.length ? ofShow.wanted : [{ ...USUAL, ...once }];
  let keeping = 0;
  return {
    view: remembered("send-view", "look"),
    views: Object.keys(VIEWS),
    viewName: (view) => VIEWS[view],
    isView(view) { return this.view === view; },
    setView(view) {
      this.view = view;
      remember("send-view", view);
      window.Alpine.nextTick(() => this.show());
    },
    show() {
      this.drawChart();
      if (this.view === "look") page.lastLook.show();
      if (this.view === "listeners") page.listeners.show();
      if (this.view === "publish") page.publish.show();
      if (this.view === "compare") page.compare.show();
      else page.compare.leave();
    },

    deliveries: data.deliveries,
    targets,
    wanted,
    chosen: 0,
    isIdent: data.isIdent,
    making: null,
    opened: null,

    makeIdent() {
      return page.attempt(async () => {
        await api.post(`/api/episodes/${page.episode.id}/ident`);
        page.say("The ident is being made; it comes into the larder.");
      });
    },

    // -- the set of wanted files -------------------------------------------------------------------------

    get plan() { return this.wanted[this.chosen] ?? USUAL; },
    isChosen(index) { return this.chosen === index; },
    choose(index) { this.chosen = index; page.loudness.tuneListening(); this.drawChart(); },
    change(change) {
      this.wanted = this.wanted.map((file, n) => (n === this.chosen ? { ...file, ...change } : file));
      this.keep();
      page.loudness.tuneListening();
      this.drawChart();
    },
    toggle(index) {
      this.wanted = this.wanted.map((file, n) => (n === index ? { ...file, ticked: !file.ticked } : file));
      this.keep();
    },
    another() {
      this.wanted = [...this.wanted, { ...this.plan, ticked: true }];
      this.chosen = this.wanted.length - 1;
      this.keep();
    },
    dropFile(index) {
      this.wanted = this.wanted.filter((_file, n) => n !== index);
      this.chosen = Math.min(this.chosen, this.wanted.length - 1);
      this.keep();
    },
    // The set is kept with the show, a moment after the last change.
    keep() {
      clearTimeout(keeping);
      keeping = setTimeout(() => page.attempt(() => api.patch(`/api/shows/${data.show.id}/listeners`, { wanted: this.named })), 300);
    },
    get named() { return this.wanted.map((file) => ({ ...file, name: this.placeOf(file) })); },
    placeOf(file) {
      const found = targets.find((target) => target.lufs === file.target_lufs && target.mono === file.mono);
      return found ? found.name : `${level(file.target_lufs)} LUFS`;
    },
    formatName(file) {
      const fixed = FIXED.find((entry) => entry.value === valueOf(file));
      const rate = file.rate === 48000 ? "" : ", 44.1 kHz";
      return (fixed ? fixed.name : `${NAMES[file.kind]}, ${file.kbit ?? USUAL_KBIT[file.kind][file.mono]} kbit/s`) + rate;
    },
    get targetName() {
      const found = targets.findIndex((candidate) => candidate.lufs === this.plan.target_lufs && candidate.mono === this.plan.mono);
      return found < 0 ? "free" : String(found);
    },
    isTarget(index) { return this.targetName === String(index); },
    chooseTarget(event) {
      const found = targets[Number(event.target.value)];
      if (found) this.change({ target_lufs: found.lufs, ...this.channels(found.mono) });
    },
    setTarget(event) { this.change({ target_lufs: page.balance.within(event.target, -40, -5) }); },
    setCeiling(event) { this.change({ ceiling_dbtp: page.balance.within(event.target, -9, 0) }); },
    setMono(event) { this.change(this.channels(event.target.value === "mono")); },
    // As many kbit/s as are usual for so many channels, where the others do not have them.
    channels(mono) {
      const { kind, kbit } = this.plan;
      return { mono, kbit: kbit === null || RATES[kind][mono].includes(kbit) ? kbit : USUAL_KBIT[kind][mono] };
    },
    get channelsValue() { return this.plan.mono ? "mono" : "stereo"; },
    get formats() {
      const rated = Object.keys(RATES).flatMap((kind) => RATES[kind][this.plan.mono].map((kbit) => (
        { value: `${kind}-${kbit}`, name: `${NAMES[kind]}, ${kbit} kbit/s` })));
      return [...rated, ...FIXED];
    },
    isFormat(format) { return format.value === valueOf(this.plan); },
    chooseFormat(event) {
      const format = formatOf(event.target.value);
      this.change({ ...format, rate: format.kind === "opus" ? 48000 : this.plan.rate });
    },
    get hasRates() { return this.plan.kind !== "opus"; },
    setRate(event) { this.change({ rate: Number(event.target.value) }); },
    get ticked() { return this.named.filter((file) => file.ticked); },
    get makeText() { return this.ticked.length === 1 ? "Make the file" : `Make ${this.ticked.length} files`; },
    send() {
      return page.attempt(async () => {
        const started = await api.post(`/api/episodes/${page.episode.id}/deliveries`, { files: this.ticked });
        this.setView("files");
        if (this.making === null) this.making = { id: started.job, doing: "Starting", share: 0 };
      });
    },
    deliveryTold(job) {
      if (!["deliver", "cut picture", "uncut sound"].includes(job.kind)) return;
      this.making = ["waiting", "running"].includes(job.state) ? job : null;
    },
    stopMaking() { return page.jobs.cancel(this.making); },
    get needs() {
      const short = this.shortOf(this.plan);
      return short === null ? "" : signed(short);
    },
    // What the episode lacks to a target, in dB. Talk from the middle reads 3 LU less as one channel.
    shortOf(file) {
      const now = page.loudness.measured.loudness;
      return !now || now.integrated_lufs === null ? null : file.target_lufs - now.integrated_lufs + (file.mono ? MONO_LU : 0);
    },

    // -- files that were made ----------------------------------------------------------------------------

    async readDeliveries() {
      const before = this.deliveries.length;
      this.deliveries = await api.get(`/api/episodes/${page.episode.id}/deliveries`).catch(() => this.deliveries);
      if (this.deliveries.length > before) this.opened = this.deliveries[0].id;
      this.drawChart();
    },
    fileAddress: (delivery) => `/api/deliveries/${delivery.id}/file`,
    sheetAddress: (delivery) => `/deliveries/${delivery.id}/sheet`,
    sheetData: (delivery) => `/api/deliveries/${delivery.id}/sheet`,
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
  };
}
