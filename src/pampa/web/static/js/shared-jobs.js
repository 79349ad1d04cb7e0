// Long work of the server: what waits and runs, and how it ends.

import { api } from "./api.js";

/** @param {import("./page.js").Page} page */
export function jobs(page, data) {
  return {
    open: data.jobs,

    told(job) {
      const open = ["waiting", "running"].includes(job.state);
      const others = this.open.filter((other) => other.id !== job.id);
      this.open = open ? [...others, job].sort((a, b) => a.id - b.id) : others;
      if (job.state === "failed") page.problem = job.error;
      if (job.state === "cancelled") page.say(`${job.label}: stopped.`);
      page.sendOut.deliveryTold(job);
      page.publish.jobTold(job);
      page.straight.jobTold(job);
    },
    async read() { this.open = await api.get(`/api/episodes/${page.episode.id}/jobs`).catch(() => this.open); },
    cancel(job) { return page.attempt(() => api.post(`/api/jobs/${job.id}/cancel`)); },
  };
}
