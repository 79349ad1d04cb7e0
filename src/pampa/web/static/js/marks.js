// What stands on a line of the sheet beside its sound: seams, finds, markers and the sections that these begin.
// Each is given the sheet as it is drawn: `view`, `ink` and `layout`.

import { LEFT, xOf } from "./geometry.js";
import { textured } from "./ink.js";
import { length } from "./time.js";

const STITCH = 8;

// A seam: stitches across the horizon, and what is missing.
export function drawSeam(ctx, { view, ink }, seam, line, y, width, written) {
  const x = Math.round(xOf(seam.at, line, width));
  ctx.strokeStyle = view.seam === seam.id ? ink.accent : ink.ink;
  ctx.lineWidth = view.seam === seam.id ? 2 : 1.2;
  ctx.beginPath();
  const row = line.rows[0];
  const height = row ? row.height : line.height;
  for (let at = 4; at < height - 2; at += STITCH) {
    ctx.moveTo(x - 4, y + at + 5);
    ctx.lineTo(x + 4, y + at);
  }
  ctx.stroke();
  if (!written) return;
  ctx.font = `11px ${ink.mono}`;
  ctx.textAlign = x > width - 90 ? "right" : "left";
  ctx.textBaseline = "bottom";
  ctx.fillStyle = view.seam === seam.id ? ink.accent : ink["ink-quiet"];
  ctx.fillText((seam.closed ? "−" : "○ ") + length(seam.length, view.rate), x + (x > width - 90 ? -7 : 7), y + 5);
}

// A find that is open stands under a dotted bracket on its person's side; one that was left has a small tick.
export function drawFind(ctx, { view, ink }, find, line, y, width) {
  const row = line.rows.find((candidate) => candidate.tracks.some((track) => track.id === find.track)) ?? line.rows[0];
  if (!row) return;
  const below = row.kind === "pair" && row.tracks[1] && row.tracks[1].id === find.track;
  const left = Math.round(xOf(Math.max(find.place, line.start), line, width)) + 0.5;
  const right = Math.max(Math.round(xOf(Math.min(find.until, line.stop), line, width)) + 0.5, left + 4);
  const chosen = view.find === find.id;
  ctx.strokeStyle = chosen ? ink.accent : ink.ink;
  ctx.lineWidth = chosen ? 2 : 1.2;
  ctx.beginPath();
  if (find.state === "left") {
    const at = y + (below ? row.top + row.height - 3 : row.top + 1);
    ctx.moveTo(left, at);
    ctx.lineTo(left + 2.5, at + 3);
    ctx.lineTo(left + 7, at - 3);
    ctx.stroke();
    return;
  }
  const silent = find.kind === "silence";
  const edge = silent ? y + row.horizon - 9 : y + (below ? row.top + row.height + 1 : row.top - 1);
  const foot = silent ? 18 : below ? -7 : 7;
  ctx.setLineDash([2, 2.5]);
  ctx.moveTo(left, edge + foot);
  ctx.lineTo(left, edge);
  ctx.lineTo(right, edge);
  ctx.lineTo(right, edge + foot);
  if (silent) ctx.closePath();
  ctx.stroke();
  ctx.setLineDash([]);
}

// A section is told by a rule down the margin, beside every line that begins in it; its marker wears the same colour.
export function drawSections(ctx, { view, ink }, line, y) {
  const marker = view.doc.markers.findLast((candidate) => candidate.at <= line.start);
  if (!marker || !marker.tint) return;
  ctx.fillStyle = tintOf(ctx, ink, marker.tint);
  ctx.fillRect(LEFT - 6, y - 6, 4, line.height + 14);
}

const tintOf = (ctx, ink, tint) =>
  textured(ctx, [ink["music-line"], ink.people[2], ink.people[3], ink.people[4], ink["ink-quiet"]][tint - 1], tint - 1, ink.sheet);

export function drawMarker(ctx, { ink }, marker, line, y, width) {
  const x = Math.round(xOf(marker.at, line, width));
  ctx.fillStyle = ink.ink;
  ctx.fillRect(x, y - 5, 1, line.height + 5);
  if (marker.tint) {
    ctx.fillStyle = tintOf(ctx, ink, marker.tint);
    ctx.fillRect(x + 1, y - 5, 4, line.height + 5);
    ctx.fillStyle = ink.ink;
  }
  ctx.beginPath();
  ctx.arc(x + 0.5, y - 6, 3.5, 0, 7);
  ctx.fill();
  ctx.font = `11px ${ink.text}`;
  ctx.textAlign = "left";
  ctx.textBaseline = "bottom";
  ctx.fillText(marker.name || "marker", x + 7, y - 1, 150);
}
