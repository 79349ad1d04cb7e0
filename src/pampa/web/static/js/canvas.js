// What all canvases have in common: they are drawn once a frame and never while nothing has changed, in the colours of
// the page, on the device's pixels, with ticks at round values; and they say in words what they show.

import { fit, readInk, sizeOf } from "./ink.js";

const WORDS_MS = 400; // words follow when drawing rests

// Distances between ticks: in time, in seconds, and in whatever counts in tens.
const TIMES = [0.05, 0.1, 0.25, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600];
export const DECIMALS = [0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000];

// Round values within [start, stop): `most` of them at most, unless the widest distance gives more.
export function ticks(start, stop, most, steps = TIMES) {
  const step = steps.find((candidate) => (stop - start) / candidate <= most) ?? steps[steps.length - 1];
  const at = [];
  for (let n = Math.ceil(start / step); n * step < stop; n++) at.push(n * step);
  return { step, at };
}

/**
 * A canvas, or a list of rows with a canvas each, that is drawn by `draw` in the next frame after `schedule`.
 * draw : may call `clean` for a cleared context and its size in CSS pixels.
 * words : what is shown, as a sentence; it becomes the canvas's name for who hears the page.
 * inked : told when the colours have changed.
 * @param {HTMLElement} element
 * @param {{draw: () => void, words?: () => string, inked?: () => void}} told
 */
export function surface(element, { draw, words, inked = () => {} }) {
  const ink = readInk(element);
  let frame = 0;
  let timer = 0;

  const paint = () => {
    frame = 0;
    draw();
    if (!words) return;
    clearTimeout(timer);
    timer = setTimeout(() => {
      const text = words();
      if (text && element.getAttribute("aria-label") !== text) element.setAttribute("aria-label", text);
    }, WORDS_MS);
  };
  const schedule = () => { frame ||= requestAnimationFrame(paint); };
  new ResizeObserver(schedule).observe(element);

  return {
    ink, // the same object for good: it is filled anew when the theme changes
    schedule,
    clean: () => fit(/** @type {HTMLCanvasElement} */ (element)),
    size: () => sizeOf(element),
    redraw() {
      Object.assign(ink, readInk(element));
      inked();
      schedule();
    },
  };
}
