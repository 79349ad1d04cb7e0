// Colours and textures for canvases, read from the page's style so that both themes have one source.

const TEXTURES = ["solid", "hatched", "dotted", "crossed", "lined"];

export function readInk(element) {
  const style = getComputedStyle(element);
  const value = (name) => style.getPropertyValue(name).trim();
  const names = ["paper", "sheet", "rule", "rule-soft", "ink", "ink-quiet", "accent", "accent-soft", "music", "music-line"];
  /** @type {Record<string, any>} */
  const ink = Object.fromEntries(names.map((name) => [name, value(`--${name}`)]));
  ink.people = [1, 2, 3, 4, 5].map((index) => value(`--person-${index}`));
  ink.tips = [1, 2, 3, 4, 5].map((index) => value(`--person-${index}-tip`));
  ink.mono = value("--mono");
  ink.text = value("--text");
  return ink;
}

// A fill for a person's stalks: colour and texture together, so that nobody has to tell hues apart.
export function textured(ctx, colour, index, ground) {
  const texture = TEXTURES[index % TEXTURES.length];
  if (texture === "solid") return colour;
  const tile = document.createElement("canvas");
  tile.width = tile.height = 6;
  const draw = tile.getContext("2d");
  draw.fillStyle = colour;
  draw.fillRect(0, 0, 6, 6);
  draw.fillStyle = ground;
  draw.globalAlpha = 0.55;
  if (texture === "hatched") draw.fillRect(0, 0, 6, 1.5);
  if (texture === "dotted") for (const [x, y] of [[0, 0], [3, 3]]) draw.fillRect(x, y, 2, 2);
  if (texture === "crossed") for (const y of [0, 3]) draw.fillRect(0, y, 6, 1);
  if (texture === "lined") draw.fillRect(0, 0, 1.5, 6);
  return ctx.createPattern(tile, "repeat");
}

export function peopleOf(tracks) {
  const talk = tracks.filter((track) => track.kind === "person" || track.kind === "spot");
  return new Map(talk.map((track, index) => [track.id, index % 5]));
}

// Sizes as last laid out. Asking an element for its size in the middle of a frame makes the browser lay the whole
// page out at once, which takes longer than the drawing.
const sizes = new WeakMap();
const sized = new ResizeObserver((entries) => { for (const { target } of entries) measure(target); });

function measure(element) {
  const size = { width: element.clientWidth, height: element.clientHeight };
  sizes.set(element, size);
  return size;
}

export function sizeOf(element) {
  const known = sizes.get(element);
  if (known) return known;
  sized.observe(element);
  return measure(element);
}

// A canvas as large as its element on the device's pixels; drawing goes on in CSS pixels.
export function fit(canvas) {
  const ratio = window.devicePixelRatio || 1;
  const { width, height } = sizeOf(canvas);
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
  }
  const ctx = canvas.getContext("2d");
  ctx.setTransform(ratio, 0, 0, ratio, 0, 0);
  ctx.clearRect(0, 0, width, height);
  return { ctx, width, height };
}
