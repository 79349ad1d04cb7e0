// Paths of the series sheet: a person over the episodes, as a ribbon at the height of the level, and tone under it.

export const HEIGHT = 132; // of the levels
export const TONE_HEIGHT = 46;
const HIGHEST_LUFS = -10;
const LOWEST_LUFS = -70;
const MOST_DB = 12; // of the tone, up and down
const LEAST = 22;
const MOST = 120;
const SHOWN_HZ = [63, 16_000];

// How wide the column of an episode is drawn, in pixels.
export const columnWidth = (columns, room) => Math.max(LEAST, Math.min(MOST, Math.floor(room / Math.max(columns, 1))));
export const middleOf = (column, width) => (column + 0.5) * width;
export const yOfLufs = (lufs) => {
  const kept = Math.min(Math.max(lufs, LOWEST_LUFS), HIGHEST_LUFS);
  return Math.round(((HIGHEST_LUFS - kept) / (HIGHEST_LUFS - LOWEST_LUFS)) * HEIGHT * 10) / 10;
};

const joined = (points) => points.map(([x, y], index) => `${index ? "L" : "M"}${x} ${y}`).join("");

// Runs of neighbouring columns in which a figure is known.
export function runs(points, known) {
  const found = [];
  let last = null;
  for (const point of points) {
    if (!known(point)) { last = null; continue; }
    if (last === null || point.column !== last + 1) found.push([]);
    found.at(-1).push(point);
    last = point.column;
  }
  return found;
}

// The ribbon: half of what lies between soft and loud phrases above the level, half below; a lone episode is a short piece.
export function ribbon(points, width) {
  return runs(points, (point) => point.heard.speech_lufs !== null).map((run) => {
    const half = (point) => Math.max((point.heard.spread_lu ?? 0) / 2, 0.6);
    const edge = (sign) => run.flatMap((point) => {
      const y = yOfLufs(point.heard.speech_lufs + sign * half(point));
      const x = middleOf(point.column, width);
      return run.length === 1 ? [[x - width / 4, y], [x + width / 4, y]] : [[x, y]];
    });
    return `${joined([...edge(1), ...edge(-1).reverse()])}Z`;
  }).join("");
}

// A line through one figure of each episode; a lone one is a short dash.
export function line(points, width, figure) {
  return runs(points, (point) => point.heard[figure] !== null).map((run) => joined(run.flatMap((point) => {
    const x = middleOf(point.column, width);
    const y = yOfLufs(point.heard[figure]);
    return run.length === 1 ? [[x - width / 4, y], [x + width / 4, y]] : [[x, y]];
  }))).join("");
}

// How far each band lies from the usual, as a small curve inside the episode's column.
export function toneCurve(point, hz, width) {
  const bands = point.off?.bands_db ?? [];
  const shown = hz.map((each, index) => [each, bands[index]]).filter(([each, db]) => each >= SHOWN_HZ[0] && each <= SHOWN_HZ[1]
    && db !== undefined);
  const left = point.column * width + width * 0.12;
  return joined(shown.map(([, db], index) => {
    const kept = Math.min(Math.max(db, -MOST_DB), MOST_DB);
    const x = left + (index / Math.max(shown.length - 1, 1)) * width * 0.76;
    return [Math.round(x * 10) / 10, Math.round((0.5 - kept / (2 * MOST_DB)) * TONE_HEIGHT * 10) / 10];
  }));
}
