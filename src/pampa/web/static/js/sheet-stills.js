// The thin row of stills on the sheet: what is seen, every few seconds, where the talk lies.

import { byteCache } from "./bytes.js";
import { RATE } from "./constants.js";
import { firstEndingAfter, paceOf, xOf } from "./geometry.js";
import { unpacked } from "./picture-frames.js";

const KEPT = 80;

export function stillStore({ onArrival }) {
  const cache = byteCache({ kept: KEPT, onArrival });
  return {
    // Bitmaps of stills at equal distances; null until they are there.
    read(recording, start, step, count) {
      const path = `/api/recordings/${recording}/stills?start=${start.toFixed(3)}&step=${step.toFixed(4)}&count=${count}`;
      const frames = cache.get(path, path, unpacked);
      if (!frames) return null;
      for (const one of frames) {
        if (one.coming) continue;
        one.coming = true;
        createImageBitmap(new Blob([one.jpeg], { type: "image/jpeg" })).then((bitmap) => { one.bitmap = bitmap; onArrival(); });
      }
      return frames.every((one) => one.bitmap) ? frames : null;
    },
    forget: () => cache.forget(),
  };
}

// Draws the row of one line; whether all of it was there.
export function drawStills(ctx, { view, layout, stills }, line, row, y, width) {
  const wide = Math.round((row.height * 16) / 9);
  const step = (wide / (xOf(layout.frames, { start: 0, stop: layout.frames }, width) - xOf(0, { start: 0, stop: layout.frames }, width)))
    * (layout.frames / RATE);
  let complete = true;
  for (const track of row.tracks) {
    for (let i = firstEndingAfter(track.clips, line.start); i < track.clips.length && track.clips[i].start < line.stop; i++) {
      const clip = track.clips[i];
      if (!view.pictured.has(clip.recording)) continue;
      const from = Math.max(clip.start, line.start);
      const until = Math.min(clip.start + clip.length, line.stop);
      const count = Math.max(Math.ceil((until - from) / RATE / step), 1);
      const pace = paceOf(view.doc, clip.recording);
      const frames = stills.read(clip.recording, Math.max(((clip.source + from - clip.start) * pace) / RATE, 0), step * pace, count);
      if (!frames) { complete = false; continue; }
      ctx.save();
      ctx.beginPath();
      ctx.rect(xOf(from, line, width), y + row.top, xOf(until, line, width) - xOf(from, line, width), row.height);
      ctx.clip();
      frames.forEach(({ bitmap }, n) => {
        const high = row.height;
        const across = Math.min((bitmap.width / bitmap.height) * high, wide);
        ctx.drawImage(bitmap, xOf(from, line, width) + n * wide + (wide - across) / 2, y + row.top, across, high);
      });
      ctx.restore();
    }
  }
  return complete;
}
