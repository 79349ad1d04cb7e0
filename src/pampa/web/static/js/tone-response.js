// What the tone of a recipe does at each frequency: the magnitude of the analogue filters that its bands are modelled on.

export const BANDS = [
  { name: "lows", kind: "low shelf" },
  { name: "body", kind: "bell" },
  { name: "middle", kind: "bell" },
  { name: "upper", kind: "bell" },
  { name: "presence", kind: "high shelf" },
];
const SHELF_Q = Math.SQRT1_2;

// A quotient of two polynomials of the second degree in s, highest power first, at the frequency `w` over its corner.
function magnitudeDb([a2, a1, a0], [b2, b1, b0], w) {
  const square = (x2, x1, x0) => (x0 - x2 * w * w) ** 2 + (x1 * w) ** 2;
  return 10 * Math.log10(square(a2, a1, a0) / square(b2, b1, b0));
}

// One band in dB at a frequency.
export function bandDb(kind, w, db, q) {
  const a = 10 ** (db / 40);
  if (kind === "bell") return magnitudeDb([1, a / q, 1], [1, 1 / (a * q), 1], w);
  const slope = Math.sqrt(a) / SHELF_Q;
  return kind === "high shelf"
    ? magnitudeDb([a * a, a * slope, a], [1, slope, a], w)
    : magnitudeDb([a, a * slope, a * a], [a, slope, 1], w);
}

// All of a recipe's tone in dB at a frequency: cuts, shelves and bells.
export function toneDb(recipe, hz) {
  let sum = 0;
  if (recipe.low_cut_hz) sum -= 10 * Math.log10(1 + (recipe.low_cut_hz / hz) ** 8);
  if (recipe.high_cut_hz) sum -= 10 * Math.log10(1 + (hz / recipe.high_cut_hz) ** 4);
  for (const { name, kind } of BANDS) {
    const db = recipe[`${name}_db`];
    if (db) sum += bandDb(kind, hz / recipe[`${name}_hz`], db, recipe[`${name}_q`]);
  }
  return sum;
}
