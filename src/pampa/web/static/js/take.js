// A take while it is made: the microphone's level as a bar with its peak, and what has been recorded as stalks.

import { surface } from "./canvas.js";

const SHOWN_S = 20;
const STALK_S = 0.05;
const FLOOR_DB = -60;
const BAR = 10;
const high = (peak) => Math.max(1 + (20 * Math.log10(Math.max(peak, 1e-6))) / -FLOOR_DB, 0);

export function mountTake(canvas) {
  let stalks = [];
  let gathered = { peak: 0, seconds: 0 };
  let peak = 0;
  let held = 0;
  const { ink, schedule, redraw, clean } = surface(canvas, { draw });

  function draw() {
    const { ctx, width, height } = clean();
    if (width < 50) return;
    const ground = height - BAR - 22;
    ctx.fillStyle = ink["rule-soft"];
    ctx.fillRect(0, ground, width, 1);
    ctx.fillRect(0, height - BAR - 14, width, BAR);
    ctx.fillStyle = ink.people[0];
    ctx.fillRect(0, height - BAR - 14, high(peak) * width, BAR);
    ctx.fillStyle = ink.accent;
    ctx.fillRect(high(held) * width, height - BAR - 16, 2, BAR + 4);
    ctx.fillStyle = ink["ink-quiet"];
    ctx.font = `11px ${ink.mono}`;
    ctx.textBaseline = "bottom";
    for (const db of [-48, -36, -24, -12, -6]) ctx.fillText(`−${-db}`, (1 - db / FLOOR_DB) * width - 8, height);
    const step = width / (SHOWN_S / STALK_S);
    const shown = stalks.slice(-Math.floor(width / step));
    ctx.fillStyle = ink.people[0];
    shown.forEach((value, index) => {
      const tall = high(value) * (ground - 4);
      ctx.fillRect(index * step, ground - tall, Math.max(step - 1, 1), tall);
    });
  }

  return {
    begin() { stalks = []; gathered = { peak: 0, seconds: 0 }; schedule(); },
    level(next, seconds, recording) {
      peak = Math.max(next, peak * 0.92);
      held = Math.max(next, held * 0.995);
      if (recording) {
        gathered = { peak: Math.max(gathered.peak, next), seconds: gathered.seconds + seconds };
        if (gathered.seconds >= STALK_S) { stalks.push(gathered.peak); gathered = { peak: 0, seconds: 0 }; }
      }
      schedule();
    },
    redraw,
  };
}
