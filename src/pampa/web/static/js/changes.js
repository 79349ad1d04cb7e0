// A state of the episode from the one before it and what the server says has changed.

const inPlace = (thing, by) => ("start" in thing ? { ...thing, start: thing.start + by } : { ...thing, at: thing.at + by });

function listAfter(before, { kept, new: added, moved, by }) {
  const last = before.slice(before.length - moved);
  return [...before.slice(0, kept), ...added, ...(by ? last.map((thing) => inPlace(thing, by)) : last)];
}

export function changed(before, change) {
  const clips = new Map(before.tracks.map((track) => [track.id, track.clips]));
  return {
    ...change,
    tracks: change.tracks.map((track) => ({ ...track, clips: listAfter(clips.get(track.id) ?? [], track.clips) })),
    seams: listAfter(before.seams, change.seams),
    markers: listAfter(before.markers, change.markers),
  };
}
