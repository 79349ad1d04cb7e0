// Prune's history: every edit by name, any point of it to go to; and versions kept under a name.

import { api } from "./api.js";

/** @param {import("./page.js").Page} page */
export function history(page) {
  return {
    pastEdits: [],
    versions: [],
    compared: null,

    async read() {
      const path = `/api/episodes/${page.episode.id}`;
      [this.pastEdits, this.versions] = await Promise.all([
        api.get(`${path}/history`).catch(() => this.pastEdits),
        api.get(`${path}/versions`).catch(() => this.versions),
      ]);
    },
    get nowAt() {
      return this.pastEdits.filter((entry) => entry.in_force).reduce((most, entry) => Math.max(most, entry.position), 0);
    },
    isNow(entry) {
      return entry.position === this.nowAt;
    },
    madeAt: (entry) =>
      new Date(entry.made ?? entry.created).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", hourCycle: "h23" }),
    goToEdit(position) {
      return page.episode.inTurn(async () => {
        page.episode.take(await api.post(`/api/episodes/${page.episode.id}/go-to`, { revision: page.episode.revision, position }));
        page.selection.select(null);
        await this.read();
      });
    },
    goToBeginning() {
      return this.goToEdit(0);
    },

    // -- versions ----------------------------------------------------------------------------------------

    keepVersion(event) {
      const field = event.target.elements.namedItem("version");
      return page.attempt(async () => {
        await api.post(`/api/episodes/${page.episode.id}/versions`, { name: field.value });
        field.value = "";
        await this.read();
      });
    },
    restoreVersion(version) {
      return page.episode.inTurn(async () => {
        page.episode.take(await api.post(`/api/versions/${version.id}/restore`, { revision: page.episode.revision }));
        page.selection.select(null);
        this.compared = null;
        page.say(`The episode is ${version.name} again. Ctrl Z takes it back.`);
        await this.read();
      });
    },
    letVersionGo(version) {
      return page.attempt(async () => {
        await api.remove(`/api/versions/${version.id}`);
        this.compared = null;
        await this.read();
      });
    },
    versionGist(version) {
      return `${page.shortClock(version.gist.length)}, ${version.gist.seams} seams`;
    },
    compareVersion(version) {
      if (this.compared && this.compared.id === version.id) {
        this.compared = null;
        return null;
      }
      return page.attempt(async () => {
        const told = await api.get(`/api/versions/${version.id}/against-now`);
        this.compared = { ...told, id: version.id };
      });
    },
    isCompared(version) {
      return this.compared !== null && this.compared.id === version.id;
    },
    get comparedLength() {
      if (!this.compared) return "";
      const { longer } = this.compared;
      if (longer === 0) return "Now it is exactly as long.";
      return `Now it is ${page.lengthOf(Math.abs(longer))} ${longer > 0 ? "longer" : "shorter"}.`;
    },
    get onlyNow() {
      return this.compared ? this.compared.only_now : [];
    },
    get onlyThen() {
      return this.compared ? this.compared.only_then : [];
    },
  };
}
