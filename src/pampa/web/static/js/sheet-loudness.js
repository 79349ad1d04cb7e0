// The sheet by loudness: each person as a ribbon around the target line, with what level, compressor and sibilance do.

import { COMMON_LEVEL } from "./constants.js";
import { LEFT, RIGHT, firstEndingAfter, xOf } from "./geometry.js";

const REACH_LU = 12;
const SPOKEN_LU = 9; // further under the target lie the ends of words, and the room
const RESTS_DB = 0.25;
const STEP = 3;
const SHARP_DB = 2;

// One version of how a voice is treated: curves of another one are read anew.
function versionOf(doc, track, recording) {
  const mending = doc.mendings.find((candidate) => candidate.recording === recording);
  return JSON.stringify([track.treated, track.recipe, mending ? mending.amounts : null]);
}

// Draws the talk of one row of a line; gives whether all of it was known.
export function drawLoudness(ctx, { view, ink, layout, curves }, line, row, y, width, people) {
  let complete = true;
  row.tracks.forEach((track, side) => {
    const half = row.kind === "pair";
    const top = y + (half && side ? row.horizon + 1 : row.top);
    const lane = { top, height: half ? row.height / 2 - 1 : row.height };
    if (!drawLane(ctx, { view, ink, layout, curves }, line, track, lane, width, people.get(track.id))) complete = false;
  });
  return complete;
}

function drawLane(ctx, { view, ink, layout, curves }, line, track, { top, height }, width, person) {
  const middle = Math.round(top + height / 2);
  const perLu = (height / 2 - 3) / REACH_LU;
  const frames = (layout.frames * STEP) / (width - LEFT - RIGHT);
  const end = Math.min(xOf(layout.length, line, width), width - RIGHT);
  ctx.fillStyle = ink.rule;
  for (let x = LEFT; x < end; x += 6) ctx.fillRect(x, middle, 3, 1);
  ctx.globalAlpha = track.muted ? 0.35 : 1;
  const out = { before: null, after: null, level: 0, compressor: 0, sibilance: 0 };
  const levels = [];
  const versions = new Map();
  let complete = true;
  let index = firstEndingAfter(track.clips, line.start);
  let x = LEFT;
  for (let at = line.start; at < line.stop && index < track.clips.length; at += frames, x += STEP) {
    let clip = track.clips[index];
    while (clip && clip.start + clip.length <= at) clip = track.clips[++index];
    if (!clip || clip.start > at) { levels.push(null); continue; }
    const source = clip.source + at - clip.start;
    if (!versions.has(clip.recording)) versions.set(clip.recording, versionOf(view.doc, track, clip.recording));
    const state = curves.read(track.id, clip.recording, versions.get(clip.recording), source, source + frames, out);
    if (state !== "known") complete = false;
    if (state === "none") { levels.push(null); continue; }
    levels.push(track.treated ? out.level : null);
    drawMoment(ctx, ink, out, { x, top, height, middle, perLu, person, more: track.gain_db + clip.gain_db, treated: track.treated });
  }
  drawLevels(ctx, ink, levels, middle, perLu);
  ctx.globalAlpha = 1;
  return complete;
}

const heightOf = (lu, perLu) => Math.min(Math.max(lu, -REACH_LU), REACH_LU) * perLu;

function drawMoment(ctx, ink, out, { x, top, height, middle, perLu, person, more, treated }) {
  const after = out.after === null ? -Infinity : out.after + more - COMMON_LEVEL;
  if (after < -SPOKEN_LU) return;
  const high = heightOf(after, perLu);
  ctx.fillStyle = ink.people[person];
  ctx.fillRect(x, high > 0 ? middle - high : middle, STEP - 1, Math.max(Math.abs(high), 1.5));
  if (!treated) return;
  if (out.before !== null) {
    ctx.fillStyle = ink.tips[person];
    ctx.fillRect(x, middle - heightOf(out.before + more - COMMON_LEVEL, perLu), STEP - 1, 1);
  }
  if (out.compressor > 0.5) {
    ctx.fillStyle = ink["accent-soft"];
    ctx.fillRect(x, top, STEP, Math.min(out.compressor * perLu, height / 2));
  }
  if (out.sibilance >= SHARP_DB) {
    ctx.fillStyle = ink.accent;
    ctx.fillRect(x, top + height - 4, 1.5, 4);
  }
}

// The gain of the level as a fine line, on the same scale; where it rests at 0 it is not drawn.
function drawLevels(ctx, ink, levels, middle, perLu) {
  ctx.strokeStyle = ink.ink;
  ctx.lineWidth = 1.25;
  ctx.beginPath();
  let drawing = false;
  levels.forEach((level, index) => {
    const x = LEFT + index * STEP + 1;
    if (level === null || Math.abs(level) < RESTS_DB) { drawing = false; return; }
    if (drawing) ctx.lineTo(x, middle - heightOf(level, perLu));
    else ctx.moveTo(x, middle - heightOf(level, perLu));
    drawing = true;
  });
  ctx.stroke();
}
