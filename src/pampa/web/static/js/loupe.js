// The loupe: the true waveform of a few seconds, with edges that can be dragged.

import { byteCache } from "./bytes.js";
import { surface, ticks } from "./canvas.js";
import { RATE } from "./constants.js";
import { driftOf, firstEndingAfter } from "./geometry.js";
import { peopleOf } from "./ink.js";
import { clock, length } from "./time.js";

const LEFT = 96;
const RIGHT = 16;
const GRIP = 7;

export function mountLoupe({ canvas, onSelect, onSeek, onTrim, onMove, onSlip, onSide, onFind, onPick }) {
  let view = {
    doc: null,
    gains: new Map(),
    centre: 0,
    span: 6 * RATE,
    selection: null,
    playhead: 0,
    clip: null,
    find: null,
    missing: null,
    rate: RATE,
  };
  let drag = null;
  const { ink, schedule, redraw, clean } = surface(canvas, { draw, words });
  const cache = byteCache({ kept: 120, onArrival: schedule });

  const start = () => Math.round(view.centre - view.span / 2);
  const xOf = (place, width) => LEFT + ((place - start()) / view.span) * (width - LEFT - RIGHT);
  const placeAt = (x, width) => Math.round(start() + ((x - LEFT) / (width - LEFT - RIGHT)) * view.span);

  // Talk always; music and effects where they sound in view or are picked.
  function lanes() {
    const from = start();
    const sounding = (track) => {
      const clip = track.clips[firstEndingAfter(track.clips, from)];
      return clip && clip.start < from + view.span;
    };
    return view.doc.tracks.filter((track) => track.kind === "person" || sounding(track));
  }

  // The wave of one clip in view. While it is on its way, what was there before keeps standing.
  function waveOf(clip, width, first = start()) {
    const from = Math.max(clip.start, first);
    const to = Math.min(clip.start + clip.length, first + view.span);
    if (to <= from) return null;
    const points = Math.max(Math.round(((to - from) / view.span) * (width - LEFT - RIGHT)), 1);
    const source = clip.source + from - clip.start;
    const drift = driftOf(view.doc, clip.recording);
    const key = `${clip.recording}:${drift}:${source}:${to - from}:${points}`;
    const path = `/api/recordings/${clip.recording}/wave?start=${source}&stop=${source + to - from}&points=${points}&drift_ppm=${drift}`;
    const wave = cache.get(key, path, (buffer) => new Int16Array(buffer));
    return { from, to, points, wave };
  }

  function draw() {
    if (!view.doc) return;
    const { ctx, width, height } = clean();
    drawTimes(ctx, width, height);
    const shown = lanes();
    const people = peopleOf(view.doc.tracks);
    const laneHeight = (height - 26) / Math.max(shown.length, 1);
    shown.forEach((track, index) => drawLane(ctx, track, people.get(track.id), 6 + index * laneHeight, laneHeight, width));
    drawMarks(ctx, width, height);
    if (view.playhead > view.centre) fetchAhead(shown, width);
    cache.drawn();
  }

  // What comes when the playhead leaves: the next window is on its way before it is needed.
  function fetchAhead(shown, width) {
    const first = start() + view.span;
    for (const track of shown) {
      for (let i = firstEndingAfter(track.clips, first); i < track.clips.length && track.clips[i].start < first + view.span; i++) {
        waveOf(track.clips[i], width, first);
      }
    }
  }

  function words() {
    if (!view.doc) return "";
    const [from, to] = [Math.max(start(), 0), start() + view.span].map((place) => clock(place));
    return `Loupe: from ${from} to ${to}, ${lanes().map((track) => track.name).join(", ")}`;
  }

  function drawTimes(ctx, width, height) {
    ctx.font = `11px ${ink.mono}`;
    ctx.textAlign = "center";
    ctx.textBaseline = "bottom";
    const { step, at: seconds } = ticks(Math.max(start() / view.rate, 0), (start() + view.span) / view.rate, 8);
    for (const at of seconds) {
      const x = Math.round(xOf(at * view.rate, width));
      if (x < LEFT) continue;
      ctx.fillStyle = ink["rule-soft"];
      ctx.fillRect(x, 4, 1, height - 22);
      ctx.fillStyle = ink["ink-quiet"];
      if (x > LEFT + 30 && x < width - 40)
        ctx.fillText(clock(at * view.rate, view.rate, [0.05, 0.25].includes(step) ? 2 : 1), x, height - 3);
    }
  }

  function drawLane(ctx, track, person, top, height, width) {
    const middle = top + height / 2;
    const colour = person === undefined ? ink["music-line"] : ink.people[person];
    ctx.font = `600 12px ${ink.text}`;
    ctx.textAlign = "right";
    ctx.textBaseline = "middle";
    ctx.fillStyle = person === undefined ? ink["ink-quiet"] : colour;
    ctx.fillText(track.name.split(" ")[0].slice(0, 11), LEFT - 10, middle);
    ctx.save();
    ctx.beginPath();
    ctx.rect(LEFT, top, width - LEFT - RIGHT, height);
    ctx.clip();
    for (let i = firstEndingAfter(track.clips, start()); i < track.clips.length && track.clips[i].start < start() + view.span; i++) {
      drawClip(ctx, track, track.clips[i], middle, height, width, colour);
    }
    ctx.restore();
  }

  function drawClip(ctx, track, clip, middle, height, width, colour) {
    const found = waveOf(clip, width);
    const scale = 10 ** (((view.gains.get(clip.recording) ?? 0) + clip.gain_db + track.gain_db) / 20) * (height / 2 - 3) * 1.6;
    ctx.fillStyle = colour;
    ctx.globalAlpha = track.muted || clip.muted ? 0.35 : 1;
    if (found && found.wave) {
      const left = xOf(found.from, width);
      const step = (xOf(found.to, width) - left) / found.points;
      for (let i = 0; i < found.points; i++) {
        const low = Math.max((found.wave[2 * i] / 32767) * scale, -height / 2);
        const high = Math.min((found.wave[2 * i + 1] / 32767) * scale, height / 2);
        ctx.fillRect(left + i * step, middle - high, Math.max(step, 1), Math.max(high - low, 1));
      }
    }
    ctx.globalAlpha = 1;
    const left = xOf(clip.start, width);
    const right = xOf(clip.start + clip.length, width);
    const picked = view.clip === clip.id;
    ctx.fillStyle = picked ? ink.accent : ink.rule;
    for (const edge of [left, right])
      ctx.fillRect(Math.round(edge) - (picked ? 1 : 0), middle - height / 2 + 2, picked ? 3 : 1, height - 4);
    if (picked) drawFades(ctx, clip, left, right, middle, height, width);
  }

  function drawFades(ctx, clip, left, right, middle, height, width) {
    const low = middle + height / 2 - 3;
    const high = middle - height / 2 + 3;
    ctx.strokeStyle = ink.accent;
    ctx.lineWidth = 1.5;
    ctx.beginPath();
    if (clip.fade_in) { ctx.moveTo(left, low); ctx.lineTo(xOf(clip.start + clip.fade_in, width), high); }
    if (clip.fade_out) { ctx.moveTo(xOf(clip.start + clip.length - clip.fade_out, width), high); ctx.lineTo(right, low); }
    ctx.stroke();
  }

  function drawMarks(ctx, width, height) {
    let free = 0;
    for (const seam of view.doc.seams) {
      const x = Math.round(xOf(seam.at, width));
      if (x < LEFT || x > width - RIGHT) continue;
      ctx.strokeStyle = ink.ink;
      ctx.lineWidth = 1.2;
      ctx.beginPath();
      for (let y = 8; y < height - 24; y += 9) { ctx.moveTo(x - 5, y + 5); ctx.lineTo(x + 5, y); }
      ctx.stroke();
      ctx.font = `11px ${ink.text}`;
      ctx.textAlign = "left";
      ctx.textBaseline = "top";
      ctx.fillStyle = ink.ink;
      if (x >= free) ctx.fillText(`${length(seam.length, view.rate)} out`, x + 9, 6);
      free = Math.max(free, x + 70);
    }
    if (view.find) drawFind(ctx, view.find, width, height);
    if (view.missing) drawMissing(ctx, view.missing, width, height);
    if (view.selection) {
      const left = Math.max(xOf(view.selection.start, width), LEFT);
      const right = Math.min(xOf(view.selection.stop, width), width - RIGHT);
      if (right > left) {
        ctx.fillStyle = ink.accent;
        ctx.globalAlpha = 0.16;
        ctx.fillRect(left, 4, right - left, height - 24);
        ctx.globalAlpha = 1;
        for (const [edge, place] of [[left, view.selection.start], [right, view.selection.stop]]) {
          if (Math.abs(xOf(place, width) - edge) > 1) continue;
          ctx.fillRect(edge - 0.75, 4, 1.5, height - 24);
          ctx.beginPath();
          ctx.arc(edge, 6, 4.5, 0, 7);
          ctx.fill();
        }
      }
    }
    const x = xOf(view.playhead, width);
    if (x >= LEFT && x <= width - RIGHT) {
      ctx.fillStyle = ink.accent;
      ctx.fillRect(x - 0.75, 2, 1.5, height - 20);
    }
  }

  // What the chosen find is about, between two dotted lines.
  function drawFind(ctx, find, width, height) {
    const left = Math.max(xOf(find.place, width), LEFT);
    const right = Math.min(xOf(find.until, width), width - RIGHT);
    if (right <= left) return;
    ctx.fillStyle = ink["accent-soft"];
    ctx.globalAlpha = 0.45;
    ctx.fillRect(left, 4, right - left, height - 24);
    ctx.globalAlpha = 1;
    ctx.strokeStyle = ink.accent;
    ctx.lineWidth = 1.5;
    ctx.setLineDash([2, 2.5]);
    ctx.strokeRect(left, 4, right - left, height - 24);
    ctx.setLineDash([]);
    drawEvidence(ctx, find, left, right, width, height);
  }

  // What led to a find, where it shows: what would go of a silence, where the same words come again, who goes on.
  function drawEvidence(ctx, find, left, right, width, height) {
    ctx.strokeStyle = ctx.fillStyle = ink["accent"];
    ctx.lineWidth = 1.2;
    ctx.font = `11px ${ink.text}`;
    ctx.textBaseline = "bottom";
    const low = height - 24;
    if (find.kind === "restart") {
      // From the first try to the place where it is said again.
      ctx.beginPath();
      ctx.moveTo(left + 3, low);
      ctx.quadraticCurveTo((left + right) / 2, low - 34, right, low);
      ctx.moveTo(right - 6, low - 7);
      ctx.lineTo(right, low);
      ctx.lineTo(right - 8, low + 1);
      ctx.stroke();
      ctx.textAlign = "left";
      if (right + 70 > width) return;
      ctx.fillStyle = ink.sheet;
      ctx.fillRect(right + 3, low - 15, ctx.measureText("said again").width + 6, 15);
      ctx.fillStyle = ink.accent;
      ctx.fillText("said again", right + 6, low);
    } else if (find.cut) {
      // An upright at either end of what goes, and its length between them.
      const [from, to] = [xOf(find.cut.start, width), xOf(find.cut.stop, width)].map((x) => Math.min(Math.max(x, left), right));
      ctx.beginPath();
      ctx.moveTo(from, low - 16);
      ctx.lineTo(from, low);
      ctx.moveTo(to, low - 16);
      ctx.lineTo(to, low);
      ctx.moveTo(from, low - 8);
      ctx.lineTo(to, low - 8);
      ctx.stroke();
      const told = `${length(find.cut.stop - find.cut.start, view.rate)} go`;
      ctx.textAlign = "center";
      if (to - from > ctx.measureText(told).width + 8) ctx.fillText(told, (from + to) / 2, low - 10);
    }
  }

  // An open seam: what is missing lies under a slanted rule, between two sides that can be dragged.
  function drawMissing(ctx, missing, width, height) {
    const left = Math.max(xOf(missing.start, width), LEFT);
    const right = Math.min(xOf(missing.stop, width), width - RIGHT);
    if (right <= left) return;
    ctx.save();
    ctx.beginPath();
    ctx.rect(left, 4, right - left, height - 24);
    ctx.clip();
    ctx.fillStyle = ink.paper;
    ctx.globalAlpha = 0.55;
    ctx.fillRect(left, 4, right - left, height - 24);
    ctx.globalAlpha = 1;
    ctx.strokeStyle = ink["ink-quiet"];
    ctx.lineWidth = 0.7;
    ctx.beginPath();
    for (let x = left - height; x < right; x += 11) { ctx.moveTo(x, height - 20); ctx.lineTo(x + height - 24, 4); }
    ctx.stroke();
    ctx.restore();
    ctx.fillStyle = ink.ink;
    for (const place of [missing.start, missing.stop]) {
      const x = xOf(place, width);
      if (x < LEFT - 1 || x > width - RIGHT + 1) continue;
      ctx.fillRect(x - 1, 4, 2, height - 24);
      ctx.beginPath();
      ctx.arc(x, height / 2 - 8, 5, 0, 7);
      ctx.fill();
    }
    const told = `missing ${length(missing.stop - missing.start, view.rate)}`;
    ctx.font = `600 12px ${ink.text}`;
    ctx.textAlign = "center";
    ctx.textBaseline = "top";
    const wide = ctx.measureText(told).width + 12;
    if (right - left < wide) return;
    ctx.fillStyle = ink.sheet;
    ctx.fillRect((left + right - wide) / 2, 6, wide, 18);
    ctx.fillStyle = ink.ink;
    ctx.fillText(told, (left + right) / 2, 8);
  }

  function hit(x, y, reach = GRIP) {
    const width = canvas.clientWidth;
    const near = (place) => Math.abs(xOf(place, width) - x) <= reach;
    if (view.missing) {
      if (near(view.missing.start)) return { kind: "left" };
      if (near(view.missing.stop)) return { kind: "right" };
      return { kind: "ground", place: placeAt(x, width) };
    }
    if (view.find && near(view.find.place)) return { kind: "find-in" };
    if (view.find && near(view.find.until)) return { kind: "find-out" };
    if (view.selection && near(view.selection.start)) return { kind: "in" };
    if (view.selection && near(view.selection.stop)) return { kind: "out" };
    const shown = lanes();
    const laneHeight = (canvas.clientHeight - 26) / Math.max(shown.length, 1);
    const track = shown[Math.floor((y - 6) / laneHeight)];
    const place = placeAt(x, width);
    if (!track) return { kind: "ground", place };
    const picked = track.clips.find((clip) => clip.id === view.clip);
    if (picked && near(picked.start)) return { kind: "start", clip: picked };
    if (picked && near(picked.start + picked.length)) return { kind: "end", clip: picked };
    const clip = track.clips[firstEndingAfter(track.clips, place)];
    const inside = clip && clip.start <= place ? clip : null;
    if (inside && inside.id === view.clip && track.kind !== "person") return { kind: "body", clip: inside, place };
    return { kind: "ground", place, pick: inside ? { clip: inside.id, track: track.id } : null };
  }

  const show = (change) => { view = { ...view, ...change }; schedule(); };
  const isTalk = (clip) =>
    view.doc.tracks.some((track) => ["person", "spot"].includes(track.kind) && track.clips.some((other) => other.id === clip.id));

  function pressed(event) {
    if (!view.doc || event.button !== 0) return;
    const reach = event.pointerType === "touch" ? 3 * GRIP : GRIP;
    drag = {
      ...hit(event.offsetX, event.offsetY, reach),
      x: event.offsetX,
      moved: false,
      missing: view.missing,
      find: view.find,
      slips: event.altKey,
      follows: event.shiftKey,
    };
    canvas.setPointerCapture(event.pointerId);
  }

  function moved(event) {
    const width = canvas.clientWidth;
    if (!drag) {
      const { kind } = hit(event.offsetX, event.offsetY);
      canvas.dataset.over = kind;
      return;
    }
    if (Math.abs(event.offsetX - drag.x) > 3) drag.moved = true;
    if (!drag.moved) return;
    const place = Math.max(placeAt(event.offsetX, width), 0);
    if (drag.kind === "in") onSelect({ ...view.selection, start: Math.min(place, view.selection.stop - 48) });
    if (drag.kind === "out") onSelect({ ...view.selection, stop: Math.max(place, view.selection.start + 48) });
    if (drag.kind === "left") show({ missing: { ...view.missing, start: Math.min(place, view.missing.stop - 480) } });
    if (drag.kind === "right") show({ missing: { ...view.missing, stop: Math.max(place, view.missing.start + 480) } });
    if (drag.kind === "find-in") show({ find: { ...view.find, place: Math.min(place, view.find.until - 480) } });
    if (drag.kind === "find-out") show({ find: { ...view.find, until: Math.max(place, view.find.place + 480) } });
    if (drag.kind === "ground" && !view.missing)
      onSelect({ start: Math.min(drag.place, place), stop: Math.max(drag.place, place), track: null });
  }

  function released(event) {
    if (!drag) return;
    const place = Math.max(placeAt(event.offsetX, canvas.clientWidth), 0);
    const { kind, clip, missing } = drag;
    if (drag.moved && (kind === "start" || kind === "end")) onTrim(clip.id, kind, place, drag.follows && !isTalk(clip));
    else if (drag.moved && kind === "body" && drag.slips) onSlip(clip.id, Math.round(drag.place - place));
    else if (drag.moved && kind === "body") onMove(clip.id, Math.max(clip.start + place - drag.place, 0), drag.follows);
    else if (drag.moved && (kind === "left" || kind === "right"))
      onSide(missing.seam, view.missing.start - missing.start, missing.stop - view.missing.stop);
    else if (drag.moved && kind.startsWith("find")) onFind(view.find);
    else if (!drag.moved && !view.missing) {
      if (drag.pick !== undefined) onPick(drag.pick);
      onSeek(place);
    }
    drag = null;
  }

  canvas.addEventListener("pointerdown", pressed);
  canvas.addEventListener("pointermove", moved);
  canvas.addEventListener("pointerup", released);

  return {
    show,
    redraw,
    zoom(factor) { show({ span: Math.round(Math.min(Math.max(view.span * factor, 0.2 * view.rate), 30 * view.rate)) }); },
    // Follow the playhead by turning to the next window, as one turns a page; far away, open there.
    follow(place) {
      if (this.holds(place)) return show({ playhead: place });
      const next = view.centre + view.span;
      const turns = place >= next - view.span / 2 && place < next + view.span / 2;
      return show({ playhead: place, centre: turns ? next : place + view.span * 0.4 });
    },
    holds: (place) => place >= start() && place < start() + view.span,
  };
}
