// Reference and recording at three places at once, and the measured offsets with their line.

import { byteCache } from "./bytes.js";
import { DECIMALS, surface, ticks } from "./canvas.js";
import { RATE } from "./constants.js";
import { clock, level, shortClock } from "./time.js";

const VIEW_S = 2.4;
const GAP = 18;
const TITLE = 24;
const LEFT = 64;
const SHARE = 0.56; // of the height, for the three places
const PLACES = ["near the start", "in the middle", "near the end"];

export function mountLining({ canvas, onSlide, onPlace }) {
  let view = { episode: 0, lining: null, person: 0, name: "", place: 0 };
  let drag = null;
  const { ink, schedule, redraw, clean } = surface(canvas, { draw });
  const cache = byteCache({ kept: 60, onArrival: schedule });

  function boxes() {
    const width = (canvas.clientWidth - 2 * GAP - 2) / 3;
    return [0, 1, 2].map((index) => ({
      left: 1 + index * (width + GAP),
      width,
      top: TITLE,
      height: canvas.clientHeight * SHARE - TITLE - 8,
    }));
  }

  function waveOf(index, width) {
    const { lining, episode } = view;
    const points = Math.max(Math.round(width / 2), 50);
    const key = `${lining.recording}:${lining.views_s[index]}:${lining.offset_s}:${lining.drift_ppm}:${points}`;
    const path = `/api/episodes/${episode}/linings/${lining.recording}/view?at_s=${lining.views_s[index]}&points=${points}`;
    return cache.get(key, path, (buffer) => ({ points, values: new Int16Array(buffer) }));
  }

  function draw() {
    const { ctx, width, height } = clean();
    if (!view.lining || !view.lining.matched || width < 300) return;
    boxes().forEach((box, index) => drawPlace(ctx, box, index));
    cache.drawn();
    drawOffsets(ctx, { left: LEFT, top: height * SHARE + 34, width: width - LEFT - 8, height: height * (1 - SHARE) - 62 });
  }

  // As on the sheet: the reference rises above the ground line, the recording hangs below it.
  function drawPlace(ctx, box, index) {
    const chosen = index === view.place;
    ctx.font = `12px ${ink.text}`;
    ctx.textBaseline = "alphabetic";
    ctx.textAlign = "left";
    ctx.fillStyle = chosen ? ink.accent : ink["ink-quiet"];
    ctx.fillText(PLACES[index], box.left, box.top - 8, box.width - 80);
    ctx.font = `12px ${ink.mono}`;
    ctx.textAlign = "right";
    ctx.fillText(clock(view.lining.views_s[index] * RATE), box.left + box.width, box.top - 8);
    const ground = box.top + box.height / 2;
    ctx.strokeStyle = chosen ? ink.accent : ink["rule"];
    ctx.lineWidth = chosen ? 1.5 : 1;
    ctx.strokeRect(box.left, box.top, box.width, box.height);
    ctx.fillStyle = ink["rule-soft"];
    for (let tenth = 4; tenth < VIEW_S * 10; tenth += 4)
      ctx.fillRect(box.left + (tenth / (VIEW_S * 10)) * box.width, box.top + 1, 1, box.height - 2);
    const wave = waveOf(index, box.width);
    if (wave) {
      const shift = drag && drag.index === index ? drag.by : 0;
      half(ctx, wave, 0, box, ground, -1, ink["ink-quiet"], 0);
      half(ctx, wave, wave.points, box, ground, 1, ink.people[view.person], shift);
    }
    ctx.fillStyle = ink.ink;
    ctx.fillRect(box.left, ground, box.width, 1);
  }

  function half(ctx, wave, from, box, ground, direction, colour, shift) {
    const reach = box.height / 2 - 3;
    const step = box.width / wave.points;
    ctx.fillStyle = colour;
    for (let i = 0; i < wave.points; i++) {
      const x = box.left + i * step + shift;
      if (x < box.left || x > box.left + box.width - 1) continue;
      const high = (Math.max(Math.abs(wave.values[2 * (from + i)]), Math.abs(wave.values[2 * (from + i) + 1])) / 32767) * reach;
      ctx.fillRect(x, direction < 0 ? ground - high : ground + 1, Math.max(step - 0.6, 1), high);
    }
  }

  function drawOffsets(ctx, box) {
    const { points, breaks, offset_s: offset, drift_ppm: drift } = view.lining;
    if (!points.length) return;
    const last = Math.max(points[points.length - 1][0], 1);
    const nudge = view.lining.nudged_ms / 1000;
    const jumped = (at) => breaks.reduce((sum, [place, by]) => sum + (at >= place ? by : 0), 0);
    // In ms from where the recording starts out; jumps are taken out, so that drift and scatter can be seen.
    const measured = points.map(([at, value]) => [at, (value + nudge - offset - jumped(at)) * 1000]);
    const line = (at) => (drift * at) / 1000;
    const values = [...measured.map(([, value]) => value), 0, line(last)];
    const middle = (Math.min(...values) + Math.max(...values)) / 2;
    const reach = Math.max((Math.max(...values) - Math.min(...values)) / 2, 2) * 1.15;
    const x = (at) => box.left + (at / last) * box.width;
    const y = (ms) => box.top + box.height / 2 - ((ms - middle) / reach) * (box.height / 2);
    ctx.fillStyle = ink["ink-quiet"];
    ctx.font = `12px ${ink.text}`;
    ctx.textAlign = "left";
    ctx.fillText("Offset along the recording, in ms from its start", 1, box.top - 14);
    ctx.font = `11px ${ink.mono}`;
    ctx.textBaseline = "middle";
    const { step, at: rungs } = ticks(middle - reach, middle + reach, 6, DECIMALS);
    for (const ms of rungs) {
      ctx.fillStyle = ink["rule-soft"];
      ctx.fillRect(box.left, Math.round(y(ms)), box.width, 1);
      ctx.fillStyle = ink["ink-quiet"];
      ctx.textAlign = "right";
      ctx.fillText(level(ms, step < 1 ? 1 : 0), box.left - 8, y(ms));
    }
    ctx.textAlign = "center";
    for (const at of ticks(0, last, 9).at) ctx.fillText(shortClock(at * RATE), x(at), box.top + box.height + 14);
    ctx.strokeStyle = ink.accent;
    ctx.lineWidth = 1.5;
    ctx.beginPath();
    ctx.moveTo(x(0), y(0));
    ctx.lineTo(x(last), y(line(last)));
    ctx.stroke();
    ctx.fillStyle = ink.people[view.person];
    for (const [at, value] of measured) ctx.fillRect(x(at) - 1.5, y(value) - 4, 3, 8);
    ctx.setLineDash([3, 3]);
    ctx.strokeStyle = ink.ink;
    for (const [at, by] of breaks) {
      ctx.beginPath();
      ctx.moveTo(x(at), box.top);
      ctx.lineTo(x(at), box.top + box.height);
      ctx.stroke();
      ctx.fillStyle = ink.ink;
      ctx.textAlign = "left";
      ctx.fillText(`stopped, ${by.toFixed(2)} s`, x(at) + 5, box.top + 6);
    }
    ctx.setLineDash([]);
  }

  const boxAt = (event) =>
    boxes().findIndex(
      (box) =>
        event.offsetX >= box.left &&
        event.offsetX <= box.left + box.width &&
        event.offsetY >= box.top &&
        event.offsetY <= box.top + box.height,
    );
  canvas.addEventListener("pointerdown", (event) => {
    const index = view.lining && view.lining.matched ? boxAt(event) : -1;
    if (index < 0) return;
    onPlace(index);
    const box = boxes()[index];
    if (event.offsetY < box.top + box.height / 2) return;
    drag = { index, from: event.offsetX, by: 0, width: box.width };
    canvas.setPointerCapture(event.pointerId);
  });
  canvas.addEventListener("pointermove", (event) => {
    if (!drag) return;
    drag.by = event.offsetX - drag.from;
    schedule();
  });
  canvas.addEventListener("pointerup", () => {
    if (!drag) return;
    const ms = Math.round((drag.by / drag.width) * VIEW_S * 1000);
    drag = null;
    schedule();
    if (ms) onSlide(ms);
  });

  return {
    show(change) {
      view = { ...view, ...change };
      schedule();
    },
    redraw,
  };
}
