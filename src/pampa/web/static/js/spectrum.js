// The spectrum of one voice, before and after, with the curve of its tone and one voice to compare it with.

import { surface } from "./canvas.js";
import { toneDb } from "./tone-response.js";

const LOWEST_HZ = 40;
const HIGHEST_HZ = 16_000;
const MOST_DB = 14; // of the tone, up and down
const LEFT = 46;
const RIGHT = 150;
const FOOT = 18;
const TOP = 6;
const LEVELS_DB = 66; // how much of the levels is shown
const TICKS = [63, 125, 250, 500, 1000, 2000, 4000, 8000, 16_000];

// Pure functions between a place on the drawing and frequency and gain.
const shareOfHz = (hz) => Math.log(hz / LOWEST_HZ) / Math.log(HIGHEST_HZ / LOWEST_HZ);
const shareOfDb = (db) => (MOST_DB - db) / (2 * MOST_DB);
export const xOfHz = (hz, width) => LEFT + shareOfHz(hz) * (width - LEFT - RIGHT);
export const hzOfX = (x, width) => {
  const share = Math.min(Math.max((x - LEFT) / (width - LEFT - RIGHT), 0), 1);
  return LOWEST_HZ * (HIGHEST_HZ / LOWEST_HZ) ** share;
};
export const yOfDb = (db, height) => TOP + shareOfDb(db) * (height - TOP - FOOT);
// The same place as a style, which holds whatever the size becomes.
export const placeOf = (hz, db) => ({
  left: `calc(${LEFT}px + (100% - ${LEFT + RIGHT}px) * ${shareOfHz(hz).toFixed(4)})`,
  top: `calc(${TOP}px + (100% - ${TOP + FOOT}px) * ${shareOfDb(db).toFixed(4)})`,
});
export const dbOfY = (y, height) => MOST_DB - ((y - TOP) / (height - TOP - FOOT)) * 2 * MOST_DB;

// The mean of a curve over the frequencies that are shown is where it hangs: curves are compared by their shape.
export function hung(hz, levels) {
  const shown = levels.filter((_, index) => hz[index] >= 100 && hz[index] <= 8000);
  const mean = shown.reduce((sum, level) => sum + level, 0) / Math.max(shown.length, 1);
  return levels.map((level) => level - mean);
}

