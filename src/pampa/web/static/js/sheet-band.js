// Music and effects on the sheet: as bands, or by loudness with their envelope, as they step back under the talk.

import { RATE } from "./constants.js";
import { dbOfShare, fadeDb, heightShare, levelAt, withPoint } from "./envelope.js";
import { firstEndingAfter, isTalk, paceOf, xOf } from "./geometry.js";
import { textured } from "./ink.js";

const STEP = 2;
const DOT = 3.5;
const SHOULDER = RATE; // how far around a new point the line stays as it is

const partOf = (clip, line, width) => [
  xOf(Math.max(clip.start, line.start), line, width), xOf(Math.min(clip.start + clip.length, line.stop), line, width),
];
const frameOf = (x, line, width, left) => line.start + ((x - left) / (width - left - 16)) * (line.stop - line.start);
const heldIn = (view, clip) => (view.envelope && view.envelope.clip === clip.id ? view.envelope.points : clip.envelope);

export function drawBand(ctx, { view, ink }, line, row, y, width) {
  const track = row.tracks[0];
  for (let i = firstEndingAfter(track.clips, line.start); i < track.clips.length && track.clips[i].start < line.stop; i++) {
    const clip = track.clips[i];
    const [left, right] = partOf(clip, line, width);
    const box = { left, right, top: y + row.top, height: row.height };
    ctx.globalAlpha = track.muted || clip.muted ? 0.35 : 1;
    if (view.byLoudness) drawHeard(ctx, { view, ink }, line, track, clip, box, width);
    else {
      ctx.fillStyle = ink.music;
      leaning(ctx, clip, line, width, box);
      ctx.fillStyle = textured(ctx, ink["music-line"], 1, ink.music);
      ctx.fillRect(left, box.top + row.height - 2, right - left, 2);
    }
    ctx.globalAlpha = 1;
    if (view.clip === clip.id) {
      ctx.strokeStyle = ink.accent;
      ctx.lineWidth = 1.5;
      ctx.strokeRect(left + 0.5, box.top - 1, right - left - 1, row.height + 2);
    }
    if (right - left > 60) {
      ctx.font = `11px ${ink.text}`;
      ctx.textAlign = "left";
      ctx.textBaseline = "middle";
      ctx.fillStyle = ink.ink;
      const at = view.byLoudness ? row.height - 7 : row.height / 2 - 0.5;
      ctx.fillText(view.names.get(clip.recording) ?? track.name, left + 6, box.top + at, right - left - 12);
    }
  }
}

// What of the talk is heard as a special voice is named under its horizon.
export function drawSpecials(ctx, { ink }, line, row, y, width) {
  ctx.font = `italic 11px ${ink.text}`;
  ctx.textAlign = "left";
  ctx.textBaseline = "alphabetic";
  ctx.fillStyle = ink["ink-quiet"];
  row.tracks.forEach((track, side) => {
    for (let i = firstEndingAfter(track.clips, line.start); i < track.clips.length && track.clips[i].start < line.stop; i++) {
      const clip = track.clips[i];
      const special = clip.special ?? track.special;
      const under = row.kind === "pair" && !side ? -3 : 11;
      if (special) ctx.fillText(special.kind, partOf(clip, line, width)[0] + 2, y + row.horizon + under);
    }
  });
}

// A band leans in where it fades.
function leaning(ctx, clip, line, width, { left, right, top, height }) {
  const fadeIn = Math.min(Math.max(xOf(clip.start + clip.fade_in, line, width), left), right);
  const fadeOut = Math.max(Math.min(xOf(clip.start + clip.length - clip.fade_out, line, width), right), left);
  ctx.beginPath();
  ctx.moveTo(left, top + (fadeIn > left ? height : 0));
  ctx.lineTo(fadeIn, top);
  ctx.lineTo(fadeOut, top);
  ctx.lineTo(right, top + (fadeOut < right ? height : 0));
  ctx.lineTo(right, top + height);
  ctx.lineTo(left, top + height);
  ctx.fill();
}

