// The picture over the loupe: what is seen at the playhead, whatever was cut, at any speed, and while it is dragged.

import { byteCache } from "./bytes.js";
import { RATE } from "./constants.js";
import { paceOf } from "./geometry.js";
import { fit } from "./ink.js";
import { picturedClip, seenAt, unpacked } from "./picture-frames.js";

const SECONDS_KEPT = 40;
const READY = RATE / 8; // of the episode, whose frames are made ready before they are needed
const READY_OF_AHEAD = 0.2; // and while it plays, of what is read ahead: a page that is drawn seldom skips frames
const SHORTEST = RATE / 60; // a frame, at the rates that pictures come in
const STEP = RATE / 2; // of the episode, when what plays is read ahead
const BITMAPS = 80;

export function mountPicture({ canvas }) {
  let view = { doc: null, pictured: new Set(), place: 0, ahead: 0, shown: true };
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

  // Which recording is seen at a place of the episode, and where in it; null where none is.
  function at(place) {
    const clip = picturedClip(view.doc, view.pictured, place);
    if (!clip) return null;
    const seconds = ((clip.source + place - clip.start) * paceOf(view.doc, clip.recording)) / RATE;
    return { recording: clip.recording, seconds, second: Math.max(Math.floor(seconds), 0) };
  }

  function draw() {
    frame = 0;
    if (!view.doc || !view.shown) return;
    const here = at(view.place);
    canvas.dataset.seen = here ? String(here.recording) : "";
    if (here) drawFrame(here);
    else paint(null);
    // What will be seen, over seams and whatever the line's delay: it would come too late if asked for when it is needed.
    for (let place = view.place + STEP; place <= view.place + view.ahead; place += STEP) {
      const then = at(place);
      if (then) secondOf(then.recording, then.second);
    }
    const soon = view.place + Math.max(READY, view.ahead * READY_OF_AHEAD);
    for (let place = view.place + SHORTEST; place <= soon; place += SHORTEST) makeReady(at(place));
    cache.drawn();
  }

  function drawFrame({ recording, seconds, second }) {
    const frames = secondOf(recording, second);
    if (!frames) return;
    const seen = seenAt(frames, seconds);
    if (seen === null) { paint(null); return; }
    bitmapOf(frames[seen]);
    // One that is late is not waited for: the nearest before it is seen meanwhile.
    const shown = frames.slice(0, seen + 1).findLast((one) => one.bitmap);
    if (!shown) return;
    paint(shown.bitmap);
    canvas.dataset.time = shown.time.toFixed(4);
  }

  function makeReady(then) {
    if (!then) return;
    const frames = secondOf(then.recording, then.second);
    const seen = frames && seenAt(frames, then.seconds);
    if (seen !== null) bitmapOf(frames[seen]);
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
