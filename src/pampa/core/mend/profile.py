"""What the noise of a room is like: learned from a region, or followed along the recording from its quiet moments.

Following takes a low quantile of smoothed power over a sliding window, corrected for how far a quantile lies under
the mean of noise, in the manner of minimum statistics (Martin 2001).
"""

from dataclasses import dataclass
from functools import cache, partial

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.executor import Executor, Inline
from pampa.core.mend.spectra import BINS, GROUPS, HOP, SIZE, Powers, edges, powers, spectra, window
from pampa.core.sound import RATE, Segment, Source, segments

BLOCK = 8
"""Frames that are averaged before the quantile is taken: 85 ms."""
WINDOW_S, STEP_S = 12.0, 2.0
QUANTILE, NOISE_QUANTILE = 0.2, 0.35
"""A fifth of the time is surely without speech; among the moments without speech that is about a third."""
DEGREES = 0.7
"""Frames that overlap by half count for so much each."""
NOTHING = np.float32(1e-12)


@dataclass(frozen=True, eq=False)
class Profile:
    """Power of the noise in each group, every `STEP_S` of the recording, and how loud its talk is.

    power : shape (steps, GROUPS); one step where the noise was learned from a region.
    loud : mean power of all groups that the loudest twentieth of the recording reaches.
    """

    power: Powers
    loud: float

    def at(self, frames: NDArray[np.int64]) -> Powers:
        """The noise at some frames, in between on a straight line."""
        places = np.clip(frames * HOP / (STEP_S * RATE), 0, len(self.power) - 1)
        below = np.minimum(places.astype(np.int64), max(len(self.power) - 2, 0))
        share = (places - below).astype(np.float32)[:, None]
        above = np.minimum(below + 1, len(self.power) - 1)
        return self.power[below] * (1 - share) + self.power[above] * share

    @property
    def spectrum(self) -> NDArray[np.float64]:
        """The noise on average along the recording: mean square in each bin, shape (BINS,)."""
        bins = np.repeat(self.power.mean(axis=0, dtype=np.float64), np.diff(edges()))
        scale = 2 / (float((window().astype(np.float64) ** 2).sum()) * SIZE)
        return np.pad(bins * scale, (0, BINS - bins.size))


def followed(source: Source, executor: Executor | None = None) -> Profile:
    """The noise along a whole recording, without being told where it is alone."""
    blocks = _blocks(source, executor)
    return Profile(along(blocks), loudness(blocks))


def learned(source: Source, start: int, stop: int, executor: Executor | None = None) -> Profile:
    """The noise of frames `start` to `stop` of the sound, taken for the whole recording."""
    first, last = -(-start // HOP) + 1, max(stop // HOP, -(-start // HOP) + 2)
    region = powers(spectra(source, first, last)).mean(axis=0, keepdims=True)
    return Profile(region, loudness(_blocks(source, executor)))


def blocks_of(frames: Powers) -> Powers:
    """Means of `BLOCK` frames after one another; what is left over at the end is dropped."""
    whole = len(frames) // BLOCK * BLOCK
    return frames[:whole].reshape(-1, BLOCK, GROUPS).mean(axis=1)


def along(blocks: Powers) -> Powers:
    """The noise every `STEP_S`, from blocks: shape (steps, GROUPS)."""
    per_s = RATE / HOP / BLOCK
    half, rows = round(WINDOW_S * per_s / 2), []
    for centre in np.arange(0, max(len(blocks), 1), STEP_S * per_s):
        # At the ends the window stays as long as it is.
        first = int(np.clip(round(centre) - half, 0, max(len(blocks) - 2 * half, 0)))
        near = blocks[first : first + 2 * half]
        heard = near[near.any(axis=1)]  # digital silence tells nothing of the room
        rows.append(np.quantile(heard, QUANTILE, axis=0) if len(heard) else np.zeros(GROUPS))
    return (np.array(rows, np.float64) * _bias()).astype(np.float32)


def loudness(blocks: Powers) -> float:
    """How loud the talk is: the level that a twentieth of all blocks pass."""
    return float(np.quantile(blocks.mean(axis=1), 0.95)) if len(blocks) else 0.0


def _blocks(source: Source, executor: Executor | None) -> Powers:
    rows = list((executor or Inline()).map(partial(_blocks_of_segment, source), segments(source.frames)))
    return np.concatenate(rows) if rows else np.zeros((0, GROUPS), np.float32)


def _blocks_of_segment(source: Source, segment: Segment) -> Powers:
    return blocks_of(powers(spectra(source, -(-segment.start // HOP), -(-segment.stop // HOP))))


@cache
def _bias() -> NDArray[np.float64]:
    """By how much the mean of noise in each group stands over its quantile."""
    shape = BLOCK * DEGREES * np.diff(edges())
    return shape / scipy.special.gammaincinv(shape, NOISE_QUANTILE)
