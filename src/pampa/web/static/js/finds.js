// Where finds lie on the sheet as it is cut now, and how they stand. Pure functions; nothing here draws.

import { firstEndingAfter } from "./geometry.js";

const SAME = 0.5;
const WHOLE = { silence: 0.98, usual: 0.6 }; // of what is left of it: a restart is still one when its um has gone
const GONE = 0.35;
const AROUND_CLICK = 384; // frames: the cross-fade of a join must not reach into the click

// Finds with `place` and `until` in the episode and a `state`: open, left, shortened or out.
export function placeFinds(doc, finds) {
  const homes = new Map();
  for (const track of doc.tracks) for (const clip of track.clips) {
    if (!homes.has(clip.recording)) homes.set(clip.recording, []);
    homes.get(clip.recording).push({ clip, track });
  }
  // Copies may hold the same sound twice: `reach` is how far the clips up to each one go, for bisecting.
  for (const list of homes.values()) {
    list.sort((a, b) => a.clip.source - b.clip.source || b.clip.length - a.clip.length);
    let reach = 0;
    for (const home of list) home.reach = reach = Math.max(reach, home.clip.source + home.clip.length);
  }
  const known = new Set(finds.map((find) => find.recording));
  const others = doc.tracks.filter((track) => track.kind === "spot" || (track.kind === "person" && track.clips.some((clip) => !known.has(clip.recording))));
  const placed = [];
  for (const find of finds) {
    const there = placeOf(find, homes.get(find.recording) ?? []);
    if (!there) continue;
    if (find.kind === "silence" && others.some((track) => soundsWithin(track.clips, there.place, there.until))) continue;
    const state = there.state === "open" && doc.left.some((left) => isSame(left, find)) ? "left" : there.state;
    placed.push({ ...find, ...there, state });
  }
  return placed.sort((a, b) => a.place - b.place);
}

function placeOf(find, homes) {
  const length = find.stop - find.start;
  let low = 0;
  let high = homes.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (homes[middle].reach > find.start) high = middle;
    else low = middle + 1;
  }
  let covered = 0;
  let known = find.start;
  let first = null;
  let until = 0;
  for (let i = low; i < homes.length && homes[i].clip.source < find.stop; i++) {
    const { clip, track } = homes[i];
    const from = Math.max(known, clip.source);
    const to = Math.min(find.stop, clip.source + clip.length);
    if (to <= from) continue;
    const at = clip.start + from - clip.source;
    if (!first) first = { place: at, track: track.id, trackName: track.name };
    until = clip.start + to - clip.source;
    covered += to - from;
    known = to;
  }
  if (!first) {
    const next = homes[low];
    return next ? { place: next.clip.start, until: next.clip.start, track: next.track.id, trackName: next.track.name, state: "out" } : null;
  }
  const share = covered / length;
  return { ...first, until, state: share >= (WHOLE[find.kind] ?? WHOLE.usual) ? "open" : share <= GONE ? "out" : "shortened" };
}

const soundsWithin = (clips, start, stop) => {
  const clip = clips[firstEndingAfter(clips, start)];
  return clip !== undefined && clip.start < stop;
};

function isSame(left, find) {
  if (left.kind !== find.kind || left.recording !== find.recording) return false;
  const met = Math.min(left.stop, find.stop) - Math.max(left.start, find.start);
  return met >= SAME * Math.max(left.stop - left.start, find.stop - find.start);
}

// Whether what follows moves up. Nobody's words are cut for what another said: then only its room is left.
export const closesUp = (find) => find.kind === "silence" || find.kind === "chatter" || (find.alone && !["backchannel", "knock"].includes(find.kind));

// What is taken out for a find: of everybody, or of its own person only where others go on talking.
export function cutFor(find, keep) {
  if (find.kind === "silence") {
    const kept = Math.min(keep, find.until - find.place - 480);
    return { start: Math.round(find.place + kept / 2), stop: Math.round(find.until - kept / 2) };
  }
  const around = find.kind === "click" ? AROUND_CLICK : 0;
  const cut = { start: Math.max(find.place - around, 0), stop: find.until + around };
  return closesUp(find) ? cut : { ...cut, tracks: [find.track] };
}
