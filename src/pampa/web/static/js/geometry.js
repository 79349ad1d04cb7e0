// Where things are on the sheet: pure functions between frames and pixels. Nothing here draws.

import { CELLS } from "./constants.js";

export const LEFT = 96;
export const RIGHT = 16;
const PAIR = 78;
const SOLO = 40;
const BAND = 11;
const STILLS = 22;
const TALL = 44; // of music where its level is drawn
const GAP = 17;
export const FLOOR_DB = 40;

export const isTalk = (track) => track.kind === "person" || track.kind === "spot";

// The first two people share a horizon; every further one has a horizon of their own; music lies under the talk.
export function rowsOf(tracks) {
  const talk = tracks.filter(isTalk);
  const people = talk.filter((track) => track.kind === "person");
  const pair = people.slice(0, 2);
  const rows = pair.length ? [{ kind: "pair", tracks: pair, always: true }] : [];
  for (const track of talk) if (!pair.includes(track)) rows.push({ kind: "solo", tracks: [track], always: !pair.length });
  for (const track of tracks) if (!isTalk(track)) rows.push({ kind: "band", tracks: [track], always: !talk.length });
  return rows;
}

const HEIGHTS = { pair: PAIR, solo: SOLO, band: BAND, stills: STILLS };

// Lines down the page. A row that is silent over a whole line takes no room in it.
export function layoutLines({ tracks, length, rate, secondsPerLine, tall = false, pictured = new Set() }) {
  const frames = secondsPerLine * rate;
  const seen = tracks.filter((track) => track.clips.some((clip) => pictured.has(clip.recording)));
  const rows = [...(seen.length ? [{ kind: "stills", tracks: seen, always: false }] : []), ...rowsOf(tracks)];
  const count = Math.max(Math.ceil(length / frames), 1);
  const lines = [];
  let top = 20;
  for (let index = 0; index < count; index++) {
    const start = index * frames;
    const shown = rows.filter((row) => row.always || row.tracks.some((track) => soundsIn(track.clips, start, start + frames)));
    let inside = 0;
    const placed = shown.map((row) => {
      const height = tall && row.kind === "band" ? TALL : HEIGHTS[row.kind];
      const at = { ...row, top: inside, height, horizon: row.kind === "solo" ? inside + height - 6 : inside + height / 2 };
      inside += height + (row.kind === "band" ? 2 : 4);
      return at;
    });
    const height = Math.max(inside, BAND);
    lines.push({ index, start, stop: start + frames, top, height, rows: placed });
    top += height + GAP;
  }
  return { lines, height: top, frames, length };
}

export function soundsIn(clips, start, stop) {
  const at = firstEndingAfter(clips, start);
  return at < clips.length && clips[at].start < stop;
}

// The first clip that ends after a place, by bisection: clips are in order and do not overlap.
export function firstEndingAfter(clips, place) {
  let low = 0;
  let high = clips.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (clips[middle].start + clips[middle].length > place) high = middle;
    else low = middle + 1;
  }
  return low;
}

export function xOf(frame, line, width) {
  return LEFT + ((frame - line.start) / (line.stop - line.start)) * (width - LEFT - RIGHT);
}

export function lineOf(frame, layout) {
  const index = Math.floor(frame / layout.frames);
  return layout.lines[Math.min(Math.max(index, 0), layout.lines.length - 1)];
}

export function lineAtY(y, layout) {
  let low = 0;
  let high = layout.lines.length - 1;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (layout.lines[middle].top + layout.lines[middle].height + GAP / 2 > y) high = middle;
    else low = middle + 1;
  }
  return layout.lines[low];
}

export function frameAt(x, y, layout, width) {
  const line = lineAtY(y, layout);
  const share = Math.min(Math.max((x - LEFT) / (width - LEFT - RIGHT), 0), 1);
  return Math.round(Math.min(line.start + share * layout.frames, layout.length));
}

// The track under a point: above or below a horizon, or a band; null between rows.
export function trackAt(y, layout) {
  const line = lineAtY(y, layout);
  const inside = y - line.top;
  const row = line.rows.find((candidate) => inside >= candidate.top && inside <= candidate.top + candidate.height);
  if (!row) return null;
  return row.tracks.length > 1 && inside > row.horizon ? row.tracks[1] : row.tracks[0];
}

// The drift of a recording's clock in millionths. It is taken out before clips count its frames.
export function driftOf(doc, recording) {
  for (const clock of doc.clocks) if (clock.recording === recording) return clock.drift_ppm;
  return 0;
}

// Frames of a recording's own time in one frame of the episode.
export const paceOf = (doc, recording) => 1 / (1 + driftOf(doc, recording) * 1e-6);

// A level byte of the pyramid (0 for −96 dBFS, 255 for full scale) as a share of a stalk's full height.
export function stalkShare(byte, gainDb) {
  if (byte === 0) return 0;
  const db = (byte / 255) * 96 - 96 + gainDb;
  return Math.min(Math.max((db + FLOOR_DB + 4) / FLOOR_DB, 0), 1);
}

// Which level of the pyramid to read for stalks of so many frames, and how many frames its cells have.
export function levelFor(framesPerStalk) {
  const coarsest = CELLS.findLastIndex((cell) => framesPerStalk >= cell);
  const level = Math.max(coarsest, 0);
  return { level, cell: CELLS[level] };
}

// Where a place of the old episode is in the new one: the same moment of the same recording, if it is still there.
export function followed(frame, before, after) {
  for (const track of before.tracks) {
    if (!isTalk(track)) continue;
    const clip = track.clips[firstEndingAfter(track.clips, frame)];
    if (!clip || clip.start > frame) continue;
    const moment = clip.source + frame - clip.start;
    const now = after.tracks.find((candidate) => candidate.id === track.id);
    let nearest = null;
    for (const other of now ? now.clips : []) {
      if (other.recording !== clip.recording) continue;
      const inside = Math.min(Math.max(moment, other.source), other.source + other.length);
      const gap = Math.abs(inside - moment);
      if (nearest === null || gap < nearest.gap) nearest = { gap, place: other.start + inside - other.source };
    }
    if (nearest) return nearest.place;
  }
  return Math.min(frame, after.length);
}
