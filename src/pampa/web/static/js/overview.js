// The overview: the whole episode upright at the left edge. Talk, music, seams, and what the sheet shows.

import { surface } from "./canvas.js";
import { firstEndingAfter, levelFor, paceOf, stalkShare } from "./geometry.js";
import { peopleOf } from "./ink.js";
import { shortClock } from "./time.js";

export function mountOverview({ canvas, stalks, onGo }) {
  let view = { doc: null, gains: new Map(), seen: { start: 0, stop: 0 }, playhead: 0, finds: [] };
  let pressing = false;
  const pair = [0, 0];
  const { ink, schedule, redraw, clean } = surface(canvas, { draw, words });
  const yOf = (place, height) => 6 + (place / Math.max(view.doc.length, 1)) * (height - 12);

  function draw() {
    if (!view.doc) return;
    const { ctx, width, height } = clean();
    const people = peopleOf(view.doc.tracks);
    const middle = width / 2;
    for (const track of view.doc.tracks) {
      if (people.has(track.id)) drawTalk(ctx, track, people.get(track.id), middle, height);
      else drawMusic(ctx, track, width, height);
    }
    ctx.fillStyle = ink.ink;
    for (const seam of view.doc.seams) ctx.fillRect(middle - 9, yOf(seam.at, height), 18, 1);
    for (const find of view.finds) ctx.fillRect(2, yOf(find.place, height), 3, 1);
    ctx.fillStyle = ink.accent;
    ctx.fillRect(2, yOf(view.playhead, height), width - 4, 1.5);
    const top = yOf(Math.min(view.seen.start, view.doc.length), height);
    const bottom = yOf(Math.min(view.seen.stop, view.doc.length), height);
    ctx.strokeStyle = ink.accent;
    ctx.strokeRect(1.5, top, width - 3, Math.max(bottom - top, 4));
  }

  function drawTalk(ctx, track, index, middle, height) {
    const perRow = view.doc.length / Math.max(height - 12, 1);
    const { level, cell } = levelFor(perRow);
    ctx.fillStyle = ink.people[index];
    for (let y = 0; y < height - 12; y++) {
      const at = y * perRow;
      const clip = track.clips[firstEndingAfter(track.clips, at)];
      if (!clip || clip.start > at) continue;
      const first = Math.floor(((clip.source + at - clip.start) * paceOf(view.doc, clip.recording)) / cell);
      stalks.read(clip.recording, level, first, Math.max(first + Math.floor(perRow / cell), first + 1), pair);
      const wide = stalkShare(pair[1], view.gains.get(clip.recording) ?? 0) * (middle - 4);
      if (wide > 1) ctx.fillRect(index % 2 ? middle : middle - wide, y + 6, wide, 1);
    }
  }

  function drawMusic(ctx, track, width, height) {
    ctx.fillStyle = ink["music-line"];
    for (const clip of track.clips)
      ctx.fillRect(width - 4, yOf(clip.start, height), 2, Math.max(yOf(clip.start + clip.length, height) - yOf(clip.start, height), 2));
  }

  function words() {
    if (!view.doc) return "";
    const places = [view.playhead, view.doc.length, view.seen.start, Math.min(view.seen.stop, view.doc.length)];
    const [at, end, from, to] = places.map((place) => shortClock(place));
    return `Overview: the playhead at ${at} of ${end}, the sheet from ${from} to ${to}, ${view.doc.seams.length} seams; click to go there`;
  }

  const go = (event) => {
    const share = (event.clientY - canvas.getBoundingClientRect().top - 6) / (canvas.clientHeight - 12);
    onGo(Math.round(Math.min(Math.max(share, 0), 1) * view.doc.length));
  };
  canvas.addEventListener("pointerdown", (event) => { pressing = true; canvas.setPointerCapture(event.pointerId); go(event); });
  canvas.addEventListener("pointermove", (event) => { if (pressing) go(event); });
  canvas.addEventListener("pointerup", () => { pressing = false; });

  return {
    show(change) { view = { ...view, ...change }; schedule(); },
    redraw,
    arrived: schedule,
  };
}