// As high as it will be heard; its envelope by itself is the line over it.
function drawHeard(ctx, { view, ink }, line, track, clip, { left, right, top, height }, width) {
  const points = heldIn(view, clip);
  const steps = view.steps[track.id] ?? [];
  const perPixel = (line.stop - line.start) / (width - 96 - 16);
  const yOf = (db) => top + height * (1 - heightShare(db));
  ctx.fillStyle = ink["rule-soft"];
  ctx.fillRect(left, Math.round(yOf(0)), right - left, 1);
  ctx.fillStyle = ink.music;
  ctx.beginPath();
  ctx.moveTo(left, top + height);
  for (let x = left; x <= right; x += STEP) {
    const frame = line.start + (x - 96) * perPixel;
    const own = levelAt(points, clip.source + frame - clip.start);
    ctx.lineTo(x, yOf(own + fadeDb(clip, frame) + levelAt(steps, frame)));
  }
  ctx.lineTo(right, top + height);
  ctx.fill();
  ctx.fillStyle = ink["music-line"];
  ctx.fillRect(left, top + height - 1, right - left, 1);
  const chosen = view.clip === clip.id;
  if (chosen) drawBeats(ctx, { view, ink }, line, clip, { left, right, top, height }, width);
  if (points.length || chosen) drawEnvelope(ctx, ink, line, clip, points, { left, right, yOf }, width, chosen);
}

function drawEnvelope(ctx, ink, line, clip, points, { left, right, yOf }, width, chosen) {
  const xAt = (place) => xOf(clip.start + place - clip.source, line, width);
  const levelOf = (x) => levelAt(points, clip.source + frameOf(x, line, width, 96) - clip.start);
  ctx.strokeStyle = ink.ink;
  ctx.lineWidth = 1.25;
  ctx.beginPath();
  ctx.moveTo(left, yOf(levelOf(left)));
  for (const [place, db] of points) if (xAt(place) > left && xAt(place) < right) ctx.lineTo(xAt(place), yOf(db));
  ctx.lineTo(right, yOf(levelOf(right)));
  ctx.stroke();
  if (!chosen) return;
  for (const [place, db] of points) {
    if (xAt(place) < left || xAt(place) > right) continue;
    ctx.beginPath();
    ctx.arc(xAt(place), yOf(db), DOT, 0, 2 * Math.PI);
    ctx.fillStyle = ink.sheet;
    ctx.fill();
    ctx.stroke();
  }
}

// A short line for each beat of the chosen piece, a longer one where a bar begins.
function drawBeats(ctx, { view, ink }, line, clip, { left, right, top, height }, width) {
  const beats = view.beats[clip.recording];
  if (!beats) return;
  ctx.fillStyle = ink["ink-quiet"];
  const pace = RATE / paceOf(view.doc, clip.recording);
  for (const [seconds, high] of [[beats.beats_s, 4], [beats.bars_s, 9]]) {
    for (const second of seconds) {
      const x = xOf(clip.start + second * pace - clip.source, line, width);
      if (x >= left && x < right) ctx.fillRect(Math.round(x), top + height - high, 1, high);
    }
  }
}

// The envelope of the chosen piece under a point of the sheet: its points, and the one that is taken hold of. Without one
// there, the line itself gives a new one.
export function envelopeUnder(view, at, line, width, reach) {
  if (!view.byLoudness || !at.track || isTalk(at.track)) return null;
  const clip = at.track.clips.find((candidate) => candidate.id === view.clip);
  const row = line.rows.find((candidate) => candidate.tracks[0].id === at.track.id);
  if (!clip || !row || at.frame < clip.start || at.frame > clip.start + clip.length) return null;
  const yOf = (db) => line.top + row.top + row.height * (1 - heightShare(db));
  const xAt = (place) => xOf(clip.start + place - clip.source, line, width);
  const index = clip.envelope.findIndex(([place, db]) => Math.hypot(xAt(place) - at.x, yOf(db) - at.y) <= reach);
  const dbAt = (y) => dbOfShare(1 - (y - line.top - row.top) / row.height);
  const held = { clip: clip.id, dbAt, placeAt: (frame) => clip.source + frame - clip.start };
  if (index >= 0) return { ...held, points: clip.envelope, index, fresh: false };
  const place = held.placeAt(at.frame);
  if (Math.abs(yOf(levelAt(clip.envelope, place)) - at.y) > reach) return null;
  return { ...held, ...withPoint(clip.envelope, place, SHOULDER), fresh: true };
}
