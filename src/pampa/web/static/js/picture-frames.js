// Small frames of pictures as the server packs them: how many, then the time and size of each, then the JPEGs.

const HEAD = 12;

// The frames of one packet: their times in seconds, and the bytes of each.
export function unpacked(buffer) {
  const view = new DataView(buffer);
  const count = buffer.byteLength < 4 ? 0 : view.getUint32(0, true);
  const frames = [];
  let at = 4 + count * HEAD;
  for (let n = 0; n < count; n++) {
    const size = view.getUint32(4 + n * HEAD + 8, true);
    frames.push({ time: view.getFloat64(4 + n * HEAD, true), jpeg: new Uint8Array(buffer, at, size), bitmap: null });
    at += size;
  }
  return frames;
}

// The frame that is seen at a moment: the last that has begun; null before the first.
export function seenAt(frames, seconds) {
  let low = 0;
  let high = frames.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (frames[middle].time <= seconds + 1e-6) low = middle + 1;
    else high = middle;
  }
  return low ? low - 1 : null;
}

// The clip whose picture is seen at a place of the episode: of several the one on the highest track.
export function picturedClip(doc, pictured, place) {
  for (const track of doc.tracks) {
    for (const clip of track.clips) {
      if (clip.start > place) break;
      if (place < clip.start + clip.length && pictured.has(clip.recording)) return clip;
    }
  }
  return null;
}
