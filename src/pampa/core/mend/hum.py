"""Hum taken out: the mains' fundamental and harmonics are followed as sines and subtracted, never filtered.

A notch rings and takes speech with it; a sine that is known in frequency, phase and level can be subtracted and
leaves the speech beside it alone. All harmonics share one phase that drifts with the mains: harmonic k turns k times
as far. It is measured where the speaker is quiet, and carried through where not.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy
import soxr
from numpy.typing import NDArray

from pampa.core.checkup.hum import find_hum
from pampa.core.executor import Executor, Inline
from pampa.core.mend import kernels
from pampa.core.sound import RATE, FloatArray, Segment, Source, segments

Complex = NDArray[np.complex128]

HOP = RATE
WORK_RATE = 3_000
STEP = WORK_RATE * HOP // RATE
HIGHEST_HZ = 1_250.0
GLANCE_S, WINDOW_S = 1.0, 3.0
"""How much sound tells the phase at a hop, and how much tells the levels once the phase is known."""
TURN = np.arange(-0.4, 0.4005, 0.002)
"""What the fundamental's phase may turn by in a hop, in radians."""
SMOOTH_TURNS = 2
NEAR = round(0.03 * WORK_RATE)
ROUNDS = 2
STANDS_OUT_DB, MAY_STAND_OUT_DB = 3.0, 0.0
SAMPLED = 90
"""So many hops of a longer recording are looked at first."""
SILENCE = RATE // 200
NOTHING = 1e-11
"""Power under which nothing was recorded at all: it tells nothing of the hum."""


@dataclass(frozen=True, eq=False)
class HumTrack:
    """The hum of one recording.

    hz : its mean frequency. phase : radians that the fundamental is ahead of that, at each second,
    shape (hops,). levels : of harmonics 1, 2, ..., with their phase; complex, shape (hops, harmonics, channels); 0
    for a harmonic that does not stand out.
    """

    hz: float
    phase: NDArray[np.float64]
    levels: Complex

    @cached_property
    def harmonics(self) -> tuple[int, ...]:
        """The numbers of those that stand out."""
        return tuple(int(k) + 1 for k in np.flatnonzero(np.abs(self.levels).max(axis=(0, 2))))


def follow_hum(source: Source, executor: Executor | None = None) -> HumTrack | None:
    """The hum of a recording at 48 kHz, as sines over its whole length; None where none stands out.

    Each second is fitted by weighted least squares over the three seconds around it. What is loud beside the
    hum counts little: the weights are one over the power of what the last fit left, so that the pauses between
    words tell the hum and the words do not.
    """
    found = find_hum(source, executor)
    if found is None:
        return None
    run = (executor or Inline()).map
    numbers = np.arange(1, int(HIGHEST_HZ / found.hz) + 1)
    grid = list(segments(source.frames))
    glances = np.concatenate(list(run(lambda segment: _glances(source, segment, found.hz, numbers), grid)))
    phase = _phase(glances, numbers)

    def fitted(every: int, over_db: float) -> tuple[Complex, NDArray[np.bool_]]:
        fits = list(run(lambda segment: _fits(source, segment, found.hz, numbers, phase, every), grid))
        levels, doubt = (np.concatenate(parts) for parts in zip(*fits, strict=True))
        power = np.median(np.abs(levels) ** 2, axis=0)
        return levels, power > np.median(doubt, axis=0) * 10 ** (over_db / 10)

    # A fit costs as the square of what is fitted: a few hops tell which harmonics may stand out at all.
    every = len(phase) // SAMPLED
    if every > 1:
        numbers = numbers[fitted(every, MAY_STAND_OUT_DB)[1].any(axis=1)]
        if not numbers.size:
            return None
    found_levels, stands_out = fitted(1, STANDS_OUT_DB)
    levels = np.zeros((len(phase), int(numbers[-1]), source.channels), complex)
    levels[:, numbers - 1] = found_levels * stands_out
    return HumTrack(found.hz, phase, levels) if levels.any() else None


