// Two programmes as bands over each other: what both have is joined, what only one has stands out.

import { surface, ticks } from "./canvas.js";
import { RATE } from "./constants.js";
import { shortClock } from "./time.js";

const LEFT = 8;
const BAND = 26;
const TOP = 18;
const BETWEEN = 44;

export function mountBands({ canvas, onSeek }) {
  let view = { told: null, place: 0, there: false };
  const { ink, schedule, redraw, clean } = surface(canvas, { draw, words });
  const rows = () => [TOP, TOP + BAND + BETWEEN];
  const longest = () => Math.max(view.told.here.seconds, view.told.there.seconds, 1);
  const xOf = (seconds, width) => LEFT + (seconds / longest()) * (width - 2 * LEFT);

  function draw() {
    if (!view.told || !view.told.here) return;
    const { ctx, width, height } = clean();
    const [top, bottom] = rows();
    const { here, there, stretches, differences } = view.told;
    ctx.font = `11px ${ink.mono}`;
    ctx.textBaseline = "bottom";
    const { at } = ticks(0, longest(), 10);
    for (const second of at) {
      ctx.fillStyle = ink["rule-soft"];
      ctx.fillRect(xOf(second, width), top, 1, bottom + BAND - top);
      ctx.fillStyle = ink["ink-quiet"];
      ctx.textAlign = second === 0 ? "left" : "center";
      ctx.fillText(shortClock(second * RATE), xOf(second, width), height - 2);
    }
    // What only one has is left in the colour of what stands out.
    for (const [y, side] of [[top, here], [bottom, there]]) {
      ctx.fillStyle = ink.accent;
      ctx.fillRect(xOf(0, width), y, xOf(side.seconds, width) - LEFT, BAND);
    }
    for (const { here_s, there_s, length_s } of stretches) {
      ctx.fillStyle = ink.rule;
      for (const [y, start] of [[top, here_s], [bottom, there_s]])
        ctx.fillRect(xOf(start, width), y, Math.max(xOf(start + length_s, width) - xOf(start, width), 1), BAND);
      ctx.fillStyle = ink["rule-soft"];
      ctx.beginPath();
      ctx.moveTo(xOf(here_s, width), top + BAND);
      ctx.lineTo(xOf(here_s + length_s, width), top + BAND);
      ctx.lineTo(xOf(there_s + length_s, width), bottom);
      ctx.lineTo(xOf(there_s, width), bottom);
      ctx.fill();
    }
    ctx.fillStyle = ink.ink;
    for (const each of differences) {
      if (each.here_s !== null) ctx.fillRect(xOf(each.here_s, width) - 1, top - 5, 2, 5);
      if (each.there_s !== null) ctx.fillRect(xOf(each.there_s, width) - 1, bottom + BAND, 2, 5);
    }
    ctx.fillStyle = ink.ink;
    const y = view.there ? bottom : top;
    ctx.fillRect(xOf(view.place, width) - 1, y - 8, 2, BAND + 16);
  }

  function words() {
    if (!view.told || !view.told.here) return "";
    const { here, there, differences } = view.told;
    return `${here.name} over ${there.name}, ${differences.length} things differ; ${view.there ? "the second" : "the first"} is heard at `
      + `${shortClock(view.place * RATE)}; click to go there`;
  }

  canvas.addEventListener("pointerdown", (event) => {
    if (!view.told || !view.told.here) return;
    const width = canvas.clientWidth;
    const there = event.offsetY > TOP + BAND + BETWEEN / 2;
    const seconds = ((event.offsetX - LEFT) / (width - 2 * LEFT)) * longest();
    onSeek(Math.min(Math.max(seconds, 0), (there ? view.told.there : view.told.here).seconds), there);
  });

  return {
    redraw,
    show(change) { view = { ...view, ...change }; schedule(); },
  };
}
