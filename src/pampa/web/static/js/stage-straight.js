// Straight through: a dialog with what would be done, with figures; then what was done, each line to be taken back.

import { api } from "./api.js";

/** @param {import("./page.js").Page} page */
export function straight(page) {
  const path = () => `/api/episodes/${page.episode.id}/straight-through`;
  const dialog = () => /** @type {HTMLDialogElement} */ (document.getElementById("straight"));
  return {
    plan: null,
    report: null,
    wants: { ticked: [], longer_s: 1.2, keep_s: 0.6, sure: 0.9 },
    making: null,
    problem: "",

    async open() {
      page.selection.select(null);
      this.problem = "";
      dialog().showModal();
      await this.read();
      if (this.plan) this.wants = this.plan.wants;
      if (this.isBusy || page.episode.isEmpty) return;
      const ahead = await this.trying(() => api.post(`${path()}/ahead`));
      if (ahead) await this.read();
    },
    close() { dialog().close(); },
    async trying(work) {
      this.problem = "";
      try {
        return await work();
      } catch (error) {
        this.problem = error.message;
        return null;
      }
    },
    async read() {
      const told = await api.get(path()).catch(() => null);
      if (!told) return;
      this.report = told.report;
      const { wants } = this; // what is ticked here meanwhile stays
      const isOwn = this.plan !== null && JSON.stringify(wants) !== JSON.stringify(told.plan.wants);
      this.plan = isOwn ? await api.post(`${path()}/plan`, wants).catch(() => told.plan) : told.plan;
    },
    get steps() {
      if (!this.plan) return [];
      return this.plan.steps.map((step) => {
        const done = this.report ? this.report.steps.find((each) => each.name === step.name && (each.told.length || each.back)) : null;
        const waits = this.plan.waits && !step.possible ? ["measuring …"] : [];
        const stands = this.report !== null && this.report.revision === page.episode.revision;
        const told = step.told.length && !(done && stands) ? step.told : done ? done.told : waits;
        return { ...step, ticked: this.wants.ticked.includes(step.name), done: done !== null && done !== undefined,
          back: Boolean(done && done.back), told: told.length ? told : ["nothing to do"] };
      });
    },
    get needs() {
      const planned = this.plan ? [...this.plan.troubles, ...this.plan.steps.flatMap((step) => step.needs)] : [];
      return [...new Set([...planned, ...(this.report ? this.report.needs : [])])];
    },
    get isBusy() { return this.making !== null; },
    get canGo() {
      return !this.isBusy && !page.episode.isEmpty && this.plan !== null && !this.plan.waits && this.wants.ticked.length > 0;
    },
    get goText() {
      if (this.isBusy) return "At work";
      if (this.plan === null) return "Looking";
      return this.plan.waits ? "Measuring" : "Do it";
    },
    async change(change) {
      this.wants = { ...this.wants, ...change };
      const plan = await this.trying(() => api.post(`${path()}/plan`, this.wants));
      if (plan) this.plan = plan;
    },
    tick(step, { target }) {
      const { ticked } = this.wants;
      return this.change({ ticked: target.checked ? [...ticked, step.name] : ticked.filter((name) => name !== step.name) });
    },
    set(name, { target }) {
      const value = page.balance.within(target, Number(target.min), Number(target.max));
      return this.change({ [name]: value });
    },
    async begin() {
      const started = await this.trying(() => api.post(path(), this.wants));
      if (started && !this.isBusy) this.making = { id: started.job, doing: "Starting", share: 0 };
    },
    jobTold(job) {
      if (job.kind !== "straight through") return;
      this.making = ["waiting", "running"].includes(job.state) ? job : null;
      if (job.state === "failed") this.problem = job.error;
    },
    stop() { return page.jobs.cancel(this.making); },
    ended() { return dialog().open ? this.read() : null; },
    takeBack(step) {
      return this.trying(async () => {
        await api.post(`${path()}/${step.name}/back`);
        await this.read();
      });
    },

    // -- afterwards ----------------------------------------------------------------------------------------

    get hasBefore() { return !this.isBusy && this.report !== null && this.report.version !== null; },
    compare() {
      this.close();
      page.go("send-out");
      page.sendOut.setView("compare");
      return page.compare.between(`version:${this.report.version}`, "now");
    },
    get hasFiles() { return !this.isBusy && this.report !== null && this.report.files.length > 0; },
    toFiles() {
      this.close();
      page.go("send-out");
      page.sendOut.setView("files");
    },
  };
}
