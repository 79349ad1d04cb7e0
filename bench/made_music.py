"""Music whose beats are known: made by rule, at any tempo, with rubato and swing, in ten manners of playing."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

import numpy as np

from pampa.core.sound import RATE, FloatArray

SCALE = (0, 2, 4, 5, 7, 9, 11)
PROGRESSIONS = ((0, 5, 3, 4), (0, 3, 4, 0), (0, 4, 5, 3), (5, 3, 0, 4), (0, 1, 4, 0))


@dataclass(frozen=True)
class Tune:
    """Stereo sound at 48 kHz with its truth, in seconds."""

    sound: FloatArray
    beats_s: np.ndarray
    bars_s: np.ndarray
    bpm: float
    meter: int


class _Player:
    """A sheet on which notes are put at beats; time bends as the rubato says."""

    def __init__(self, rng: np.random.Generator, bpm: float, seconds: float, rubato: float, swing: float, meter: int):
        self.rng, self.swing, self.meter = rng, swing, meter
        count = int(seconds * bpm / 60) // meter * meter
        bend = np.cumsum(rng.normal(0, 1, count + 1))
        bend = np.convolve(bend, np.hanning(17) / np.hanning(17).sum(), "same")
        bend = bend / (np.abs(bend).max() + 1e-9) * rubato
        self.times = 0.3 + np.concatenate([[0.0], np.cumsum(60 / bpm * (1 + bend[:count]))])
        self.count, self.key = count, int(rng.integers(0, 12))
        self.chords = PROGRESSIONS[rng.integers(len(PROGRESSIONS))]
        self.out = np.zeros((int((self.times[-1] + 3.0) * RATE), 2), np.float64)

    def at(self, beat: float) -> float:
        """Seconds of a place in beats; what lies between eighths swings."""
        whole = int(np.floor(beat))
        part = beat - whole
        if self.swing and part:
            part = (
                part * 2 * (0.5 + self.swing) if part < 0.5 else 0.5 + self.swing + (part - 0.5) * (1 - 2 * self.swing)
            )
        whole = min(whole, self.count - 1)
        return float(self.times[whole] + part * (self.times[whole + 1] - self.times[whole]))

    def put(self, note: np.ndarray, beat: float, gain: float, pan: float = 0.0) -> None:
        at = round((self.at(beat) + self.rng.normal(0, 0.004)) * RATE)
        note = note[: max(len(self.out) - at, 0)] * gain * (10 ** (self.rng.normal(0, 1.0) / 20))
        angle = (pan + 1) * np.pi / 4
        self.out[at : at + len(note), 0] += note * np.cos(angle)
        self.out[at : at + len(note), 1] += note * np.sin(angle)

    def degree(self, beat: float) -> int:
        return self.chords[int(beat // self.meter) % 4]

    def hz(self, degree: int, octave: int) -> float:
        steps = SCALE[degree % 7] + 12 * (degree // 7) + self.key
        return float(55.0 * 2 ** (octave + steps / 12))


@cache
def _ring(hz: float, seconds: float, decay: float, partials: int, bright: float) -> np.ndarray:
    t = np.arange(int(seconds * RATE)) / RATE
    out = np.zeros(t.size)
    for n in range(1, partials + 1):
        if hz * n < 15000:
            out += bright ** (n - 1) * np.sin(2 * np.pi * hz * n * t + n) * np.exp(-t * decay * (1 + 0.25 * n))
    return out * np.minimum(t / 0.004, 1) * np.minimum((seconds - t) / 0.02, 1)


@cache
def _held(hz: float, seconds: float) -> np.ndarray:
    t = np.arange(int(seconds * RATE)) / RATE
    out = sum(np.sin(2 * np.pi * hz * n * (1 + d) * t + n) / n**1.5 for n in range(1, 7) for d in (-0.002, 0.002))
    return 0.5 * out * np.minimum(t / 0.12, 1) * np.minimum((seconds - t) / 0.2, 1)


@cache
def _kick() -> np.ndarray:
    t = np.arange(int(0.25 * RATE)) / RATE
    return np.sin(2 * np.pi * (48 * t + 3.5 * (1 - np.exp(-t * 40)))) * np.exp(-t * 15)


def _noise(rng: np.random.Generator, seconds: float, decay: float, low: float, high: float) -> np.ndarray:
    noises = _noises(seconds, decay, low, high)
    return noises[int(rng.integers(len(noises)))]


@cache
def _noises(seconds: float, decay: float, low: float, high: float) -> list[np.ndarray]:
    rng, count = np.random.default_rng(7), int(seconds * RATE)
    hz = np.fft.rfftfreq(count, 1 / RATE)
    made = []
    for _ in range(8):
        shaped = np.fft.irfft(np.fft.rfft(rng.standard_normal(count)) * ((hz > low) & (hz < high)), count)
        made.append(shaped / (np.abs(shaped).max() + 1e-9) * np.exp(-np.arange(count) / RATE * decay))
    return made


def _snare(rng: np.random.Generator) -> np.ndarray:
    out = _noise(rng, 0.2, 22, 800, 9000)
    tone = _ring(190, 0.2, 25, 2, 0.5)
    return 0.7 * out + 0.5 * tone[: len(out)]


def _triad(p: _Player, beat: float, octave: int) -> list[float]:
    d = p.degree(beat)
    return [p.hz(d, octave), p.hz(d + 2, octave), p.hz(d + 4, octave)]


def _band(p: _Player) -> None:
    for b in range(p.count):
        if b % 2 == 0:
            p.put(_kick(), b, 0.8)
        else:
            p.put(_snare(p.rng), b, 0.5)
        for half in (0, 0.5):
            p.put(_noise(p.rng, 0.06, 60, 6000, 14000), b + half, 0.15)
        p.put(_ring(p.hz(p.degree(b), 0), 0.5, 4, 5, 0.6), b, 0.5)
        if p.rng.random() < 0.4:
            p.put(_ring(p.hz(p.degree(b), 0), 0.3, 6, 5, 0.6), b + 0.5, 0.35)
        if b % p.meter == 0:
            for hz in _triad(p, b, 2):
                p.put(_held(hz, 60 / 90 * p.meter), b, 0.1, 0.3)


def _arpeggio(p: _Player) -> None:
    for b in range(p.count):
        tones = [*_triad(p, b, 2), p.hz(p.degree(b) + 7, 2)]
        for k in range(2):
            n = (2 * (b % p.meter) + k) % 6
            p.put(_ring(tones[(0, 1, 2, 3, 2, 1)[n]], 1.0, 4, 8, 0.6), b + k / 2, 0.35 if k == 0 else 0.26, -0.3)
        if b % p.meter == 0:
            p.put(_ring(p.hz(p.degree(b), 0), 1.8, 2, 6, 0.6), b, 0.6)
            p.put(_held(p.hz(p.degree(b), 1), 2.0), b, 0.1)


def _waltz(p: _Player) -> None:
    for b in range(p.count):
        if b % p.meter == 0:
            p.put(_ring(p.hz(p.degree(b), 0), 0.9, 3, 6, 0.6), b, 0.7)
        else:
            for hz in _triad(p, b, 2):
                p.put(_ring(hz, 0.4, 7, 6, 0.5), b, 0.18)
        if p.rng.random() < 0.6:
            p.put(_ring(p.hz(p.degree(b) + int(p.rng.integers(0, 7)), 3), 0.8, 4, 6, 0.5), b, 0.25)


def _chords(p: _Player) -> None:
    for b in range(p.count):
        for n, hz in enumerate(_triad(p, b, 2)):
            p.put(_ring(hz, 0.9, 3, 9, 0.55), b, 0.3 if b % p.meter == 0 else 0.22, (n - 1) * 0.3)
        if b % 2 == 0:
            p.put(_ring(p.hz(p.degree(b), 0), 1.2, 2.5, 6, 0.6), b, 0.45)
        if p.rng.random() < 0.3:
            p.put(_ring(p.hz(p.degree(b) + 4, 3), 0.5, 5, 6, 0.5), b + 0.5, 0.22)


def _bed(p: _Player) -> None:
    for b in range(p.count):
        if b % (2 * p.meter) == 0:
            for n, hz in enumerate(_triad(p, b, 1)):
                p.put(_held(hz, 2 * p.meter * 60 / 90), b, 0.22, (n - 1) * 0.4)
        p.put(_ring(_triad(p, b, 2)[b % 3], 0.9, 5, 5, 0.45), b, 0.16, 0.2)
        if b % p.meter == 0:
            p.put(_ring(p.hz(p.degree(b), 0), 1.2, 3, 4, 0.5), b, 0.3)


def _march(p: _Player) -> None:
    for b in range(p.count):
        p.put(_ring(p.hz(p.degree(b) + (4 if b % 2 else 0), 0), 0.35, 7, 7, 0.65), b, 0.6)
        for hz in _triad(p, b, 2):
            p.put(_ring(hz, 0.2, 12, 6, 0.5), b + 0.5, 0.14)
        if b % 2 == 0:
            p.put(_kick(), b, 0.5)
        p.put(_snare(p.rng), b, 0.15)
        if b % 4 == 3:
            p.put(_snare(p.rng), b + 0.5, 0.2)
        p.put(_held(p.hz(p.degree(b) + int(p.rng.integers(0, 5)), 3), 0.4), b, 0.25)


def _swing(p: _Player) -> None:
    for b in range(p.count):
        p.put(_ring(p.hz(p.degree(b) + int(p.rng.integers(0, 5)), 0), 0.5, 5, 6, 0.5), b, 0.55)
        p.put(_noise(p.rng, 0.25, 16, 5000, 15000), b, 0.2)
        if b % 2:
            p.put(_noise(p.rng, 0.1, 30, 5000, 15000), b + 0.5, 0.14)
            p.put(_noise(p.rng, 0.05, 60, 3000, 12000), b, 0.25)
        if p.rng.random() < 0.3:
            for hz in _triad(p, b, 2):
                p.put(_ring(hz, 0.4, 8, 7, 0.5), b + (0.5 if p.rng.random() < 0.5 else 0), 0.14)


def _ballad(p: _Player) -> None:
    for b in range(p.count):
        tones = [p.hz(p.degree(b), 1), *_triad(p, b, 2)]
        for k in range(2):
            p.put(_ring(tones[(b * 2 + k) % 4], 1.2, 3, 7, 0.5), b + k / 2, 0.26 if k == 0 else 0.2)
        if b % p.meter == 0:
            p.put(_ring(p.hz(p.degree(b), 0), 2.0, 1.5, 6, 0.5), b, 0.5)
        if p.rng.random() < 0.5:
            p.put(_held(p.hz(p.degree(b) + int(p.rng.integers(0, 7)), 3), 1.0), b, 0.3)


def _offbeat(p: _Player) -> None:
    for b in range(p.count):
        if b % p.meter in (0, 2):
            p.put(_kick(), b, 0.8)
        if b % 4 in (1, 3):
            p.put(_snare(p.rng), b, 0.6)
        if b % 4 == 1:
            p.put(_kick(), b + 0.5, 0.6)
        for part in (0, 0.25, 0.5, 0.75):
            p.put(_noise(p.rng, 0.05, 70, 7000, 15000), b + part, 0.14 if part in (0, 0.5) else 0.08)
        for part in (0, 0.5, 0.75):
            if p.rng.random() < 0.5:
                p.put(_ring(p.hz(p.degree(b), 0), 0.25, 8, 7, 0.6), b + part, 0.45)
        if p.rng.random() < 0.5:
            for hz in _triad(p, b, 2):
                p.put(_ring(hz, 0.2, 10, 8, 0.6), b + 0.5, 0.15)


def _strum(p: _Player) -> None:
    for b in range(p.count):
        loud = 0.24 if b % p.meter == 0 else 0.16
        for part, gain in ((0.0, loud), (0.5, 0.11)):
            if part == 0 or p.rng.random() < 0.7:
                for n, hz in enumerate([p.hz(p.degree(b), 1), *_triad(p, b, 2)]):
                    note = np.concatenate([np.zeros(int(0.009 * n * RATE)), _ring(hz, 0.8, 4, 10, 0.65)])
                    p.put(note, b + part, gain, 0.2 * n - 0.3)


PLAYED: dict[str, Callable[[_Player], None]] = {
    "band": _band, "arpeggio": _arpeggio, "waltz": _waltz, "chords": _chords, "bed": _bed,
    "march": _march, "swing": _swing, "ballad": _ballad, "offbeat": _offbeat, "strum": _strum,
}  # fmt: skip


def tune(manner: str, seed: int, *, seconds: float = 40.0, bpm: float | None = None) -> Tune:
    """One piece. Without a tempo, any from 60 to 180 bpm."""
    rng = np.random.default_rng([seed, sorted(PLAYED).index(manner)])
    bpm = float(np.exp(rng.uniform(np.log(60), np.log(180)))) if bpm is None else bpm
    meter = 3 if manner == "waltz" else 4
    rubato = float(rng.choice([0.0, 0.03, 0.06]))
    swing = (
        float(rng.choice([0.0, 1 / 6])) if manner in ("band", "march", "strum") else 1 / 6 if manner == "swing" else 0
    )
    player = _Player(rng, bpm, seconds, rubato, swing, meter)
    PLAYED[manner](player)
    out = player.out + 1e-4 * rng.standard_normal(player.out.shape)
    out *= 0.5 / np.abs(out).max()
    beats = player.times[: player.count]
    return Tune(out.astype(np.float32), beats, beats[::meter], 60 / float(np.median(np.diff(beats))), meter)


def f_measure(found: np.ndarray, truth: np.ndarray, *, within_s: float = 0.07) -> float:
    """Of beats found against true ones: each counts once."""
    left, hits = list(truth), 0
    for each in found:
        near = [t for t in left if abs(t - each) <= within_s]
        if near:
            left.remove(min(near, key=lambda t: abs(t - each)))
            hits += 1
    return 2 * hits / max(len(found) + len(truth), 1)
