"""Block energies of a stretch of sound, and how stretches join: the curve behind every loudness figure."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pampa.core.sound import Curve

GRID_S = 0.02
"""The grid of energies in seconds. 20 ms steps find the standard's tone bursts; 100 ms read 0.45 LU low."""

CELLS_PER_S = 50


@dataclass(frozen=True, eq=False)
class LoudnessPart:
    """What a stretch of sound contributes to a measurement.

    energy : float64, shape (cells,): weighted mean square of each 20 ms, channels summed, linear.
    sample_peak, true_peak : linear, 0.0 for silence.
    """

    energy: Curve
    sample_peak: float = 0.0
    true_peak: float = 0.0

    def scaled(self, gain: float) -> "LoudnessPart":
        """The same stretch after a linear gain."""
        return LoudnessPart(self.energy * gain**2, self.sample_peak * gain, self.true_peak * gain)


def merge(parts: Iterable[LoudnessPart]) -> LoudnessPart:
    """Join stretches that follow one another. The merge of all segments is the measurement of the whole."""
    parts = list(parts)
    if not parts:
        return LoudnessPart(np.zeros(0))
    return LoudnessPart(
        np.concatenate([part.energy for part in parts]),
        max(part.sample_peak for part in parts),
        max(part.true_peak for part in parts),
    )


def cell_bounds(frames: int, rate: int) -> NDArray[np.int64]:
    """First frame of every whole 20 ms cell in `frames` frames, and the end of the last: int64, (cells + 1,).

    At rates where 20 ms is no whole number of frames, cells differ by one frame and never wander.
    """
    cells = frames * CELLS_PER_S // rate
    return (np.arange(cells + 1, dtype=np.int64) * rate) // CELLS_PER_S
