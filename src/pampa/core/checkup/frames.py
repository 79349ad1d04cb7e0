"""One pass over a recording: its level, peaks and a few bands for each 20 ms, and where it is digitally silent."""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import partial

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.executor import Executor, Inline
from pampa.core.runs import runs_of
from pampa.core.sound import RATE, Curve, Segment, Source, segments, to_mono

HOP = RATE // 50
WINDOW, SIZE = 2 * HOP, 2048
LOW, MID, HIGH = (20.0, 110.0), (300.0, 4000.0), (5000.0, 9000.0)
NOTHING_DB = -160.0
MOST_WINDOWS = 1500


@dataclass(frozen=True, eq=False)
class Frames:
    """Curves with one value for each 20 ms, in dBFS of RMS or linear peaks; silence is -160 dB."""

    level: Curve
    high_peak: Curve
    low_peak: Curve
    low_band: Curve
    mid_band: Curve
    high_band: Curve
    zeros: NDArray[np.int64]
    """Runs of exact zeros of 5 ms and more: frames, shape (runs, 2)."""
    mean: float


def measure_frames(source: Source, executor: Executor | None = None) -> Frames:
    """The curves of a whole recording, segment by segment; of two channels, the mean."""
    parts = list((executor or Inline()).map(partial(_of_segment, source), segments(source.frames)))
    if not parts:
        empty = np.zeros(0)
        return Frames(empty, empty, empty, empty, empty, empty, np.zeros((0, 2), np.int64), 0.0)
    curves = np.concatenate([part[0] for part in parts], axis=1)
    total = sum(part[2] for part in parts)
    level, low, mid, high = (_db(curves[row]) for row in (0, 3, 4, 5))
    return Frames(
        level, curves[1], curves[2], low, mid, high, _joined(part[1] for part in parts), total / source.frames
    )


def mean_power(source: Source, where: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Mean power spectrum of the chosen frames, of at most 1500 of them, evenly spread."""
    chosen = np.flatnonzero(where)
    if chosen.size > MOST_WINDOWS:
        chosen = chosen[np.linspace(0, chosen.size - 1, MOST_WINDOWS).astype(int)]
    return window_powers(source, chosen * HOP - (WINDOW - HOP) // 2)


def window_powers(source: Source, starts: NDArray[np.int64]) -> NDArray[np.float64]:
    """Mean power spectrum of the 40 ms windows that begin at `starts`: (SIZE // 2 + 1,), RMS² for each bin."""
    total = np.zeros(SIZE // 2 + 1)
    for start in starts:
        sound = to_mono(source.read(int(start), int(start) + WINDOW))
        total += np.abs(scipy.fft.rfft(sound * _HANN, SIZE)) ** 2
    return total * _SCALE / max(len(starts), 1)


_HANN = np.hanning(WINDOW + 1)[:-1].astype(np.float32)
_SCALE = 2 / (float((_HANN.astype(np.float64) ** 2).sum()) * SIZE)
"""Makes the sum over bins of a window's squared spectrum its mean square."""


def _of_segment(source: Source, segment: Segment) -> tuple[NDArray[np.float64], NDArray[np.int64], float]:
    count = (segment.stop - segment.start) // HOP
    sound = to_mono(source.read(segment.start - HOP // 2, segment.stop + WINDOW))
    inside = sound[HOP // 2 : HOP // 2 + segment.stop - segment.start]
    zeros, total = _zero_runs(inside) + segment.start, float(inside.sum(dtype=np.float64))
    sound = sound - np.float32(total / len(inside))  # what stands off the middle is no level and no rumble
    inside = sound[HOP // 2 : HOP // 2 + segment.stop - segment.start]
    hops = inside[: count * HOP].reshape(count, HOP)
    curves = np.zeros((6, count))
    curves[0] = np.einsum("ij,ij->i", hops, hops, dtype=np.float64) / HOP
    curves[1], curves[2] = hops.max(axis=1, initial=0), -hops.min(axis=1, initial=0)
    views = np.lib.stride_tricks.sliding_window_view(sound, WINDOW)[::HOP][:count]
    power = np.abs(scipy.fft.rfft(views * _HANN, SIZE, axis=1)) ** 2
    for row, (first, last) in zip((3, 4, 5), (LOW, MID, HIGH), strict=True):
        a, b = round(first * SIZE / RATE), round(last * SIZE / RATE)
        curves[row] = power[:, max(a, 1) : b + 1].sum(axis=1) * _SCALE
    return curves, zeros, total


def _zero_runs(sound: NDArray[np.float32]) -> NDArray[np.int64]:
    runs = runs_of(np.abs(sound) < 1e-9)
    return runs[(runs[:, 1] - runs[:, 0] >= RATE // 200) | (runs[:, 0] == 0) | (runs[:, 1] == len(sound))]


def _joined(parts: Iterable[NDArray[np.int64]]) -> NDArray[np.int64]:
    """Runs of all segments, those that meet at a boundary made one."""
    joined: list[list[int]] = []
    for start, stop in np.concatenate(list(parts)).tolist():
        if joined and joined[-1][1] == start:
            joined[-1][1] = stop
        else:
            joined.append([start, stop])
    runs = np.array(joined, np.int64).reshape(-1, 2)
    return runs[runs[:, 1] - runs[:, 0] >= RATE // 200]


def _db(power: Curve) -> Curve:
    return 10 * np.log10(np.maximum(power, 10 ** (NOTHING_DB / 10)))
