// A check-up, drawn small: how often each level comes, and the room's spectrum under that of speech.

import { surface } from "./canvas.js";
import { level } from "./time.js";

const FOOT = 16;
const GAP = 24;
const TICKS = [100, 1000, 10000];

export function mountCheckup(canvas) {
  let checkup = null;
  const { ink, schedule, redraw, clean } = surface(canvas, { draw, words });

  function draw() {
    const { ctx, width, height } = clean();
    if (!checkup || width < 200) return;
    const half = (width - GAP) / 2;
    ctx.font = `11px ${ink.mono}`;
    ctx.textBaseline = "middle";
    drawLevels(ctx, half, height);
    drawSpectrum(ctx, half + GAP, half, height);
  }

  function foot(ctx, left, width, height) {
    ctx.fillStyle = ink["ink-quiet"];
    ctx.fillRect(left, height - FOOT, width, 1);
    ctx.textAlign = "center";
  }

  function drawLevels(ctx, width, height) {
    const { levels, floor_dbfs: floor, speech_dbfs: speech } = checkup;
    const x = (db) => ((db + 90) / 90) * width;
    const most = Math.sqrt(Math.max(...levels, 1));
    foot(ctx, 0, width, height);
    for (const db of [-80, -60, -40, -20]) ctx.fillText(`−${-db}`, x(db), height - 6);
    ctx.fillStyle = ink.people[0];
    levels.forEach((count, index) => {
      const high = (Math.sqrt(count) / most) * (height - FOOT - 16);
      ctx.fillRect(x(index - 90) + 0.5, height - FOOT - high, Math.max(width / 90 - 1, 1), high);
    });
    ctx.font = `11px ${ink.text}`;
    for (const [db, name] of [[floor, "floor"], [speech, "speech"]]) {
      if (db === null) continue;
      ctx.fillStyle = ink.accent;
      ctx.fillRect(x(db), 12, 1.5, height - FOOT - 12);
      ctx.fillText(name, Math.min(Math.max(x(db), 16), width - 18), 6);
    }
    ctx.font = `11px ${ink.mono}`;
  }

  function drawSpectrum(ctx, left, width, height) {
    const { spectrum_hz: hz, floor_db: floor, speech_db: speech, hum, bandwidth_hz: bandwidth, noise } = checkup;
    const x = (f) => left + (Math.log(f / 40) / Math.log(24000 / 40)) * width;
    const top = Math.max(...speech, ...floor);
    const y = (db) => 14 + ((top - db) / 80) * (height - FOOT - 14);
    foot(ctx, left, width, height);
    for (const f of TICKS) ctx.fillText(f < 1000 ? `${f}` : `${f / 1000}k`, x(f), height - 6);
    const step = width / hz.length;
    // Speech as stalks, the room as the solid ground under them: as on the sheet, what is lighter is the voice.
    for (const [values, colour] of [[speech, ink.tips[0]], [floor, ink.people[0]]]) {
      ctx.fillStyle = colour;
      values.forEach((db, index) => {
        const at = Math.min(Math.max(y(db), 14), height - FOOT);
        ctx.fillRect(left + index * step, at, Math.max(step - 1, 1), height - FOOT - at);
      });
    }
    ctx.font = `11px ${ink.text}`;
    ctx.fillStyle = ctx.strokeStyle = ink.accent;
    if (noise && noise.length)
      drawNoise(
        ctx,
        noise,
        (index) => left + (index + 0.5) * step,
        (db) => Math.min(Math.max(y(db), 14), height - FOOT),
      );
    if (hum) {
      for (const [number] of hum.harmonics) ctx.fillRect(x(number * hum.hz) - 0.75, height - FOOT, 1.5, 5);
      ctx.fillText("hum", x(hum.hz * 1.6), 6);
      ctx.fillRect(x(hum.hz) - 0.75, 12, 1.5, height - FOOT - 12);
    }
    if (bandwidth && bandwidth < 9500) {
      ctx.fillRect(x(bandwidth), 12, 1.5, height - FOOT - 12);
      ctx.fillText("ends", Math.min(x(bandwidth), left + width - 16), 6);
    }
    ctx.font = `11px ${ink.mono}`;
  }

  // What Mend takes for noise, as a line over what the check-up found.
  function drawNoise(ctx, noise, x, y) {
    ctx.lineWidth = 2;
    ctx.beginPath();
    noise.forEach((db, index) => ctx.lineTo(x(index), y(db)));
    ctx.stroke();
    ctx.textAlign = "right";
    ctx.fillText("taken for noise", x(noise.length - 1), 6);
    ctx.textAlign = "center";
  }

  function words() {
    if (!checkup) return "No check-up yet";
    const { floor_dbfs: floor, speech_dbfs: speech, hum } = checkup;
    const heard = speech === null ? "nobody is heard" : `speech at ${level(speech)} dBFS`;
    return `Check-up: ${heard}, the room at ${level(floor)} dBFS${hum ? `, hum of ${level(hum.hz, 0)} Hz` : ""}`;
  }

  return {
    show(next) { checkup = next; schedule(); },
    redraw,
  };
}
