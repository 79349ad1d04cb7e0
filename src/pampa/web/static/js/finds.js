// Where finds lie on the sheet as it is cut now, and how they stand. Pure functions; nothing here draws.

import { firstEndingAfter } from "./geometry.js";

// Finds with `place` and `until` in the episode and a `state`: open, left, shortened or out. `policy` is the server's.
export function placeFinds(doc, finds, policy) {
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
  const others = doc.tracks.filter(
    (track) => track.kind === "spot" || (track.kind === "person" && track.clips.some((clip) => !known.has(clip.recording))),
  );
  const placed = [];
  for (const find of finds) {
    const there = placeOf(find, homes.get(find.recording) ?? [], policy);
    if (!there) continue;
    if (find.kind === "silence" && others.some((track) => soundsWithin(track.clips, there.place, there.until))) continue;
    const state = there.state === "open" && doc.left.some((left) => isSame(left, find, policy.same)) ? "left" : there.state;
    placed.push({ ...find, ...there, state });
  }
  return placed.sort((a, b) => a.place - b.place);
}

function placeOf(find, homes, policy) {
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
  return { ...first, until, state: share >= policy.manners[find.kind].whole ? "open" : share <= policy.gone ? "out" : "shortened" };
}

const soundsWithin = (clips, start, stop) => {
  const clip = clips[firstEndingAfter(clips, start)];
  return clip !== undefined && clip.start < stop;
};

function isSame(left, find, share) {
  if (left.kind !== find.kind || left.recording !== find.recording) return false;
  const met = Math.min(left.stop, find.stop) - Math.max(left.start, find.start);
  return met >= share * Math.max(left.stop - left.start, find.stop - find.start);
}

// Whether what follows moves up.
export function closesUp(find, policy) {
  const { closes } = policy.manners[find.kind];
  return closes === "always" || (closes === "alone" && find.alone);
}

// What is taken out for a find: of everybody, or of its own person only, where others go on talking.
export function cutFor(find, keep, policy) {
  if (find.kind === "silence") {
    const kept = Math.min(keep, find.until - find.place - policy.rest);
    return { start: Math.round(find.place + kept / 2), stop: Math.round(find.until - kept / 2) };
  }
  const { around } = policy.manners[find.kind];
  const cut = { start: Math.max(find.place - around, 0), stop: find.until + around };
  return closesUp(find, policy) ? cut : { ...cut, tracks: [find.track] };
}
