// Curves of voices over the time of a recording, fetched in tiles as they come into view: what the sheet draws by loudness.

import { byteCache } from "./bytes.js";
import { CURVES } from "./constants.js";

const { column: COLUMN, columns: COLUMNS, lowest_lufs: LOWEST_LUFS, steps: STEPS, resting: RESTING } = CURVES;
const KEPT = 600;
const SETTLED_MS = 400; // what has stood for so long is drawn: not each step of a slider, nor before that is heard

// Of columns [first, last) of one tile: loudness before and after in LUFS, the level's gain, and what is taken, in dB.
export function readColumns(bytes, first, last, out) {
  const row = (number) => bytes.subarray(number * COLUMNS + first, number * COLUMNS + last);
  const mean = (values, shift) => {
    let [sum, count] = [0, 0];
    for (const value of values) if (value) { sum += value; count++; }
    return count ? sum / count / STEPS + shift : null;
  };
  const most = (values) => { let top = 0; for (const value of values) if (value > top) top = value; return top / STEPS; };
  out.before = mean(row(0), LOWEST_LUFS);
  out.after = mean(row(1), LOWEST_LUFS);
  out.level = mean(row(2), -RESTING / STEPS) ?? 0;
  out.compressor = most(row(3));
  out.sibilance = most(row(4));
}

// address(track, recording, tile, version) : where a tile is read from.
// later(call, ms) : the clock.
export function curveStore({ onArrival, address, later = setTimeout }) {
  const cache = byteCache({ kept: KEPT, onArrival });
  const latest = new Map(); // what was there before a setting was changed keeps standing until the new is there
  const standing = new Map(); // of each voice, the version that was asked for last, and whether it has stood long enough

  function hasSettled(voice, version) {
    const last = standing.get(voice);
    if (last?.version === version) return last.settled;
    const now = { version, settled: !last };
    standing.set(voice, now);
    if (last) later(() => { if (standing.get(voice) === now) { now.settled = true; onArrival(); } }, SETTLED_MS);
    return now.settled;
  }

  return {
    // Columns under frames [start, stop) of a recording, into `out`; false where nothing is known yet.
    // version : tells one treatment of the voice from another.
    read(track, recording, version, start, stop, out) {
      const tile = Math.floor(start / COLUMN / COLUMNS);
      const first = Math.floor(start / COLUMN) - tile * COLUMNS;
      const last = Math.min(Math.max(Math.floor(stop / COLUMN) - tile * COLUMNS, first + 1), COLUMNS);
      const place = `${track}:${recording}:${tile}`;
      const key = `${place}:${version}`;
      const bytes = hasSettled(`${track}:${recording}`, version)
        ? cache.get(key, address(track, recording, tile), (buffer) => new Uint8Array(buffer))
        : cache.known(key);
      if (bytes) latest.set(place, bytes);
      const known = bytes ?? latest.get(place);
      if (known) readColumns(known, first, last, out);
      return bytes ? "known" : known ? "older" : "none";
    },
    forget() { cache.forget(); latest.clear(); standing.clear(); },
  };
}
