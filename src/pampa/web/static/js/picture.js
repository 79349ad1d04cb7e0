// The picture over the loupe: what is seen at the playhead, whatever was cut, at any speed, and while it is dragged.

import { byteCache } from "./bytes.js";
import { RATE } from "./constants.js";
import { paceOf } from "./geometry.js";
import { fit } from "./ink.js";
import { picturedClip, seenAt, unpacked } from "./picture-frames.js";

const SECONDS_KEPT = 40;
const AHEAD = 4; // frames that are made ready before they are needed
const BITMAPS = 80;

export function mountPicture({ canvas }) {
  let view = { doc: null, pictured: new Set(), place: 0, shown: true };
  let frame = 0;
  const ready = []; // frames with a bitmap, the latest last
  const cache = byteCache({ kept: SECONDS_KEPT, onArrival: schedule });

  function schedule() { frame ||= requestAnimationFrame(draw); }

  function secondOf(recording, second) {
    return cache.get(`${recording}:${second}`, `/api/recordings/${recording}/picture/${second}`, unpacked);
  }

  // A frame's bitmap, or null while it is on its way.
  function bitmapOf(one) {
    if (one.bitmap || one.coming) return one.bitmap;
    one.coming = true;
    createImageBitmap(new Blob([one.jpeg], { type: "image/jpeg" })).then((bitmap) => {
      one.bitmap = bitmap;
      ready.push(one);
      if (ready.length > BITMAPS) { const old = ready.shift(); old.bitmap.close(); old.bitmap = null; old.coming = false; }
      schedule();
    }).catch(() => { one.coming = false; });
    return null;
  }

  function draw() {
    frame = 0;
    if (!view.doc || !view.shown) return;
    const clip = picturedClip(view.doc, view.pictured, view.place);
    canvas.dataset.seen = clip ? String(clip.recording) : "";
    if (!clip) return paint(null);
    const seconds = ((clip.source + view.place - clip.start) * paceOf(view.doc, clip.recording)) / RATE;
    const second = Math.max(Math.floor(seconds), 0);
    const frames = secondOf(clip.recording, second);
    if (!frames) return cache.drawn();
    const at = seenAt(frames, seconds);
    if (at === null) return paint(null);
    const bitmap = bitmapOf(frames[at]);
    if (bitmap) {
      paint(bitmap);
      canvas.dataset.time = frames[at].time.toFixed(4);
    }
    const next = at + AHEAD >= frames.length ? secondOf(clip.recording, second + 1) : null;
    for (const one of [...frames.slice(at + 1, at + 1 + AHEAD), ...(next ?? []).slice(1, AHEAD)]) bitmapOf(one);
    cache.drawn();
  }

  function paint(bitmap) {
    const { ctx, width, height } = fit(canvas);
    if (!bitmap) return;
    const scale = Math.min(width / bitmap.width, height / bitmap.height);
    const [wide, high] = [bitmap.width * scale, bitmap.height * scale];
    ctx.drawImage(bitmap, (width - wide) / 2, (height - high) / 2, wide, high);
  }

  return {
    show(changes) {
      view = { ...view, ...changes };
      schedule();
    },
    redraw: schedule,
    // The small frames have come, or are there anew.
    forget() { cache.forget(); schedule(); },
  };
}
