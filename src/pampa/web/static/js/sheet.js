// The sheet: the episode's time in lines down the page. Owns the two canvases of the sheet and the pointer on them.

import { surface } from "./canvas.js";
import { RATE } from "./constants.js";
import {
  LEFT,
  RIGHT,
  firstEndingAfter,
  frameAt,
  isTalk,
  layoutLines,
  levelFor,
  lineAtY,
  lineOf,
  paceOf,
  stalkShare,
  trackAt,
  xOf,
} from "./geometry.js";
import { moved, without } from "./envelope.js";
import { peopleOf, sizeOf, textured } from "./ink.js";
import { drawFind, drawMarker, drawSeam, drawSections } from "./marks.js";
import { drawBand, drawSpecials, envelopeUnder } from "./sheet-band.js";
import { drawLoudness } from "./sheet-loudness.js";
import { drawStills, stillStore } from "./sheet-stills.js";
import { board, stroke, tileOf } from "./strokes.js";
import { shortClock } from "./time.js";
import { twoFingers } from "./touch.js";

const STEP = 3;
const DRAG = 4;
const ABOVE = 16; // room over a line for what stands on it: markers, lengths of seams
const PICTURES = 60;
const SEAM_TEXT = 58;
const GRIP = 6; // how near to an edge of the selection it is taken hold of
const FINGER = 18;
const BUDGET = 6; // ms of drawing lines in one frame; what is left over follows in the next

