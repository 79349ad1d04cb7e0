// Loudness along the episode against its target, as a drawing that can be clicked.

import { surface, ticks } from "./canvas.js";
import { RATE } from "./constants.js";
import { level, shortClock } from "./time.js";

const LEFT = 52;
const RIGHT = 14;
const TOP = 14;
const BOTTOM = 24;

export function mountChart({ canvas, onGo }) {
  let view = { curve: [], target: -16, shift: 0, rate: RATE };
  const { ink, schedule, redraw, clean } = surface(canvas, { draw, words });

  function draw() {
    const { ctx, width, height } = clean();
    if (width <= LEFT + RIGHT) return; // not on show
    const low = view.target - 16;
    const high = view.target + 10;
    const y = (lufs) => TOP + ((high - lufs) / (high - low)) * (height - TOP - BOTTOM);
    const x = (second) => LEFT + (second / Math.max(view.curve.length + 2, 1)) * (width - LEFT - RIGHT);
    ctx.font = `11px ${ink.mono}`;
    ctx.textBaseline = "middle";
    for (let lufs = Math.ceil(low / 4) * 4; lufs <= high; lufs += 4) {
      ctx.fillStyle = ink["rule-soft"];
      ctx.fillRect(LEFT, Math.round(y(lufs)), width - LEFT - RIGHT, 1);
      ctx.fillStyle = ink["ink-quiet"];
      ctx.textAlign = "right";
      ctx.fillText(level(lufs, 0), LEFT - 8, y(lufs));
    }
    drawTimes(ctx, x, height);
    drawCurve(ctx, x, y, low);
    ctx.strokeStyle = ink.accent;
    ctx.lineWidth = 1.5;
    ctx.setLineDash([6, 4]);
    ctx.beginPath();
    ctx.moveTo(LEFT, y(view.target));
    ctx.lineTo(width - RIGHT, y(view.target));
    ctx.stroke();
    ctx.setLineDash([]);
    ctx.fillStyle = ink.accent;
    ctx.textAlign = "right";
    ctx.fillText(`target ${level(view.target)}`, width - RIGHT - 2, y(view.target) - 9);
  }

  function drawTimes(ctx, x, height) {
    const seconds = view.curve.length + 2;
    ctx.fillStyle = ink["ink-quiet"];
    ctx.textAlign = "center";
    for (const second of ticks(0, seconds, 9).at) ctx.fillText(shortClock(second * view.rate, view.rate), x(second), height - 9);
  }

  // Each second is a stalk around the target: what is above and what is below is seen at once.
  function drawCurve(ctx, x, y, low) {
    const wide = Math.max(x(1) - x(0) - (x(1) - x(0) > 3 ? 1 : 0), 1);
    view.curve.forEach((value, index) => {
      if (value === null) return;
      const lufs = Math.max(value + view.shift, low);
      ctx.fillStyle = Math.abs(lufs - view.target) > 6 ? ink.people[1] : ink.people[0];
      const top = Math.min(y(lufs), y(view.target));
      ctx.fillRect(x(index + 1.5), top, wide, Math.max(Math.abs(y(lufs) - y(view.target)), 1));
    });
  }

  function words() {
    const known = view.curve.filter((value) => value !== null).map((value) => value + view.shift);
    if (!known.length) return "Loudness along the episode: not measured yet";
    const far = known.filter((value) => Math.abs(value - view.target) > 6).length;
    const [softest, loudest] = [Math.min(...known), Math.max(...known)].map((value) => level(value));
    const range = `each second from ${softest} to ${loudest} LUFS around the target of ${level(view.target)}`;
    return `Loudness along the episode, ${range}; ${far} seconds are more than 6 away`;
  }

  canvas.addEventListener("click", (event) => {
    const share = (event.offsetX - LEFT) / (canvas.clientWidth - LEFT - RIGHT);
    onGo(Math.round(Math.min(Math.max(share, 0), 1) * (view.curve.length + 2) * view.rate));
  });

  return {
    show(change) { view = { ...view, ...change }; schedule(); },
    redraw,
  };
}
