// Envelopes of pieces: points of [frame of the recording, dB], straight in dB between them and held before and after.

export const LIFTED_DB = 6;
export const LOWERED_DB = -30;
const SOFTEST_DB = -60;
const LOUDEST_DB = 24;

const share = (low, high, part) => low + (high - low) * part;

export function levelAt(points, place) {
  if (!points.length) return 0;
  if (place <= points[0][0]) return points[0][1];
  for (let n = 1; n < points.length; n++) {
    const [[a, low], [b, high]] = [points[n - 1], points[n]];
    if (place < b) return share(low, high, (place - a) / (b - a));
  }
  return points[points.length - 1][1];
}

// The gain of a clip's fades in dB at a frame of the episode, by their shapes.
export function fadeDb(clip, frame) {
  const ends = [[frame - clip.start, clip.fade_in, clip.shape_in], [clip.start + clip.length - frame, clip.fade_out, clip.shape_out]];
  return ends.reduce((sum, [inside, length, shape]) => {
    if (!length || inside >= length) return sum;
    const part = Math.max(inside / length, 1e-3);
    const sine = 20 * Math.log10(Math.sin((part * Math.PI) / 2));
    return sum + (shape === "straight" ? SOFTEST_DB * (1 - part) : shape === "power" ? sine : 2 * sine);
  }, 0);
}

export const heightShare = (db) => Math.min(Math.max((db - LOWERED_DB) / (LIFTED_DB - LOWERED_DB), 0), 1);
export const dbOfShare = (part) => Math.min(Math.max(LOWERED_DB + part * (LIFTED_DB - LOWERED_DB), SOFTEST_DB), LOUDEST_DB);

// Points with one more at a place, on the line that they draw; gives them and which one is new. Where no other is near, the
// line is held a little before and after, so that what is bent there is bent only there.
export function withPoint(points, place, near) {
  const held = [place - near, place + near].filter((at) => at > 0 && !points.some(([other]) => (at - place) * (other - place) > 0
    && Math.abs(other - place) <= near));
  const made = [...points, ...[place, ...held].map((at) => [at, levelAt(points, at)])].sort((a, b) => a[0] - b[0]);
  return { points: made, index: made.findIndex((point) => point[0] === place) };
}

// Points with one of them elsewhere: between its neighbours, in steps of half a dB.
export function moved(points, index, [place, db]) {
  const low = index > 0 ? points[index - 1][0] + 1 : 0;
  const high = index < points.length - 1 ? points[index + 1][0] - 1 : Infinity;
  const held = [Math.round(Math.min(Math.max(place, low), high)), Math.round(Math.min(Math.max(db, SOFTEST_DB), LOUDEST_DB) * 2) / 2];
  return points.map((point, n) => (n === index ? held : point));
}

// With one more at a place, on the line that they draw already.
export const pointed = (points, place) => [...points, [place, levelAt(points, place)]].sort((a, b) => a[0] - b[0]);

export const without = (points, index) => points.filter((_point, n) => n !== index);
