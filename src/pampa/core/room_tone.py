"""Room tone: where a recording has nothing but its room, and how loud that is against the room elsewhere in it."""

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.lib.stride_tricks import sliding_window_view

from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import RATE, Curve

LENGTHS_S = (3.0, 1.5, 0.6)
STEADY_DB = 4.0
SMOOTH_CELLS = 3
NOTHING = 1e-13
AROUND_S, PAUSE_CELLS = 4.0, 10
"""So far around a place its room is looked for, in pauses of 200 ms at least."""
MOST_DB = 6.0


@dataclass(frozen=True, eq=False)
class Tone:
    """Frames `start` to `stop` of a recording in which nothing but the room is heard.

    energy : K-weighted mean square of each 20 ms of the recording, if known: rooms get louder and softer.
    """

    start: int
    stop: int
    energy: Curve | None = None

    def gain_db(self, start: int, stop: int) -> float:
        """What brings the tone to the level of the room around frames `start` to `stop` of the recording."""
        if self.energy is None:
            return 0.0
        cell = RATE // CELLS_PER_S
        around = round(AROUND_S * CELLS_PER_S)
        there = _in_pauses(self.energy[max(start // cell - around, 0) : stop // cell + around])
        own = self.energy[self.start // cell : self.stop // cell].mean()
        if there is None or own <= NOTHING:
            return 0.0
        return float(np.clip(10 * np.log10(there / own), -MOST_DB, MOST_DB))


def _in_pauses(energy: Curve) -> float | None:
    """Level of the room in a stretch that may hold talk as well: that of its quietest pause."""
    if energy.size < PAUSE_CELLS:
        return None
    stretches = sliding_window_view(energy, PAUSE_CELLS)
    pauses = stretches[(stretches > NOTHING).all(axis=1)].mean(axis=1)  # a recorder's own silence is no room
    return float(pauses.min()) if pauses.size else None


def quiet_place(energy: Curve) -> tuple[float, float] | None:
    """Where a recording is quietest, (start_s, stop_s): as long as it is steady there. None if it is too short.

    energy : K-weighted mean square of each 20 ms, shape (cells,).
    """
    if energy.size < LENGTHS_S[-1] * CELLS_PER_S or not (energy > NOTHING).any():
        return None
    smooth = scipy.ndimage.uniform_filter1d(energy, SMOOTH_CELLS)
    smooth = np.where(smooth > NOTHING, smooth, np.inf)  # a recorder's own silence is no room
    steady = np.percentile(smooth[np.isfinite(smooth)], 10) * 10 ** (STEADY_DB / 10)
    for length_s in LENGTHS_S:
        cells = round(length_s * CELLS_PER_S)
        if energy.size < cells:
            continue
        loudest = scipy.ndimage.maximum_filter1d(smooth, cells)[cells // 2 : energy.size - (cells - 1) // 2]
        first = int(np.argmin(loudest))
        if loudest[first] <= steady or (length_s == LENGTHS_S[-1] and np.isfinite(loudest[first])):
            return first / CELLS_PER_S, (first + cells) / CELLS_PER_S
    return None
