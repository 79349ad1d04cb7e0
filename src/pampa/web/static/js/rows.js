// A small overview in each row of Gather: the whole recording from the coarsest level of its pyramid.

import { api } from "./api.js";
import { fit, readInk } from "./ink.js";

const CELL = 480 * 64;
const COLOURS = { person: 0, spot: 2, music: 3, effects: 4, reference: 1 };

export function mountRows({ list }) {
  const kept = new Map();
  let ink = readInk(list);
  let recordings = [];
  let frame = 0;
  const schedule = () => { frame ||= requestAnimationFrame(draw); };

  function stalksOf({ id, facts, channels }) {
    const key = `${id}:${channels}:${facts.conformed_frames}`;
    if (!kept.has(key)) {
      kept.set(key, null);
      api.bytes(`/api/recordings/${id}/stalks?level=2&first=0&last=${Math.ceil(facts.conformed_frames / CELL)}`)
        .then((response) => response.arrayBuffer())
        .then((buffer) => { kept.set(key, new Uint8Array(buffer)); schedule(); })
        .catch(() => setTimeout(() => kept.delete(key), 2000));
    }
    return kept.get(key);
  }

  function draw() {
    frame = 0;
    const known = new Map(recordings.map((recording) => [String(recording.id), recording]));
    for (const canvas of list.querySelectorAll(".row-overview")) {
      const recording = known.get(canvas.dataset.recording);
      if (recording && recording.state === "ready") drawRow(canvas, recording);
    }
  }

  function drawRow(canvas, recording) {
    const { ctx, width, height } = fit(canvas);
    const stalks = width > 0 ? stalksOf(recording) : null;
    if (!stalks) return;
    const cells = stalks.length / 2;
    let loudest = 1;
    for (let cell = 0; cell < cells; cell++) loudest = Math.max(loudest, stalks[2 * cell]);
    ctx.fillStyle = ink.people[COLOURS[recording.role] ?? 0];
    for (let x = 0; x < width; x += 2) {
      const byte = stalks[2 * Math.floor((x / width) * cells)] ?? 0;
      const high = Math.max(1 - (loudest - byte) / 105, 0) * height;
      ctx.fillRect(x, height - high, 1.4, high);
    }
  }

  new ResizeObserver(schedule).observe(list);
  return {
    show(next) { recordings = next; schedule(); },
    redraw() { ink = readInk(list); schedule(); },
  };
}
