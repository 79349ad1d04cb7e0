// Playing what the server renders: pieces fetched ahead and scheduled without gaps.

import { api } from "./api.js";
import { RATE } from "./constants.js";

const HOP = 960;
const AHEAD_S = 1.2;
const KEEP_S = 0.12;
const FIRST_S = 0.1;
const CHANGED_S = 0.8; // the first piece after a change: what comes late of it is not heard, and some of it should be in time
const CROSSED_S = 0.008;
const LARGEST_S = 1.0;
const BEAT_MS = 200; // a hidden page has no frames, and its clock beats once a second: sound goes on by that alone
const AHEAD_HIDDEN_S = 4;

// address(settings, query) : where a piece of sound comes from. length() : where it ends, in frames.
export function makePlayer({ address, settings: first, length, onMove, onStop, onLevel, onError }) {
  let context = null;
  let gate = null;
  let meters = [];
  let settings = first;
  let range = { from: 0, stop: null, loop: false };
  let supposed = {}; // what is heard as if it had been edited; it ends with the next real edit
  let playing = false;
  let generation = 0;
  let cursor = null;
  let when = 0;
  let turn = null; // the piece that goes on until what was changed is there, and from when on that may be heard
  let size = FIRST_S;
  let pieces = [];
  let resting = 0;
  let ready = null;
  let pumping = false;
  let beating = 0;

  function open() {
    if (context) return;
    context = new AudioContext({ sampleRate: RATE, latencyHint: "interactive" });
    gate = context.createGain();
    const splitter = context.createChannelSplitter(2);
    gate.connect(splitter);
    meters = [0, 1].map((side) => {
      const meter = new AnalyserNode(context, { fftSize: 2048 });
      splitter.connect(meter, side);
      return meter;
    });
    gate.connect(context.destination);
  }

  const end = () => Math.min(range.stop ?? Infinity, length());

  function addressOf(at, seconds) {
    const { speed } = settings;
    const wanted =
      speed === 1
        ? Math.min(Math.round(seconds * RATE), Math.max(end() - at.start, 1))
        : Math.max(Math.round((seconds * RATE) / HOP), 1) * HOP;
    const query = new URLSearchParams({ start: at.start, frames: String(wanted) });
    if (at.tail !== undefined) query.set("tail", at.tail);
    return address({ ...settings, ...supposed }, query);
  }

  async function load(at, seconds) {
    const response = await api.bytes(addressOf(at, seconds));
    const samples = new Float32Array(await response.arrayBuffer());
    const tail = response.headers.get("X-Tail");
    const start = Number(response.headers.get("X-Next-Start"));
    return { samples, next: tail === null ? { start } : { start, tail: Number(tail) } };
  }

  function schedule(at, { samples, next }) {
    const frames = samples.length / 2;
    const buffer = context.createBuffer(2, frames, RATE);
    for (const side of [0, 1]) {
      const channel = buffer.getChannelData(side);
      for (let i = 0; i < frames; i++) channel[i] = samples[2 * i + side];
    }
    const late = turn ? Math.min(soon(), turn.piece.until) - turn.at : 0;
    if (turn && late >= frames / RATE) { // all of it has been heard as it was before
      when = turn.at += frames / RATE;
      return;
    }
    const node = new AudioBufferSourceNode(context, { buffer });
    const fader = context.createGain();
    node.connect(fader).connect(gate);
    const skipped = Math.max(late, 0);
    if (turn) {
      when = Math.max(turn.at, soon());
      fader.gain.setValueAtTime(0, when).linearRampToValueAtTime(1, when + CROSSED_S);
      endAt(turn.piece, when);
      turn = null;
    }
    node.start(when, skipped);
    const until = when + frames / RATE - skipped;
    const from = at.start + (skipped * RATE / frames) * (next.start - at.start);
    pieces.push({ node, fader, at: when, until, from, to: next.start });
    when = until;
  }

  // The soonest that anything can begin, on a frame.
  const soon = () => Math.ceil((context.currentTime + 0.02) * RATE) / RATE;

  function placeAt(piece, time) {
    const share = Math.min(Math.max((time - piece.at) / (piece.until - piece.at), 0), 1);
    return piece.from + share * (piece.to - piece.from);
  }

  function endAt(piece, time) {
    if (piece.until <= time) return;
    piece.fader.gain.setValueAtTime(1, time).linearRampToValueAtTime(0, time + CROSSED_S);
    piece.node.stop(time + CROSSED_S);
    piece.to = placeAt(piece, time);
    piece.until = time;
  }

  async function pump() {
    if (pumping) return;
    pumping = true;
    const mine = generation;
    try {
      while (playing && mine === generation && when < context.currentTime + (document.hidden ? AHEAD_HIDDEN_S : AHEAD_S)) {
        if (cursor.start >= end()) {
          if (!range.loop || end() <= range.from) break;
          cursor = { start: range.from };
        }
        const at = cursor;
        const piece = ready && ready.address === addressOf(at, FIRST_S) ? await ready.piece : await load(at, size);
        ready = null;
        if (mine !== generation || !playing) break;
        if (!pieces.length || when < context.currentTime + 0.005) when = soon();
        schedule(at, piece);
        cursor = piece.next;
        size = Math.min(size * 2, LARGEST_S);
      }
    } catch (error) {
      if (mine === generation) { stop(); onError(error); }
    } finally {
      pumping = false;
      if (playing && mine !== generation) pump();
    }
  }

  function position() {
    if (!playing || !context) return resting;
    const now = context.currentTime - (context.outputLatency || 0);
    const piece = pieces.find((candidate) => now < candidate.until) ?? pieces[pieces.length - 1];
    if (!piece) return resting;
    return Math.round(placeAt(piece, now));
  }

  function tick() {
    if (!playing) return;
    resting = position();
    onMove(resting);
    onLevel(meters.map(peakOf));
    beat();
    requestAnimationFrame(tick);
  }

  // What keeps the sound going, and ends it: not tied to frames.
  function beat() {
    if (!playing) return;
    pieces = pieces.filter((piece) => piece.until > context.currentTime - 0.5);
    const last = pieces[pieces.length - 1];
    if (cursor.start >= end() && !range.loop && last && context.currentTime >= last.until) {
      stop();
      resting = Math.min(end(), last.to);
      onMove(resting);
    } else pump();
  }

  const peakOf = (meter) => {
    const samples = new Float32Array(meter.fftSize);
    meter.getFloatTimeDomainData(samples);
    return samples.reduce((peak, value) => Math.max(peak, Math.abs(value)), 0);
  };

  function drop(after) {
    for (const piece of pieces) if (piece.at >= after) { piece.node.stop(); piece.fader.disconnect(); }
    pieces = pieces.filter((piece) => piece.at < after);
  }

  function play(from, { stop: until = null, loop = false, suppose = {} } = {}) {
    open();
    if (ready && JSON.stringify(suppose) !== JSON.stringify(supposed)) ready = null;
    supposed = suppose;
    context.resume();
    generation++;
    turn = null;
    drop(-1);
    range = { from, stop: until, loop };
    cursor = { start: from };
    size = FIRST_S;
    resting = from;
    const began = playing;
    playing = true;
    pump();
    beating ||= setInterval(beat, BEAT_MS);
    if (!began) requestAnimationFrame(tick);
  }

  function stop() {
    if (!playing) return;
    resting = position();
    playing = false;
    clearInterval(beating);
    beating = 0;
    generation++;
    turn = null;
    drop(-1);
    onLevel([0, 0]);
    onMove(resting);
    onStop();
  }

  // Something changed: what is sounding goes on until what was changed is there, and crosses over to it.
  function renew(map = null) {
    ready = null;
    if (map) supposed = {};
    map ??= (place) => place;
    resting = map(resting);
    if (!playing) return;
    generation++;
    const kept = pieces.filter((piece) => piece.at < context.currentTime + KEEP_S);
    drop(context.currentTime + KEEP_S);
    const last = kept[kept.length - 1];
    turn = null;
    if (last) {
      when = Math.min(last.at + Math.round((context.currentTime + KEEP_S - last.at) * RATE) / RATE, last.until);
      cursor = { start: Math.round(map(placeAt(last, when))) };
      if (when < last.until) turn = { piece: last, at: when };
    } else cursor = { start: map(cursor.start) };
    for (const piece of pieces) { piece.from = map(piece.from); piece.to = Math.max(map(piece.to), piece.from); }
    range = { ...range, from: map(range.from), stop: range.stop === null ? null : map(range.stop) };
    size = CHANGED_S;
    pump();
  }

  return {
    play, stop, renew, position,
    get playing() { return playing; },
    get supposed() { return supposed; },
    set(change) { settings = { ...settings, ...change }; renew(); },
    // Fetch the first piece beforehand, so that sound starts with the key.
    prepare(from) {
      resting = from;
      if (playing) return;
      supposed = {};
      const at = { start: from };
      const where = addressOf(at, FIRST_S);
      if (!ready || ready.address !== where) ready = { address: where, piece: load(at, FIRST_S) };
      ready.piece.catch(() => { ready = null; });
    },
  };
}