def without_hum(source: Source, segment: Segment, track: HumTrack, amount: float) -> FloatArray:
    """One segment with `amount` (0 to 1) of the hum subtracted; with 0, bit for bit what came in."""
    if amount <= 0:
        return source.read(segment.start, segment.stop)
    around = source.read(segment.start - SILENCE, segment.stop + SILENCE)
    sound, silent = around[SILENCE:-SILENCE], _silent(around)
    first = segment.start // HOP
    last = min(-(-segment.stop // HOP) + 1, len(track.phase))
    clean = kernels.minus_sines(
        np.ascontiguousarray(sound, np.float32), segment.start, 2 * np.pi * track.hz / RATE, track.phase[first:last],
        np.ascontiguousarray(track.levels[first:last, : max(track.harmonics)]), first, HOP, amount,
    )  # fmt: skip
    clean[silent] = 0
    return clean


def _silent(sound: FloatArray) -> NDArray[np.bool_]:
    """Frames in runs of digital silence, 5 ms and longer: no hum is there, and subtracting would put some in.

    sound : with so much before and after what is asked for.
    """
    edges = np.flatnonzero(np.diff(np.concatenate([[0], (~sound.any(axis=1)).view(np.int8), [0]])))
    out = np.zeros(len(sound), np.bool_)
    for start, stop in edges.reshape(-1, 2):
        out[start:stop] = stop - start >= SILENCE
    return out[SILENCE:-SILENCE]


def _low(source: Source, segment: Segment) -> tuple[NDArray[np.float64], NDArray[np.int64], NDArray[np.int64]]:
    """The bottom of a segment and what is around it at the work rate; its hops; and where each lies in that sound."""
    hops = np.arange(-(-segment.start // HOP), -(-segment.stop // HOP))
    reach = (round(WINDOW_S / 2 * RATE) // HOP + 2) * HOP
    first = int(hops[0]) * HOP - reach if hops.size else 0
    sound = source.read(first, segment.stop + reach)
    low = soxr.resample(sound, RATE, WORK_RATE, quality="HQ").astype(np.float64)
    return low, hops, (hops - hops[0]) * STEP + reach * WORK_RATE // RATE if hops.size else hops


def _glances(source: Source, segment: Segment, hz: float, numbers: NDArray[np.int64]) -> Complex:
    """A first look at each harmonic at the hops of a segment, at the mean frequency: (hops, harmonics, channels).

    As trusted as the sound is quiet: what is seen through speech weighs little against what is seen in a pause.
    """
    low, hops, places = _low(source, segment)
    size = round(GLANCE_S * WORK_RATE)
    t = (np.arange(size) - size // 2) / WORK_RATE
    waves = np.exp(-2j * np.pi * hz * t[:, None] * numbers) * np.hanning(size)[:, None]
    trust = _trust(low)
    seen = np.zeros((hops.size, numbers.size, low.shape[1]), complex)
    for row, place in enumerate(places):
        part = slice(place - size // 2, place + size - size // 2)
        weight = trust[part][:, None]
        seen[row] = waves.T @ (low[part] * weight) / max(np.sqrt((weight**2).mean()), 1e-30)
    return seen * np.exp(-2j * np.pi * hz * (hops * HOP / RATE)[:, None] * numbers)[:, :, None]


def _phase(seen: Complex, numbers: NDArray[np.int64]) -> NDArray[np.float64]:
    """Radians that the fundamental is ahead of its mean frequency at each hop, from all harmonics at once."""
    steps = (seen[1:] * np.conj(seen[:-1])).sum(axis=2)
    scores = (steps @ np.exp(-1j * numbers[:, None] * TURN)).real
    turns = TURN[np.argmax(scores, axis=1)] if len(scores) else np.zeros(0)
    weight = np.maximum(scores.max(axis=1), 0) + 1e-30 if len(scores) else turns
    smooth = _smooth(turns * weight) / _smooth(weight) if len(scores) else turns
    return np.concatenate([[0.0], np.cumsum(smooth)])


def _fits(source: Source, segment: Segment, hz: float, numbers: NDArray[np.int64], phase: NDArray[np.float64],
          every: int) -> tuple[Complex, NDArray[np.float64]]:  # fmt: skip
    """Levels of the harmonics at the hops of a segment, and the power by which each may be wrong.

    every : only every so many hops are looked at.
    """
    low, hops, places = _low(source, segment)
    chosen = hops % every == 0
    hops, places = hops[chosen], places[chosen]
    size = round(WINDOW_S * WORK_RATE)
    window = np.hanning(size)
    levels = np.zeros((hops.size, numbers.size, low.shape[1]), complex)
    doubt = np.zeros(levels.shape)
    for row, (hop, place) in enumerate(zip(hops, places, strict=True)):
        sound = low[place - size // 2 : place + size - size // 2]
        seconds = hop * HOP / RATE + (np.arange(size) - size // 2) / WORK_RATE
        turn = 2 * np.pi * hz * seconds + np.interp(seconds * RATE / HOP, np.arange(phase.size), phase)
        basis = _basis(turn, numbers)
        inside = (seconds >= 0) & (seconds < source.frames / RATE)
        heard = window * inside * (_trust(sound) > 0)
        if not heard.any():
            continue
        # Waves and sound as float32 side by side: of mixed kinds, all waves would be turned into float64 for each.
        heard_as, left = sound.astype(np.float32), sound
        for _ in range(ROUNDS):
            weight = heard / _level(left)
            heavy = basis * (weight / weight.max()).astype(np.float32)[:, None]
            gram = (heavy.T @ basis).astype(np.float64)
            gram[np.diag_indices_from(gram)] *= 1 + 1e-6
            fit = np.linalg.solve(gram, (heavy.T @ heard_as).astype(np.float64))
            left = sound - basis @ fit.astype(np.float32)
        weight /= weight.max()
        wrong = np.diag(np.linalg.inv(gram))[:, None] * np.average(left**2, axis=0, weights=weight) * np.sum(weight)
        wrong = wrong * NEAR / max(np.sum(weight) ** 2 / np.sum(weight**2), 1.0)
        levels[row] = fit[: numbers.size] + 1j * fit[numbers.size :]
        doubt[row] = wrong[: numbers.size] + wrong[numbers.size :]
    return levels, doubt


def _basis(turn: NDArray[np.float64], numbers: NDArray[np.int64]) -> NDArray[np.float32]:
    """Cosines, then negative sines, of `numbers` times `turn`, each from the one before: (frames, 2 * numbers)."""
    base = np.exp(1j * turn)
    waves = np.empty((2 * numbers.size, turn.size), np.float32)
    wave, reached = base, 1
    for row, number in enumerate(numbers):
        for _ in range(reached, number):
            wave = wave * base
        reached = number
        waves[row], waves[numbers.size + row] = wave.real, -wave.imag
    return np.ascontiguousarray(waves.T)


def _around(sound: NDArray[np.float64]) -> NDArray[np.float64]:
    """Power in the 30 ms around each frame over all channels: shape (frames,)."""
    return np.maximum(scipy.ndimage.uniform_filter1d((sound**2).sum(axis=1), NEAR, mode="nearest"), 0)


def _level(sound: NDArray[np.float64]) -> NDArray[np.float64]:
    """The same, evened out far below the quietest tenth, so that no single frame rules."""
    near = _around(sound)
    return near + 1e-3 * np.quantile(near, 0.1) + NOTHING


def _trust(sound: NDArray[np.float64]) -> NDArray[np.float64]:
    """One over the power around each frame; 0 in and beside digital silence, whose edges are cut-off hum."""
    beside = scipy.ndimage.maximum_filter1d((_around(sound) <= NOTHING).view(np.int8), 4 * NEAR + 1, mode="nearest")
    return (1 - beside) / _level(sound)


def _smooth(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Weighted sum over a few hops to either side."""
    window = np.hanning(2 * SMOOTH_TURNS + 3)[1:-1]
    return scipy.ndimage.convolve1d(values, window / window.sum(), mode="nearest")
