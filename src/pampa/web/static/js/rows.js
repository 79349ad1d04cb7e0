// Small overviews in the rows of a list: each a whole recording, or a stretch, from the coarsest level of its pyramid.

import { byteCache } from "./bytes.js";
import { surface } from "./canvas.js";
import { CELLS, RATE } from "./constants.js";
import { fit, sizeOf, textured } from "./ink.js";

// Frames in a cell of each level that is drawn, and how long a stretch may be for the finer one.
const LEVELS = [[1, CELLS[1], 30 * RATE], [2, CELLS[2], Infinity]];

// Items: { id, start, frames, kind, person, ready, version }; `person` is the hue and texture that the sheet uses.
export function mountRows({ list }) {
  let items = [];
  const { ink, schedule, redraw } = surface(list, { draw });
  const cache = byteCache({ kept: 500, onArrival: schedule });

  function stalksOf({ id, start, frames, version = "" }) {
    const key = `${id}:${version}:${start}:${frames}`;
    const [level, cell] = LEVELS.find(([, , longest]) => frames < longest);
    const [first, last] = [Math.floor(start / cell), Math.ceil((start + frames) / cell)];
    return cache.get(key, `/api/recordings/${id}/stalks?level=${level}&first=${first}&last=${last}`, (buffer) => new Uint8Array(buffer));
  }

  function draw() {
    const known = new Map(items.map((item) => [String(item.id), item]));
    // Only what is in sight. Places and sizes first, all at once: asked for between drawings, each would make the
    // browser lay the page out anew.
    const seen = [...list.querySelectorAll(".row-overview")].filter((canvas) => {
      const { top, bottom } = canvas.getBoundingClientRect();
      return bottom > 0 && top < window.innerHeight;
    });
    for (const canvas of seen) sizeOf(canvas);
    for (const canvas of seen) {
      const item = known.get(canvas.dataset.row);
      if (item && item.ready) drawRow(canvas, item);
    }
    cache.drawn();
  }

  function fillOf(ctx, { kind, person }) {
    if (person !== null) return textured(ctx, ink.people[person], person, ink.sheet);
    return kind === "reference" ? ink["ink-quiet"] : textured(ctx, ink["music-line"], kind === "music" ? 0 : 1, ink.music);
  }

  function drawRow(canvas, item) {
    const { ctx, width, height } = fit(canvas);
    const stalks = width > 0 ? stalksOf(item) : null;
    if (!stalks) return;
    const cells = stalks.length / 2;
    let loudest = 1;
    for (let cell = 0; cell < cells; cell++) loudest = Math.max(loudest, stalks[2 * cell]);
    ctx.fillStyle = fillOf(ctx, item);
    for (let x = 0; x < width; x += 2) {
      const byte = stalks[2 * Math.floor((x / width) * cells)] ?? 0;
      const high = Math.max(1 - (loudest - byte) / 105, 0) * height;
      ctx.fillRect(x, height - high, 1.4, high);
    }
  }

  list.closest(".gather").addEventListener("scroll", schedule, { passive: true });
  return {
    show(next) { items = next; schedule(); },
    redraw,
  };
}
