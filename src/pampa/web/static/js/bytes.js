// Bytes of the server that a canvas draws from: fetched when they come into view, kept while there is room, and given up
// where they went out of view before they came.

import { api } from "./api.js";

const AGAIN_MS = 1500;

// `kept`: how many are held. `onArrival`: something can be drawn now that was missing.
export function byteCache({ kept, onArrival }) {
  const entries = new Map();
  let drawing = 0;

  function begin(key, path, made) {
    const control = new AbortController();
    const entry = { value: null, drawing, control };
    entries.set(key, entry);
    api.bytes(path, control.signal)
      .then((response) => response.arrayBuffer())
      .then((buffer) => {
        entry.value = made(buffer);
        entry.control = null;
        for (const other of entries.keys()) {
          if (entries.size <= kept) break;
          entries.delete(other);
        }
        onArrival();
      })
      .catch(() => {
        if (entries.get(key) !== entry) return;
        if (control.signal.aborted) entries.delete(key);
        else setTimeout(() => { if (entries.get(key) === entry) { entries.delete(key); onArrival(); } }, AGAIN_MS);
      });
    return entry;
  }

  return {
    // What `made` makes of the bytes of a path; null while they are on their way.
    get(key, path, made) {
      const entry = entries.get(key) ?? begin(key, path, made);
      entry.drawing = drawing;
      return entry.value;
    },
    // What came of the bytes that are kept under a key, without asking for them.
    known(key) { return entries.get(key)?.value ?? null; },
    // Called when all has been drawn: what is still on its way and was not asked for is not waited for.
    drawn() {
      for (const [key, entry] of entries) {
        if (entry.control && entry.drawing !== drawing) { entries.delete(key); entry.control.abort(); }
      }
      drawing += 1;
    },
    forget() {
      for (const entry of entries.values()) if (entry.control) entry.control.abort();
      entries.clear();
    },
    get waiting() { return [...entries.values()].filter((entry) => entry.control).length; },
  };
}
