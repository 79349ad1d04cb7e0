"""Single peaks: syllables that stick out of their phrase, for a person to lower before anything is compressed.

How far the loudest moment of a phrase usually stands over the phrase is measured over all phrases of a voice; what
stands over it by more than its spread lets one expect is told. Median and median absolute deviation are used, the
latter of what lies under the median, which the peaks themselves do not move.
Source: Hampel, The influence curve and its role in robust estimation, JASA 69 (1974).
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.runs import runs_of
from pampa.core.sound import Curve
from pampa.core.speech.phrases import phrases_of

SMOOTH_CELLS = 3
REST_SHARE = 85.0
"""The level of a phrase is told by its cells under this percentile: a peak must not raise what it is held against."""
SPREADS, LEAST_DB = 2.0, 4.0
NORMAL = 1.4826
FEWEST_PHRASES, SHORTEST_CELLS = 6, 20
LONGEST_S = 0.6
SIDE_CELLS = 1


@dataclass(frozen=True)
class Peak:
    """From where to where a peak lies, in seconds of the recording, and by how many dB it is proposed to be lowered."""

    start_s: float
    stop_s: float
    lower_db: float


def peaks_of(energy: Curve) -> list[Peak]:
    """Peaks in order of time. energy : K-weighted mean square of each 20 ms of one recording, shape (cells,)."""
    smooth = np.convolve(energy, np.ones(SMOOTH_CELLS) / SMOOTH_CELLS, "same")
    level = 10 * np.log10(np.maximum(smooth, 1e-14))
    phrases = [phrase for phrase in phrases_of(energy) if phrase.stop - phrase.start >= SHORTEST_CELLS]
    if len(phrases) < FEWEST_PHRASES:
        return []
    rests = [_rest(energy[phrase.start : phrase.stop]) for phrase in phrases]
    tops = np.array([
        level[phrase.start : phrase.stop].max() - rest for phrase, rest in zip(phrases, rests, strict=True)
    ])  # fmt: skip
    usual = float(np.median(tops))
    spread = NORMAL * float(np.median(usual - tops[tops <= usual]))
    most = usual + max(SPREADS * spread, LEAST_DB)
    found: list[Peak] = []
    for phrase, rest in zip(phrases, rests, strict=True):
        over = level[phrase.start : phrase.stop] - rest
        for start, stop in _runs(over > usual, over > most):
            if stop - start <= LONGEST_S * CELLS_PER_S:
                first, last = phrase.start + start - SIDE_CELLS, phrase.start + stop + SIDE_CELLS
                lower = round(2 * (over[start:stop].max() - usual)) / 2
                found.append(Peak(max(first, 0) / CELLS_PER_S, last / CELLS_PER_S, float(lower)))
    return found


def _rest(energy: Curve) -> float:
    under = energy[energy <= np.percentile(energy, REST_SHARE)]
    return float(10 * np.log10(max(under.mean(), 1e-14)))


def _runs(loud: np.ndarray, too_loud: np.ndarray) -> Iterator[tuple[int, int]]:
    """Runs of what is loud that reach what is too loud."""
    for start, stop in runs_of(loud).tolist():
        if too_loud[start:stop].any():
            yield start, stop
