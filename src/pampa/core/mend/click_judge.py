"""Which peaks of the prediction error are clicks: a small network looks at what lies around each of them.

It sees the error, and the sound above and below 1.5 kHz, in cells that grow with their distance, all against the peak:
how steeply it rises, whether its like comes back with every pulse of a voice, whether breath follows as after a
consonant. The weights beside this file were trained by `training/clicks.py` on material that the project makes.
"""

from functools import cache
from importlib.resources import files

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.arrays import arrays_in

CELL = 24
"""Frames of one value of a curve: 0.5 ms."""
RINGS = (1, 2, 3, 4, 6, 8, 11, 15, 20, 27, 36, 47, 60)
"""Cells on either side up to which one ring reaches."""
REACH = RINGS[-1]
CURVES = 3
LOOKS = CURVES * (2 * len(RINGS) + 1)
APART, OVER_ROOM_DB, UNDER_BESIDE_DB = 9, 8.0, 8.0
"""A peak is the highest within 4.5 ms, stands over the middle of its 60 ms, and not far under what is louder there."""
DEEPEST_DB, HIGHEST_DB, SCALE_DB = -60.0, 30.0, 20.0
LAYERS = ("into", "into_bias", "out", "out_bias")

Curves = NDArray[np.float32]
"""Levels in dB for each cell: the prediction error, the sound above and the sound below, shape (3, cells)."""


def peaks(curve: NDArray[np.float32]) -> NDArray[np.int64]:
    """Cells of the error curve where a click may be, none nearer than `REACH` to an end."""
    highest = curve >= scipy.ndimage.maximum_filter1d(curve, 2 * APART + 1, mode="nearest")
    beside = scipy.ndimage.maximum_filter1d(curve, 2 * REACH + 1, mode="nearest")
    found = np.flatnonzero(highest & (curve > beside - UNDER_BESIDE_DB))
    found = found[(found >= REACH) & (found < curve.size - REACH)]
    room = np.median(curve[found[:, None] + np.arange(-REACH, REACH + 1)], axis=1)
    return found[curve[found] > room + OVER_ROOM_DB]


def looks(curves: Curves, cells: NDArray[np.int64]) -> NDArray[np.float32]:
    """What the network sees of each cell: shape (cells, LOOKS)."""
    around = curves[:, cells[:, None] + np.arange(-REACH, REACH + 1)]
    against = around - around[:2, :, REACH].max(axis=0)[None, :, None]
    against[0] = around[0] - around[0, :, REACH, None]
    starts = np.concatenate([REACH - np.array(RINGS[::-1]), [REACH], REACH + 1 + np.array((0, *RINGS[:-1]))])
    rings = np.maximum.reduceat(against, starts, axis=2)
    rings[0, :, len(RINGS)] = around[0, :, REACH] - np.median(around[0], axis=1)
    seen = np.clip(rings, DEEPEST_DB, HIGHEST_DB) / SCALE_DB
    return np.ascontiguousarray(seen.transpose(1, 0, 2).reshape(len(cells), LOOKS), np.float32)


def judged(seen: NDArray[np.float32]) -> NDArray[np.float32]:
    """How sure it is that each is a click: over 0 it is one, shape (cells,)."""
    into, into_bias, out, out_bias = _weights()
    return (np.maximum(seen @ into + into_bias, 0) @ out + out_bias)[:, 0]


@cache
def _weights() -> tuple[NDArray[np.float32], ...]:
    kept = arrays_in(str(files("pampa.core.mend") / "clicks.npz"))
    return tuple(np.asarray(kept[name], np.float32) for name in LAYERS)
