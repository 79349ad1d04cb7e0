// The waveform pyramids of recordings, fetched in chunks as they come into view.

import { api } from "./api.js";

const CHUNK = 4096;
const KEPT = 1500;

export function stalkStore({ onArrival }) {
  const chunks = new Map();

  function fetchChunk(key, recording, level, index) {
    chunks.set(key, null);
    const first = index * CHUNK;
    api
      .bytes(`/api/recordings/${recording}/stalks?level=${level}&first=${first}&last=${first + CHUNK}`)
      .then((response) => response.arrayBuffer())
      .then((buffer) => {
        chunks.set(key, new Uint8Array(buffer));
        if (chunks.size > KEPT) chunks.delete(chunks.keys().next().value);
        onArrival();
      })
      .catch(() => setTimeout(() => chunks.delete(key), 2000));
  }

  return {
    // Peak and average over cells [first, last) of a level, into `out`; false while they are on their way.
    read(recording, level, first, last, out) {
      let peak = 0;
      let sum = 0;
      let count = 0;
      let complete = true;
      let index = -1;
      let chunk = null;
      for (let cell = first; cell < last; cell++) {
        if (Math.floor(cell / CHUNK) !== index) {
          index = Math.floor(cell / CHUNK);
          const key = recording * 1e7 + level * 1e6 + index;
          chunk = chunks.get(key);
          if (chunk === undefined) fetchChunk(key, recording, level, index);
        }
        if (!chunk) {
          complete = false;
          continue;
        }
        const at = 2 * (cell - index * CHUNK);
        if (at >= chunk.length) break;
        if (chunk[at] > peak) peak = chunk[at];
        sum += chunk[at + 1];
        count++;
      }
      out[0] = peak;
      out[1] = count ? sum / count : 0;
      return complete;
    },
    forget() {
      chunks.clear();
    },
  };
}
