// Times and levels as people read them: 0:04:20.3 and −16.2, with a true minus sign.

import { RATE } from "./constants.js";

export function clock(frames, rate = RATE, digits = 1) {
  const whole = 10 ** digits;
  const parts = Math.round((Math.max(frames, 0) / rate) * whole);
  const part = (value, width = 2) => String(value).padStart(width, "0");
  const seconds = Math.floor(parts / whole);
  return `${Math.floor(seconds / 3600)}:${part(Math.floor(seconds / 60) % 60)}:${part(seconds % 60)}.${part(parts % whole, digits)}`;
}

// Shorter, for the left edge of a line: 4:20 or 1:04:20.
export function shortClock(frames, rate = RATE) {
  const seconds = Math.round(frames / rate);
  const part = (value) => String(value).padStart(2, "0");
  const hours = Math.floor(seconds / 3600);
  const minutes = Math.floor(seconds / 60) % 60;
  return hours ? `${hours}:${part(minutes)}:${part(seconds % 60)}` : `${minutes}:${part(seconds % 60)}`;
}

export function level(value, digits = 1) {
  if (value === null || value === undefined || Number.isNaN(value)) return "–";
  return value.toFixed(digits).replace("-", "−");
}

export function signed(value, digits = 1) {
  return value > 0 ? `+${value.toFixed(digits)}` : level(value, digits);
}

export function length(frames, rate = RATE) {
  return `${(frames / rate).toFixed(frames < rate ? 2 : 1)}\u00a0s`;
}

// The place that somebody typed, 0:04:20.3, 4:20 or 260, in frames; null where it is no time.
export function placeOf(text, rate = RATE) {
  if (!/^\s*(\d+:){0,2}\d+([.,]\d+)?\s*$/.test(text)) return null;
  return Math.round(text.trim().replace(",", ".").split(":").reduce((sum, part) => sum * 60 + Number(part), 0) * rate);
}

// A moment of the server's, as 2026-11-23 14:20 where the reader is.
export function localMinute(moment) {
  return new Date(moment).toLocaleString("sv-SE", { dateStyle: "short", timeStyle: "short" });
}
