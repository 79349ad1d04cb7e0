// Sending files in pieces. A lost connection is waited out, and the file goes on where it stopped.

import { api } from "./api.js";

const PIECE = 8 << 20;
const PAUSES = [500, 1000, 2000, 4000, 8000];

const pause = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

// Upload one file; `path` is where it is announced, with `details` of what it will be. `onShare` hears how much has
// arrived, `signal` stops it. Returns what the server made of it.
export async function upload(path, file, { details = {}, onShare, signal }) {
  const begun = await api.post(path, { name: file.name, size: file.size, ...details });
  let state = begun;
  let failures = 0;
  signal.addEventListener("abort", () => api.remove(`/api/uploads/${begun.id}`).catch(() => {}), { once: true });
  while (state.received < file.size) {
    signal.throwIfAborted();
    try {
      const piece = await file.slice(state.received, state.received + PIECE).arrayBuffer();
      state = await api.putBytes(`/api/uploads/${begun.id}?offset=${state.received}`, piece, signal);
      failures = 0;
      onShare(state.received / file.size);
    } catch (error) {
      if (error.name === "AbortError" || (error.status && error.kind !== "UploadOutOfStep")) throw error;
      if (error.received !== undefined) state = { ...state, received: error.received };
      else {
        if (failures >= PAUSES.length) throw error;
        await pause(PAUSES[failures++]);
        state = await api.get(`/api/uploads/${begun.id}`).catch(() => state);
      }
    }
  }
  return arrived(state, signal);
}

// All bytes are there; the server makes a recording of them, and is asked for it again if it was stopped meanwhile.
async function arrived(state, signal) {
  for (let failures = 0; state.recording === null; ) {
    signal.throwIfAborted();
    try {
      state = await api.get(`/api/uploads/${state.id}`);
    } catch (error) {
      if (error.status || failures >= PAUSES.length) throw error;
      await pause(PAUSES[failures++]);
    }
  }
  return state;
}