export function mountSheet({ scroller, spacer, canvas, overlay, stalks, curves, ...told }) {
  const { onSeek, onSelect, onClip, onSeam, onView, onPinch, onTwoTap, onEnvelope } = told;
  let view = {
    doc: null,
    gains: new Map(),
    names: new Map(),
    secondsPerLine: 20,
    playhead: 0,
    selection: null,
    clip: null,
    seam: null,
    finds: [],
    find: null,
    byLoudness: false,
    steps: {}, // by track, how far music steps back: frames and dB
    beats: {}, // by recording, where it beats
    envelope: null, // the one that is being dragged
    pictured: new Set(), // recordings with a picture
    rate: RATE,
  };
  let layout = { lines: [], height: 0, frames: 1, length: 0 };
  let tiles = { plain: [], muted: [] };
  let spare = null; // the board of strokes that the next picture is drawn on
  let top = scroller.scrollTop;
  let drag = null;
  const stills = stillStore({ onArrival: () => schedule() });
  const pair = [0, 0];
  // Lines are drawn once and then only copied while scrolling; a line that waits for its stalks is not kept.
  const pictures = new Map();
  // After an edit, what lines looked like before it, until their turn comes.
  const former = new Map();
  let complete = true;

  const { ink, schedule, redraw, clean } = surface(canvas, { draw, inked: mixTiles });
  const { schedule: scheduleOverlay, clean: cleanOverlay } = surface(overlay, { draw: drawOverlay });

  // The strokes of each person, in colours that have just come.
  function mixTiles() {
    const { ctx } = clean();
    const tilesAt = (alpha) =>
      ink.people.map((colour, index) => ({
        tip: tileOf(ink.tips[index], alpha),
        body: tileOf(textured(ctx, colour, index, ink.sheet), alpha),
      }));
    tiles = { plain: tilesAt(1), muted: tilesAt(0.3) };
    forget();
  }

  function arrange() {
    const { doc, rate, secondsPerLine, byLoudness: tall, pictured } = view;
    layout = layoutLines({ tracks: doc.tracks, length: doc.length, rate, secondsPerLine, tall, pictured });
    spacer.style.height = `${layout.height}px`;
  }

  function visible() {
    const first = lineAtY(top, layout).index;
    const last = lineAtY(top + sizeOf(scroller).height, layout).index;
    return layout.lines.slice(first, last + 1);
  }

  function draw() {
    if (!view.doc) return;
    const before = canvas.width;
    const { ctx, width } = clean();
    if (width <= LEFT + RIGHT) return; // not on show
    if (canvas.width !== before) forget();
    const lines = visible();
    paintLines(ctx, lines, width);
    scheduleOverlay();
    onView({ start: lines[0].start, stop: lines[lines.length - 1].stop });
  }

  // The line with the playhead first, where the eyes are; the next ones as far as the time of a frame goes.
  function paintLines(ctx, lines, width) {
    const people = peopleOf(view.doc.tracks);
    const here = lineOf(view.playhead, layout).index;
    const late = performance.now() + BUDGET;
    for (const line of [...lines].sort((a, b) => Math.abs(a.index - here) - Math.abs(b.index - here))) {
      const waits = performance.now() > late && former.get(line.index);
      const picture = waits || pictureOf(line, width, people);
      ctx.drawImage(picture, 0, Math.round(line.top - top) - ABOVE, width, picture.height / (window.devicePixelRatio || 1));
      if (waits) schedule();
    }
  }

  function forget() {
    pictures.clear();
    former.clear();
  }

  // Draw all anew, and until then show what was.
  function outdate() {
    for (const [index, picture] of pictures) former.set(index, picture);
    pictures.clear();
  }

  function pictureOf(line, width, people) {
    const known = pictures.get(line.index);
    if (known) return known;
    former.delete(line.index);
    const ratio = window.devicePixelRatio || 1;
    const picture = document.createElement("canvas");
    picture.width = Math.round(width * ratio);
    picture.height = Math.round((line.height + ABOVE + 6) * ratio);
    const ctx = picture.getContext("2d");
    ctx.scale(ratio, ratio);
    complete = true;
    drawLine(ctx, line, ABOVE, width, people);
    if (complete) pictures.set(line.index, picture);
    if (pictures.size > PICTURES) pictures.delete(pictures.keys().next().value);
    return picture;
  }

  function drawLine(ctx, line, y, width, people) {
    const sheet = { view, ink, layout };
    const talk = line.rows.filter((row) => row.kind !== "band" && row.kind !== "stills");
    if (!view.byLoudness) {
      canvasOf(ctx, (strokes, ratio) => {
        for (const row of talk) strokeRow(strokes, ratio, line, row, y, width, people);
      });
    }
    ctx.globalCompositeOperation = "destination-over";
    drawGrid(ctx, line, y, width);
    ctx.globalCompositeOperation = "source-over";
    for (const row of talk) {
      drawHorizon(ctx, line, row, y, width, people);
      if (view.byLoudness && !drawLoudness(ctx, { view, ink, layout, curves }, line, row, y, width, people)) complete = false;
    }
    if (view.byLoudness) for (const row of talk) drawSpecials(ctx, sheet, line, row, y, width);
    for (const row of line.rows) if (row.kind === "band") drawBand(ctx, sheet, line, row, y, width);
    for (const row of line.rows) {
      if (row.kind === "stills" && !drawStills(ctx, { view, layout, stills }, line, row, y, width)) complete = false;
    }
    drawSections(ctx, sheet, line, y);
    for (const find of view.finds) if (find.until >= line.start && find.place < line.stop) drawFind(ctx, sheet, find, line, y, width);
    let free = 0; // where the last seam's length ends: one that would lie on it is not written
    for (const seam of view.doc.seams) {
      if (seam.at < line.start || seam.at >= line.stop) continue;
      const written = xOf(seam.at, line, width) >= free;
      drawSeam(ctx, sheet, seam, line, y, width, written);
      if (written) free = xOf(seam.at, line, width) + SEAM_TEXT;
    }
    for (const marker of view.doc.markers)
      if (marker.at >= line.start && marker.at < line.stop) drawMarker(ctx, sheet, marker, line, y, width);
  }

  // Let something be painted into the pixels of a whole canvas.
  function canvasOf(ctx, paint) {
    spare = board(ctx.canvas.width, ctx.canvas.height, spare);
    paint(spare, window.devicePixelRatio || 1);
    ctx.putImageData(spare.image, 0, 0);
  }

  // Everything here lies under the strokes, so what hides comes before what it hides.
  function drawGrid(ctx, line, y, width) {
    const end = xOf(layout.length, line, width);
    if (end < width - RIGHT) {
      ctx.fillStyle = ink.paper;
      ctx.fillRect(end, y - 4, width - end, line.height + 8);
    }
    ctx.fillStyle = ink["rule-soft"];
    for (let part = 0; part <= 4; part++) ctx.fillRect(Math.round(LEFT + (part / 4) * (width - LEFT - RIGHT)), y, 1, line.height);
    ctx.fillStyle = ink["ink-quiet"];
    ctx.font = `13px ${ink.mono}`;
    ctx.textAlign = "right";
    ctx.textBaseline = "middle";
    const row = line.rows[0];
    ctx.fillText(shortClock(line.start, view.rate), LEFT - 10, y + (row && row.kind !== "solo" ? row.horizon : 8));
  }

  function strokeRow(strokes, ratio, line, row, y, width, people) {
    const horizon = Math.round(y + row.horizon);
    const reach = row.kind === "pair" ? row.height / 2 - 1 : row.height - 8;
    row.tracks.forEach((track, side) =>
      strokeTrack(strokes, ratio, line, track, horizon, reach, side ? 1 : -1, width, people.get(track.id)),
    );
  }

  function drawHorizon(ctx, line, row, y, width, people) {
    row.tracks.forEach((track, side) => nameAt(ctx, track, ink.people[people.get(track.id)], row, line, y, side));
    ctx.fillStyle = ink["ink-quiet"];
    const end = Math.min(xOf(layout.length, line, width), width - RIGHT);
    ctx.fillRect(LEFT, Math.round(y + row.horizon), end - LEFT, 1);
  }

  function nameAt(ctx, track, colour, row, line, y, side) {
    if (row.kind === "pair" && line.index % 5 !== 0) return;
    ctx.font = `600 11px ${ink.text}`;
    ctx.textAlign = "right";
    ctx.textBaseline = "middle";
    ctx.fillStyle = track.muted ? ink["ink-quiet"] : colour;
    const at = row.kind === "pair" ? y + row.horizon + (side ? 21 : -21) : y + row.horizon - 10;
    ctx.fillText(track.name.split(" ")[0].slice(0, 11), LEFT - 10, at);
  }

  function strokeTrack(strokes, ratio, line, track, horizon, reach, direction, width, person) {
    const perStalk = (layout.frames * STEP) / (width - LEFT - RIGHT);
    const { level, cell } = levelFor(perStalk);
    const gain = (clip) => (view.gains.get(clip.recording) ?? 0) + clip.gain_db + track.gain_db;
    const ground = Math.round((direction < 0 ? horizon : horizon + 1) * ratio);
    const wide = Math.max(Math.round((STEP - 1) * ratio), 1);
    const up = (x, high, tile) => stroke(strokes, Math.round(x * ratio), direction < 0 ? ground - high : ground, wide, high, tile);
    let clipIndex = firstEndingAfter(track.clips, line.start);
    let x = LEFT;
    for (let at = line.start; at < line.stop && clipIndex < track.clips.length; at += perStalk, x += STEP) {
      let clip = track.clips[clipIndex];
      while (clip && clip.start + clip.length <= at) clip = track.clips[++clipIndex];
      if (!clip || clip.start > at) continue;
      const source = (clip.source + at - clip.start) * paceOf(view.doc, clip.recording);
      const first = Math.floor(source / cell);
      const last = Math.max(Math.floor((source + perStalk) / cell), first + 1);
      if (!stalks.read(clip.recording, level, first, last, pair)) complete = false;
      const db = gain(clip);
      const { tip, body } = tiles[track.muted || clip.muted ? "muted" : "plain"][person];
      up(x, Math.round(reach * stalkShare(pair[0], db) * ratio), tip);
      up(x, Math.round(reach * stalkShare(pair[1], db) * ratio), body);
    }
  }

  function drawOverlay() {
    if (!view.doc || !layout.lines.length) return;
    const { ctx, width } = cleanOverlay();
    if (width <= LEFT + RIGHT) return;
    const lines = visible();
    if (view.selection) for (const line of lines) drawSelection(ctx, line, line.top - top, width);
    const line = lineOf(view.playhead, layout);
    const x = Math.round(xOf(view.playhead, line, width));
    ctx.fillStyle = ink.accent;
    ctx.fillRect(x - 1, line.top - top - 6, 2, line.height + 10);
    ctx.beginPath();
    ctx.moveTo(x - 5, line.top - top - 8);
    ctx.lineTo(x + 5, line.top - top - 8);
    ctx.lineTo(x, line.top - top - 1);
    ctx.fill();
  }

  function drawSelection(ctx, line, y, width) {
    const { start, stop, track } = view.selection;
    if (start >= line.stop || stop <= line.start) return;
    const left = xOf(Math.max(start, line.start), line, width);
    const right = xOf(Math.min(stop, line.stop), line, width);
    let at = y - 4;
    let height = line.height + 8;
    for (const row of line.rows) {
      const side = track === null ? -1 : row.tracks.findIndex((candidate) => candidate.id === track);
      if (side < 0) continue;
      at = y + (row.kind === "pair" && side ? row.horizon : row.top);
      height = row.kind === "pair" ? row.height / 2 : row.height;
    }
    ctx.globalAlpha = 0.38;
    ctx.fillStyle = ink.accent;
    ctx.globalAlpha = 0.2;
    ctx.fillRect(left, at, right - left, height);
    ctx.globalAlpha = 1;
    if (start >= line.start) ctx.fillRect(left, at, 1.5, height);
    if (stop <= line.stop) ctx.fillRect(right - 1.5, at, 1.5, height);
  }

  function point(event) {
    const box = canvas.getBoundingClientRect();
    const x = event.clientX - box.left;
    const y = event.clientY - box.top + scroller.scrollTop;
    return { x, y, frame: frameAt(x, y, layout, box.width), track: trackAt(y, layout) };
  }

  function pressed(event) {
    if (event.button !== 0 || !view.doc) return;
    const at = point(event);
    drag = { ...at, moved: false, one: event.altKey, envelope: null, clientX: event.clientX, clientY: event.clientY };
    const finger = event.pointerType === "touch";
    const line = lineAtY(at.y, layout);
    drag.envelope = envelopeUnder(view, at, line, canvas.clientWidth, finger ? FINGER : GRIP + 2);
    const held = edgeAt(at, finger ? FINGER : GRIP);
    if (drag.envelope) overlay.dataset.over = "point";
    else if (held && !event.shiftKey) {
      const { start, stop, track } = view.selection;
      drag = { ...drag, frame: held === "start" ? stop : start, one: track !== null, track: track === null ? null : { id: track } };
    } else if (event.shiftKey) {
      const from =
        view.selection && Math.abs(view.selection.start - at.frame) < Math.abs(view.selection.stop - at.frame)
          ? view.selection.stop
          : (view.selection?.start ?? view.playhead);
      drag = { ...drag, frame: from, moved: true };
      select(at);
    }
    overlay.setPointerCapture(event.pointerId);
  }

  // The edge of the selection that is under a point, so that it can be dragged alone.
  function edgeAt(at, reach) {
    if (!view.selection) return null;
    const line = lineAtY(at.y, layout);
    const width = canvas.clientWidth;
    const near = (place) => place >= line.start && place <= line.stop && Math.abs(xOf(place, line, width) - at.x) <= reach;
    return ["start", "stop"].find((edge) => near(view.selection[edge])) ?? null;
  }

  function hovered(event) {
    if (!drag && view.doc) overlay.dataset.over = edgeAt(point(event), GRIP) ? "edge" : "";
  }

  function select(at) {
    const [start, stop] = at.frame < drag.frame ? [at.frame, drag.frame] : [drag.frame, at.frame];
    onSelect({ start, stop, track: drag.one && drag.track ? drag.track.id : null });
  }

  function dragged(event) {
    if (!drag) return hovered(event);
    if (!drag.moved && Math.hypot(event.clientX - drag.clientX, event.clientY - drag.clientY) < DRAG) return;
    drag.moved = true;
    if (drag.envelope) return bend(point(event));
    return select(point(event));
  }

  // Drag one point of an envelope: what is heard is drawn along, and told once it is let go.
  function bend(at) {
    const { clip, points, index, placeAt, dbAt } = drag.envelope;
    view = { ...view, envelope: { clip, points: moved(points, index, [placeAt(at.frame), dbAt(at.y)]) } };
    outdate();
    schedule();
  }

  function bent() {
    const { envelope } = view;
    view = { ...view, envelope: null };
    if (envelope) onEnvelope(envelope.clip, envelope.points);
  }

  // Twice on a point takes it away.
  function twice(event) {
    const at = point(event);
    const held = envelopeUnder(view, at, lineAtY(at.y, layout), canvas.clientWidth, GRIP + 2);
    if (held) onEnvelope(held.clip, held.fresh ? held.points : without(held.points, held.index));
  }

  function released(event) {
    if (!drag) return;
    const at = point(event);
    if (drag.envelope && drag.moved) bent();
    else if (!drag.moved) clicked(at, event);
    else if (view.selection && view.selection.stop - view.selection.start < 48) onSelect(null);
    drag = null;
  }

  function clicked(at, event) {
    const line = lineAtY(at.y, layout);
    const width = canvas.clientWidth;
    const seam = view.doc.seams.find(
      (candidate) => candidate.at >= line.start && candidate.at < line.stop && Math.abs(xOf(candidate.at, line, width) - at.x) < 7,
    );
    if (seam) return onSeam(seam.id);
    // Talk is clicked all the time to go somewhere; its pieces are picked in the loupe.
    const music = at.track && !isTalk(at.track);
    const clips = music ? at.track.clips : [];
    const clip = clips[firstEndingAfter(clips, at.frame)];
    onClip(clip && clip.start <= at.frame ? { clip: clip.id, track: at.track.id } : null, event);
    return onSeek(at.frame);
  }

  new ResizeObserver(schedule).observe(scroller);
  scroller.addEventListener("scroll", () => { top = scroller.scrollTop; schedule(); }, { passive: true });
  overlay.addEventListener("pointerdown", pressed);
  overlay.addEventListener("pointermove", dragged);
  overlay.addEventListener("pointerup", released);
  overlay.addEventListener("dblclick", twice);
  overlay.addEventListener("pointercancel", () => { drag = null; view = { ...view, envelope: null }; });
  twoFingers(overlay, { onBegin: () => { drag = null; }, onPinch, onTap: onTwoTap });

  return {
    show(change) {
      const turned = "byLoudness" in change && change.byLoudness !== view.byLoudness;
      const needsLayout = turned || "doc" in change || "secondsPerLine" in change || "pictured" in change;
      const onlyOverlay = Object.keys(change).every((name) => name === "playhead" || name === "selection");
      view = { ...view, ...change };
      if (needsLayout && view.doc) arrange();
      if (onlyOverlay) return scheduleOverlay();
      if (turned || "secondsPerLine" in change) forget();
      else outdate();
      return schedule();
    },
    redraw,
    arrived: schedule,
    stillsCame() { stills.forget(); outdate(); schedule(); },
    keepInSight(place, always = false) {
      const line = lineOf(place, layout);
      const { height } = sizeOf(scroller);
      const inside = line.top >= top + 4 && line.top + line.height <= top + height - 4;
      if (!inside || always) scroller.scrollTop = Math.max(line.top - height * 0.3, 0);
    },
  };
}