export function mountSpectrum({ canvas }) {
  let view = { spectrum: null, recipe: null, person: 0, name: "", compared: null, note: "" };
  const { ink, schedule, redraw, clean, size } = surface(canvas, { draw, words });

  function draw() {
    const { ctx, width, height } = clean();
    if (width <= LEFT + RIGHT) return; // not on show
    ctx.font = `11px ${ink.mono}`;
    drawGrid(ctx, width, height);
    if (!view.spectrum) return drawNote(ctx, width, height);
    const { hz } = view.spectrum;
    const before = hung(hz, view.spectrum.before);
    const y = (db) => Math.min(Math.max(TOP + ((24 - db) / LEVELS_DB) * (height - TOP - FOOT), TOP), height - FOOT);
    drawGround(ctx, hz, before, y, width, height);
    if (view.compared) drawCurve(ctx, view.compared.hz, hung(view.compared.hz, view.compared.levels), y, width, { dashed: true });
    drawCurve(ctx, hz, hung(hz, view.spectrum.after), y, width, { colour: ink.people[view.person], wide: 2 });
    if (view.recipe) drawTone(ctx, width, height);
    return drawLegend(ctx, width);
  }

  function drawGrid(ctx, width, height) {
    ctx.textAlign = "center";
    ctx.textBaseline = "bottom";
    for (const hz of TICKS) {
      const x = Math.round(xOfHz(hz, width));
      ctx.fillStyle = ink["rule-soft"];
      ctx.fillRect(x, TOP, 1, height - TOP - FOOT);
      ctx.fillStyle = ink["ink-quiet"];
      ctx.fillText(hz < 1000 ? `${hz}` : `${hz / 1000}k`, Math.min(x, width - RIGHT - 12), height - 3);
    }
    ctx.textAlign = "right";
    ctx.textBaseline = "middle";
    for (const db of [-12, -6, 0, 6, 12]) {
      ctx.fillStyle = db === 0 ? ink.rule : ink["rule-soft"];
      ctx.fillRect(LEFT, Math.round(yOfDb(db, height)), width - LEFT - RIGHT, 1);
      ctx.fillStyle = ink["ink-quiet"];
      ctx.fillText(db > 0 ? `+${db}` : `${db}`.replace("-", "−"), LEFT - 8, yOfDb(db, height));
    }
  }

  function drawNote(ctx, width, height) {
    ctx.fillStyle = ink["ink-quiet"];
    ctx.font = `13px ${ink.text}`;
    ctx.textAlign = "center";
    ctx.fillText(view.note, (width - RIGHT + LEFT) / 2, height / 2 - 12);
  }

  // As recorded: stalks, as a voice is drawn everywhere.
  function drawGround(ctx, hz, levels, y, width, height) {
    ctx.fillStyle = ink.tips[view.person];
    const step = (width - LEFT - RIGHT) / (Math.log2(HIGHEST_HZ / LOWEST_HZ) * 6);
    levels.forEach((db, index) => {
      if (hz[index] < LOWEST_HZ || hz[index] > HIGHEST_HZ) return;
      ctx.fillRect(xOfHz(hz[index], width) - step / 2, y(db), step - 2, height - FOOT - y(db));
    });
  }

  function drawCurve(ctx, hz, levels, y, width, { colour = ink.ink, wide = 1.5, dashed = false }) {
    ctx.save();
    ctx.strokeStyle = colour;
    ctx.lineWidth = wide;
    ctx.setLineDash(dashed ? [2, 3] : []);
    ctx.beginPath();
    levels.forEach((db, index) => {
      if (hz[index] >= LOWEST_HZ && hz[index] <= HIGHEST_HZ) ctx.lineTo(xOfHz(hz[index], width), y(db));
    });
    ctx.stroke();
    ctx.restore();
  }

  function drawTone(ctx, width, height) {
    ctx.strokeStyle = ink.accent;
    ctx.lineWidth = 2;
    ctx.beginPath();
    for (let x = LEFT; x <= width - RIGHT; x += 3) {
      const db = Math.min(Math.max(toneDb(view.recipe, hzOfX(x, width)), -MOST_DB), MOST_DB);
      ctx.lineTo(x, yOfDb(db, height));
    }
    ctx.stroke();
  }

  function drawLegend(ctx, width) {
    ctx.font = `11px ${ink.text}`;
    ctx.textAlign = "left";
    ctx.textBaseline = "middle";
    const rows = [
      ["as recorded", ink.tips[view.person]],
      ["as treated", ink.people[view.person]],
      ["tone", ink.accent],
      ...(view.compared ? [[view.compared.name, ink.ink]] : []),
    ];
    rows.forEach(([name, colour], index) => {
      const y = TOP + 10 + index * 17;
      ctx.fillStyle = colour;
      if (index === 0) ctx.fillRect(width - RIGHT + 20, y - 5, 12, 10);
      else for (const at of index === 3 ? [0, 5, 10] : [0]) ctx.fillRect(width - RIGHT + 20 + at, y - 1, index === 3 ? 2 : 12, 2);
      ctx.fillStyle = ink["ink-quiet"];
      ctx.fillText(name, width - RIGHT + 38, y, RIGHT - 42);
    });
  }

  function words() {
    if (!view.spectrum) return `Spectrum: ${view.note}`;
    const with_ = view.compared ? `, compared with ${view.compared.name}` : "";
    return `Spectrum of ${view.name} as recorded and as treated${with_}; the handles set its tone`;
  }

  return {
    show(change) { view = { ...view, ...change }; schedule(); },
    redraw,
    size,
  };
}
