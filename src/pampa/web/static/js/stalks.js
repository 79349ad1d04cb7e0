// The waveform pyramids of recordings, fetched in chunks as they come into view.

import { byteCache } from "./bytes.js";

const CHUNK = 4096;
const KEPT = 1500;

export function stalkStore({ onArrival }) {
  const cache = byteCache({ kept: KEPT, onArrival });
  const bytes = (buffer) => new Uint8Array(buffer);

  function chunkAt(recording, level, index) {
    const first = index * CHUNK;
    const path = `/api/recordings/${recording}/stalks?level=${level}&first=${first}&last=${first + CHUNK}`;
    return cache.get(recording * 1e7 + level * 1e6 + index, path, bytes);
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
          chunk = chunkAt(recording, level, index);
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
    forget() { cache.forget(); },
  };
}
