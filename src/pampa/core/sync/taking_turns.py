"""People in one conversation take turns: how much less two recordings talk at once than chance would have it.

Whoever talks keeps the other silent (Sacks, Schegloff & Jefferson, A simplest systematics for the organization of
turn-taking, Language 50 (1974)), so the correlation of who talks when is lowest where two recordings lie right. That
tells a right place from a wrong one also where the microphones do not hear each other.
"""

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.speech.detector import levels_of, smoothed_db
from pampa.core.sync.features import WORK_RATE, Mono

CELLS_PER_S = 10
CELL = WORK_RATE // CELLS_PER_S
UNDER_TOP_DB, OVER_ROOM_DB = 26.0, 8.0
BRIDGE = 5
"""Pauses of half a second and less belong to a turn."""
LEAST_S = 30.0
"""Recordings that share less time than this tell nothing."""
TOLD = 200
"""So many other places are needed to tell chance by."""


def talks(sound: Mono) -> NDArray[np.float64]:
    """Where somebody talks, 1 or 0 for each tenth of a second."""
    cells = sound[: len(sound) // CELL * CELL].reshape(-1, CELL)
    level = smoothed_db(np.mean(cells.astype(np.float64) ** 2, axis=1), 1)
    talking = levels_of(level).talk(OVER_ROOM_DB, UNDER_TOP_DB)
    return scipy.ndimage.binary_closing(talking, np.ones(BRIDGE)).astype(np.float64)


def by_chance(reference: Mono, local: Mono, offsets: list[float]) -> list[float]:
    """For each offset in seconds, how likely it is that talk falls together so little without a reason, 0 to 1.

    Where the recordings share too little to tell, it is 1.
    """
    there, here = talks(reference), talks(local)
    size = scipy.fft.next_fast_len(there.size + here.size, real=True)

    def crossed(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(scipy.fft.irfft(scipy.fft.rfft(a, size) * np.conj(scipy.fft.rfft(b, size)), size))

    whole_there, whole_here = np.ones(there.size), np.ones(here.size)
    shared = np.maximum(np.round(crossed(whole_there, whole_here)), 1)
    one, other, both = crossed(there, whole_here), crossed(whole_there, here), crossed(there, here)
    spread = (one - one**2 / shared) * (other - other**2 / shared)
    told = (shared >= max(LEAST_S * CELLS_PER_S, min(there.size, here.size) / 2)) & (spread > 1e-6)
    if told.sum() < TOLD:
        return [1.0] * len(offsets)
    likeness = (both - one * other / shared) / np.sqrt(np.maximum(spread, 1e-6))
    middle = float(np.median(likeness[told]))
    scatter = 1.4826 * float(np.median(np.abs(likeness[told] - middle))) + 1e-9
    found = []
    for offset in offsets:
        lag = round(offset * CELLS_PER_S) % size
        apart = (middle - likeness[lag]) / scatter
        found.append(float(scipy.stats.norm.sf(apart)) if told[lag] else 1.0)
    return found
