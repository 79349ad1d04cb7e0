// Finding the same moment by hand: the reference and the recording, each as a whole and close up, each with a mark.

import { byteCache } from "./bytes.js";
import { surface } from "./canvas.js";
import { RATE } from "./constants.js";
import { clock } from "./time.js";

const WHOLE = 34;
const CELL_S = 0.64; // of the coarsest level of the pyramid
const LEFT = 8;

export function mountAnchors({ canvas, onMark }) {
  let view = { sides: [], span: 8 };
  const { ink, schedule, redraw, clean } = surface(canvas, { draw });
  const cache = byteCache({ kept: 60, onArrival: schedule });

  const strip = (index) => ({ top: index * (canvas.clientHeight / 2), height: canvas.clientHeight / 2 });
  const first = (side) => Math.max(side.centre_s - view.span / 2, 0);

  function draw() {
    const { ctx, width } = clean();
    if (width < 200) return;
    view.sides.forEach((side, index) => drawSide(ctx, side, index, width - 2 * LEFT));
    cache.drawn();
  }

  function drawSide(ctx, side, index, width) {
    const { top, height } = strip(index);
    const colour = index ? ink.people[side.person] : ink["ink-quiet"];
    ctx.font = `600 12px ${ink.text}`;
    ctx.textAlign = "left";
    ctx.textBaseline = "middle";
    ctx.fillStyle = colour;
    ctx.fillText(side.name, LEFT, top + 10, width - 100);
    ctx.font = `12px ${ink.mono}`;
    ctx.textAlign = "right";
    ctx.fillStyle = ink.ink;
    ctx.fillText(`${clock(side.mark_s * RATE)}${String(Math.round(side.mark_s * 1000) % 100).padStart(2, "0")}`, LEFT + width, top + 10);
    drawWhole(ctx, side, top + 20, width, colour);
    drawClose(ctx, side, top + 20 + WHOLE + 6, height - WHOLE - 38, width, colour);
  }

  function drawWhole(ctx, side, top, width, colour) {
    const cells = Math.ceil(side.length_s / CELL_S);
    const stalks = cache.get(
      `s${side.recording}`,
      `/api/recordings/${side.recording}/stalks?level=2&first=0&last=${cells}`,
      (buffer) => new Uint8Array(buffer),
    );
    ctx.fillStyle = colour;
    for (let x = 0; stalks && x < width; x++) {
      const byte = stalks[2 * Math.floor((x / width) * cells)] ?? 0;
      const high = Math.max((byte / 255) * 2 - 1, 0) * (WHOLE - 2);
      ctx.fillRect(LEFT + x, top + WHOLE - high, 1, high);
    }
    ctx.fillRect(LEFT, top + WHOLE, width, 1);
    const x = (seconds) => LEFT + (seconds / side.length_s) * width;
    ctx.strokeStyle = ink.accent;
    ctx.strokeRect(x(first(side)), top, Math.max(x(first(side) + view.span) - x(first(side)), 3), WHOLE);
  }

  function drawClose(ctx, side, top, height, width, colour) {
    const start = Math.round(first(side) * RATE);
    const points = Math.round(width);
    const wave = cache.get(
      `w${side.recording}:${start}:${view.span}:${points}`,
      `/api/recordings/${side.recording}/wave?start=${start}&stop=${start + view.span * RATE}&points=${points}`,
      (buffer) => new Int16Array(buffer),
    );
    const middle = top + height / 2;
    ctx.fillStyle = ink["rule-soft"];
    ctx.fillRect(LEFT, middle, width, 1);
    if (wave) {
      const loudest = Math.max(wave.reduce((most, value) => Math.max(most, Math.abs(value)), 0), 300);
      ctx.fillStyle = colour;
      for (let x = 0; x < points; x++) {
        const high = (wave[2 * x + 1] / loudest) * (height / 2);
        const low = (wave[2 * x] / loudest) * (height / 2);
        ctx.fillRect(LEFT + x, middle - high, 1, Math.max(high - low, 1));
      }
    }
    const mark = LEFT + ((side.mark_s - first(side)) / view.span) * width;
    if (mark < LEFT || mark > LEFT + width) return;
    ctx.fillStyle = ink.accent;
    ctx.fillRect(mark - 1, top, 2, height);
  }

  canvas.addEventListener("pointerdown", (event) => {
    const index = event.offsetY < canvas.clientHeight / 2 ? 0 : 1;
    const side = view.sides[index];
    if (!side) return;
    const share = Math.min(Math.max((event.offsetX - LEFT) / (canvas.clientWidth - 2 * LEFT), 0), 1);
    const whole = event.offsetY - strip(index).top < 20 + WHOLE;
    onMark(index, whole ? share * side.length_s : first(side) + share * view.span, whole);
  });

  return {
    show(change) { view = { ...view, ...change }; schedule(); },
    redraw,
  };
}
