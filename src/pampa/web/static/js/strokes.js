// Upright strokes painted straight into pixels. A sheet has ten thousand of them: as rectangles of a canvas they
// take several times as long.

// The pixels of one colour or pattern, to be repeated: `fill` is whatever a canvas can be filled with.
export function tileOf(fill, alpha = 1) {
  const size = 6;
  const canvas = document.createElement("canvas");
  canvas.width = canvas.height = size;
  const ctx = canvas.getContext("2d", { willReadFrequently: true });
  ctx.globalAlpha = alpha;
  ctx.fillStyle = fill;
  ctx.fillRect(0, 0, size, size);
  return { size, pixels: new Uint32Array(ctx.getImageData(0, 0, size, size).data.buffer) };
}

// An empty picture of so many pixels; `used` is an earlier one that may serve again.
export function board(width, height, used) {
  if (used && used.width === width && used.height === height) {
    used.pixels.fill(0);
    return used;
  }
  const image = new ImageData(width, height);
  return { width, height, image, pixels: new Uint32Array(image.data.buffer) };
}

// A stroke of a board, cut off at its edges. All in whole pixels.
export function stroke({ width, height, pixels }, x, y, wide, high, tile) {
  const right = Math.min(x + wide, width);
  const bottom = Math.min(y + high, height);
  for (let row = Math.max(y, 0); row < bottom; row++) {
    const from = row * width;
    const across = (row % tile.size) * tile.size;
    for (let column = Math.max(x, 0); column < right; column++) pixels[from + column] = tile.pixels[across + (column % tile.size)];
  }
}
