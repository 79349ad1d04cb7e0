// Deleting for good: the question that says what goes, then the deed. One thing is asked about at a time.

import { api } from "./api.js";

const LEAST = 50_000;
const counted = (count, one, many) => (count === 1 ? `1 ${one}` : `${count} ${many}`);

// What is said before something is deleted.
export function question({ bytes, recordings, deliveries }) {
  const parts = [counted(recordings, "recording", "recordings")];
  if (deliveries > 0) parts.push(counted(deliveries, "file that went out", "files that went out"));
  const frees =
    bytes < LEAST
      ? "frees hardly anything, since the larder or another episode needs the sound too"
      : `frees ${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)}\u00a0MB`;
  return `Deletes ${parts.join(" and ")}, ${frees}, and cannot be undone.`;
}

// `kind` is recordings, episodes or shows; `done` is told when one is gone.
// page : whoever attempts things and says what went wrong.
export function forGood(page, done) {
  return {
    doomed: null,
    isDoomed(kind, id) { return this.doomed !== null && this.doomed.kind === kind && this.doomed.id === id; },
    get doomedText() { return this.doomed === null ? "" : this.doomed.text; },
    spare() { this.doomed = null; },
    askToDelete(kind, id) {
      return page.attempt(async () => {
        this.doomed = { kind, id, text: question(await api.get(`/api/${kind}/${id}/space`)) };
      });
    },
    deleteForGood() {
      const { kind, id } = this.doomed;
      this.doomed = null;
      return page.attempt(async () => {
        await api.remove(`/api/${kind}/${id}${kind === "recordings" ? "/original" : ""}`);
        await done(kind, id);
      });
    },
  };
}
