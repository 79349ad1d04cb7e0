// The picture of one recording: its spectrum over time, or its wave, with what Mend has found marked under it.

import { api } from "./api.js";
import { byteCache } from "./bytes.js";
import { surface, ticks } from "./canvas.js";
import { RATE } from "./constants.js";
import { levelFor } from "./geometry.js";
import { clock } from "./time.js";

const COLUMNS = 256;
const ROWS = 160;
const FINEST = 128;
const KEPT = 240;
const FOOT = 34;
const LEFT = 44;
const LOW_HZ = 50;
const HIGH_HZ = 20000;
const TICKS = [100, 300, 1000, 3000, 10000];
const SHORTEST = RATE / 4;
const GRAB = 4;
const SLOW_ZOOM = 7;
const FAINT = 0.35;
// Under the picture, each kind of mark in a row of its own.
const MARKS = {
  clipping: { row: 0, colour: (ink) => ink.people[1] },
  clicks: { row: 1, colour: (ink) => ink.accent },
  breaths: { row: 2, colour: (ink) => ink.people[2] },
  drop_outs: { row: 3, colour: (ink) => ink.ink },
};

export function mountMendPicture({ canvas, stalks, onSeek, onSelect }) {
  let view = {
    recording: null,
    frames: 0,
    start: 0,
    span: 30 * RATE,
    playhead: 0,
    selection: null,
    kind: "spectrum",
    way: "recorded",
    version: 0,
    marks: [],
    region: null,
    spots: [],
  };
  let shades = null;
  let wave = { key: null, kept: "", asked: null, start: 0, per: 1, pairs: null };
  const { ink, schedule, redraw, clean } = surface(canvas, { draw, words, inked: () => { shades = scale(); } });
  const tiles = byteCache({ kept: KEPT, onArrival: schedule });

  // From paper to ink through the first person's colour: a scale that the page's theme gives.
  function scale() {
    const swatch = document.createElement("canvas");
    swatch.width = 256;
    swatch.height = 1;
    const ctx = swatch.getContext("2d");
    const blend = ctx.createLinearGradient(0, 0, 256, 0);
    const stops = { 0: ink.sheet, 0.12: ink.sheet, 0.5: ink.tips[0], 0.78: ink.people[0], 1: ink.ink };
    for (const [at, colour] of Object.entries(stops)) blend.addColorStop(Number(at), colour);
    ctx.fillStyle = blend;
    ctx.fillRect(0, 0, 256, 1);
    return new Uint32Array(ctx.getImageData(0, 0, 256, 1).data.buffer);
  }

  const xOf = (place, width) => LEFT + ((place - view.start) / view.span) * (width - LEFT);
  const placeAt = (x) => Math.round(view.start + ((x - LEFT) / (canvas.clientWidth - LEFT)) * view.span);
  const hzAt = (y) => Math.min(Math.max(LOW_HZ * (HIGH_HZ / LOW_HZ) ** (1 - y / (canvas.clientHeight - FOOT)), 0), 24000);
  const rowHz = (hz) => Math.log(hz / LOW_HZ) / Math.log(HIGH_HZ / LOW_HZ);

  function tileOf(zoom, number, way) {
    const key = `${view.recording}:${way}:${view.version}:${zoom}:${number}`;
    const path = `/api/recordings/${view.recording}/mending/picture?${new URLSearchParams({ zoom, tile: number, way })}`;
    const tile = tiles.get(key, path, (buffer) => ({ values: new Uint8Array(buffer), canvas: null, shades: null }));
    shades ||= scale();
    if (tile && tile.shades !== shades) { // it has just come, or the theme has changed
      tile.canvas = painted(tile.values);
      tile.shades = shades;
    }
    return tile;
  }

  function painted(values) {
    const tile = document.createElement("canvas");
    tile.width = COLUMNS;
    tile.height = ROWS;
    const image = new ImageData(COLUMNS, ROWS);
    const pixels = new Uint32Array(image.data.buffer);
    for (let column = 0; column < COLUMNS; column++) {
      for (let row = 0; row < ROWS; row++) pixels[(ROWS - 1 - row) * COLUMNS + column] = shades[values[column * ROWS + row]];
    }
    tile.getContext("2d").putImageData(image, 0, 0);
    return tile;
  }

  function draw() {
    const { ctx, width, height } = clean();
    if (view.recording === null || width < 100) return;
    const bottom = height - FOOT;
    ctx.save();
    ctx.beginPath();
    ctx.rect(LEFT, 0, width - LEFT, height);
    ctx.clip();
    if (view.kind === "spectrum") drawSpectrum(ctx, width, bottom);
    else drawWave(ctx, width, bottom);
    drawPlaces(ctx, width, height, bottom);
    ctx.restore();
    drawAxes(ctx, width, bottom);
    tiles.drawn();
  }

  function words() {
    if (view.recording === null) return "";
    const [from, to] = [Math.max(view.start, 0), Math.min(view.start + view.span, view.frames)].map((place) => clock(place, RATE));
    const marks = view.marks.filter((mark) => mark.stop > view.start && mark.start < view.start + view.span).length;
    return `${view.kind === "spectrum" ? "Spectrum" : "Wave"} of the recording from ${from} to ${to}, ${marks} places mended`;
  }

  function drawSpectrum(ctx, width, bottom) {
    const wanted = Math.log2(view.span / (width - LEFT) / FINEST);
    const zoom = Math.min(Math.max(Math.floor(wanted), 0), 16);
    const long = COLUMNS * FINEST * 2 ** zoom;
    ctx.imageSmoothingEnabled = true;
    const last = Math.min(view.start + view.span, view.frames);
    for (let number = Math.floor(Math.max(view.start, 0) / long); number * long < last; number++) {
      // What is mended takes a while for long stretches: until it is there, the recording is drawn faintly.
      const tile = tileOf(zoom, number, view.way);
      const shown = tile ?? (zoom >= SLOW_ZOOM ? tileOf(zoom, number, "recorded") : null);
      const x = xOf(number * long, width);
      if (!shown) continue;
      ctx.globalAlpha = tile ? 1 : FAINT;
      ctx.drawImage(shown.canvas, x, 0, xOf((number + 1) * long, width) - x, bottom);
      ctx.globalAlpha = 1;
    }
  }

  // The wave of what is heard; until it is there, that of the recording, faintly.
  function drawWave(ctx, width, bottom) {
    if (view.way === "recorded") return drawStalks(ctx, width, bottom);
    const start = Math.max(Math.round(view.start), 0);
    const stop = Math.min(Math.round(view.start + view.span), view.frames);
    const points = Math.max(Math.round(((stop - start) / view.span) * (width - LEFT)), 1);
    const key = `${view.recording}:${view.way}:${view.version}:${start}:${stop}:${points}`;
    if (wave.key !== key && wave.asked !== key) {
      wave.asked = key;
      api
        .bytes(`/api/recordings/${view.recording}/mending/wave?start=${start}&stop=${stop}&points=${points}&way=${view.way}`)
        .then((response) => response.arrayBuffer())
        .then((buffer) => {
          if (wave.asked === key) {
            wave = {
              key,
              kept: key.split(":", 2).join(":"),
              asked: key,
              start,
              per: (stop - start) / points,
              pairs: new Int16Array(buffer),
            };
            schedule();
          }
        })
        .catch(() => {
          wave.asked = null;
        });
    }
    if (wave.kept !== `${view.recording}:${view.way}`) {
      ctx.globalAlpha = FAINT;
      drawStalks(ctx, width, bottom);
      ctx.globalAlpha = 1;
      return;
    }
    const middle = bottom / 2;
    ctx.fillStyle = ink.people[0];
    for (let point = 0; wave.pairs && point < wave.pairs.length / 2; point++) {
      const x = xOf(wave.start + point * wave.per, width);
      const [top, low] = [wave.pairs[2 * point + 1], wave.pairs[2 * point]].map(
        (value) => middle - Math.sign(value) * Math.abs(value / 32767) ** 0.6 * middle,
      );
      ctx.fillRect(x, top, Math.max((wave.per / view.span) * (width - LEFT), 1), Math.max(low - top, 1));
    }
  }

  function drawStalks(ctx, width, bottom) {
    const per = view.span / (width - LEFT);
    const { level, cell } = levelFor(per);
    const out = [0, 0];
    const middle = bottom / 2;
    for (let x = LEFT; x < width; x++) {
      const first = Math.floor((view.start + (x - LEFT) * per) / cell);
      const stop = Math.max(Math.floor((view.start + (x + 1 - LEFT) * per) / cell), first + 1);
      if (first < 0 || first * cell >= view.frames) continue;
      stalks.read(view.recording, level, first, stop, out);
      for (const [index, colour] of [[0, ink.tips[0]], [1, ink.people[0]]]) {
        const high = Math.max((out[index] / 255) ** 1.6 * middle, 0.5);
        ctx.fillStyle = colour;
        ctx.fillRect(x, middle - high, 1, 2 * high);
      }
    }
  }

  // Edges of a place in the picture: left, right, top and bottom. Without a band it is as high as the picture.
  function box({ start, stop, low_hz: low, high_hz: high }, width, bottom) {
    const y = (hz) => Math.min(Math.max(bottom * (1 - rowHz(Math.max(hz, LOW_HZ))), 0), bottom);
    const banded = low !== undefined && view.kind === "spectrum";
    return [xOf(start, width), xOf(stop, width), banded ? y(high) : 0, banded ? y(low) : bottom];
  }

  function drawPlaces(ctx, width, height, bottom) {
    ctx.fillStyle = ink["rule-soft"];
    ctx.fillRect(LEFT, bottom, width, 1);
    for (const mark of view.marks) {
      const x = xOf(mark.start, width);
      const wide = Math.max(xOf(mark.stop, width) - x, 2);
      if (x + wide < LEFT || x > width) continue;
      const { row, colour } = MARKS[mark.process];
      ctx.fillStyle = colour(ink);
      ctx.fillRect(x, bottom + 2 + row * 4, wide, 3);
    }
    if (view.region) {
      ctx.fillStyle = ink.accent;
      const [from, to] = view.region.map((seconds) => xOf(seconds * RATE, width));
      ctx.fillRect(from, 0, Math.max(to - from, 1), 3);
      ctx.fillRect(from, 0, 1, bottom);
      ctx.fillRect(to, 0, 1, bottom);
      ctx.font = `11px ${ink.text}`;
      ctx.textAlign = "left";
      ctx.textBaseline = "top";
      ctx.fillText("noise learned here", from + 5, 7);
    }
    ctx.strokeStyle = ink.accent;
    for (const spot of view.spots) {
      const [x, to, top, low] = box(
        { start: spot.start_s * RATE, stop: spot.stop_s * RATE, low_hz: spot.low_hz, high_hz: spot.high_hz },
        width,
        bottom,
      );
      ctx.strokeRect(x, top + 0.5, Math.max(to - x, 2), low - top - 1);
    }
    if (view.selection) {
      ctx.fillStyle = ink["accent-soft"];
      ctx.globalAlpha = 0.6;
      const [x, to, top, low] = box(view.selection, width, bottom);
      ctx.fillRect(x, top, to - x, low - top);
      ctx.globalAlpha = 1;
    }
    ctx.fillStyle = ink.accent;
    ctx.fillRect(xOf(view.playhead, width) - 0.75, 0, 1.5, height);
  }

  function drawAxes(ctx, width, bottom) {
    ctx.font = `11px ${ink.mono}`;
    ctx.fillStyle = ink["ink-quiet"];
    ctx.textBaseline = "middle";
    ctx.textAlign = "right";
    if (view.kind === "spectrum") {
      for (const hz of TICKS) {
        const y = bottom * (1 - rowHz(hz));
        ctx.fillText(hz < 1000 ? `${hz}` : `${hz / 1000}k`, LEFT - 8, y);
        ctx.fillRect(LEFT - 5, y, 4, 1);
      }
    }
    ctx.textAlign = "center";
    for (const second of ticks(view.start / RATE, (view.start + view.span) / RATE, 9).at) {
      const x = xOf(second * RATE, width);
      if (x > LEFT + 24 && x < width - 24) ctx.fillText(clock(Math.round(second * RATE), RATE), x, bottom + FOOT - 10);
    }
  }

  const clampStart = (start, span) => Math.round(Math.min(Math.max(start, 0), Math.max(view.frames - span, 0)));
  function look(start, span) {
    const long = Math.round(Math.min(Math.max(span, SHORTEST), Math.max(view.frames, SHORTEST)));
    view = { ...view, span: long, start: clampStart(start, long) };
    schedule();
  }

  let drag = null;
  canvas.addEventListener("pointerdown", (event) => {
    if (event.button !== 0 || event.offsetX < LEFT) return;
    canvas.setPointerCapture(event.pointerId);
    drag = { x: event.offsetX, y: event.offsetY, place: placeAt(event.offsetX), moved: false };
  });
  canvas.addEventListener("pointermove", (event) => {
    if (!drag) return;
    if (Math.abs(event.offsetX - drag.x) > GRAB) drag.moved = true;
    if (!drag.moved) return;
    const place = Math.min(Math.max(placeAt(event.offsetX), 0), view.frames);
    const selection = { start: Math.min(place, drag.place), stop: Math.max(place, drag.place) };
    if (event.shiftKey && view.kind === "spectrum") {
      const [low, high] = [hzAt(Math.max(event.offsetY, drag.y)), hzAt(Math.min(event.offsetY, drag.y))];
      Object.assign(selection, { low_hz: low, high_hz: high });
    }
    onSelect(selection);
  });
  canvas.addEventListener("pointerup", () => {
    if (drag && !drag.moved) { onSelect(null); onSeek(drag.place); }
    drag = null;
  });
  canvas.addEventListener("wheel", (event) => {
    event.preventDefault();
    if (event.ctrlKey) {
      const at = placeAt(event.offsetX);
      const span = view.span * Math.exp(event.deltaY * 0.004);
      look(at - ((at - view.start) / view.span) * span, span);
    } else look(view.start + ((event.deltaX || event.deltaY) / canvas.clientWidth) * view.span, view.span);
  }, { passive: false });

  return {
    show(change) {
      const other = change.recording !== undefined && change.recording !== view.recording;
      view = { ...view, ...change };
      if (other) look(0, Math.min(view.frames, 60 * RATE));
      schedule();
    },
    zoom(factor) { look(view.playhead - (view.span * factor) / 2, view.span * factor); },
    whole() { look(0, view.frames); },
    // The playhead stays in sight while it moves.
    follow(place) {
      view = { ...view, playhead: place };
      if (place > view.start + view.span || place < view.start) look(place - view.span * 0.1, view.span);
      schedule();
    },
    arrived: schedule,
    redraw,
  };
}
