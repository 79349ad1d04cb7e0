"""Stretches that were cut off at the recorder's limit, found at the file's own rate: resampling rounds them."""

import numpy as np
from numpy.typing import NDArray

from pampa.core.sound import FloatArray

SHORTEST = 3
FLAT = 2e-5
"""Neighbouring samples of a cut-off top differ by no more: under one step of 16 bits."""
STEEP = 3e-4
"""A wave that runs into its limit gets there by larger steps; beside three flat samples of a round top, they are
under a third of this."""
QUIETEST = 0.05
SAME_LEVEL = 0.995
MARGIN = 8


class ClipFinder:
    """Given the blocks of a file in order, gathers its flat tops."""

    def __init__(self, rate: int) -> None:
        self._rate = rate
        self._tail: FloatArray | None = None
        self._at = 0
        self._runs: list[tuple[float, float, float, bool]] = []
        self._reach = {1: 0.0, -1: 0.0}

    def add(self, block: FloatArray) -> None:
        """The next block, shape (frames, channels). A flat top on its edge is found with the block after it."""
        joined = block if self._tail is None else np.concatenate([self._tail, block])
        first = self._at - (0 if self._tail is None else len(self._tail))
        keep = min(len(joined), self._rate // 10)
        seen = self._runs[-1][1] if self._runs else -1.0
        for channel in range(joined.shape[1]):
            for start, stop, height, steep in _flat_tops(np.ascontiguousarray(joined[:, channel])):
                if stop < len(joined) - MARGIN and (first + start) / self._rate > seen:
                    self._runs.append(((first + start) / self._rate, (first + stop) / self._rate, height, bool(steep)))
        self._reach[1] = max(self._reach[1], float(block.max(initial=0)))
        self._reach[-1] = max(self._reach[-1], -float(block.min(initial=0)))
        self._at += len(block)
        self._tail = joined[len(joined) - keep :].copy()

    def found(self) -> NDArray[np.float64]:
        """Stretches in seconds, shape (stretches, 2), in order: those at the height that the recorder cut off at.

        A flat top or two of a few samples at the very top of a recording may be chance; more, or a long one, are not.
        Below the very top, where a recording was cut off before somebody made it softer in places, it takes a long one.
        """
        runs = np.array(sorted(self._runs)).reshape(-1, 4)
        steep = runs[:, 3] > 0
        long = runs[:, 1] - runs[:, 0] > (2 * SHORTEST - 0.5) / self._rate
        chosen = np.zeros(len(runs), bool)
        for side in (1, -1):
            heights = runs[:, 2] * side
            cut_off = steep & (long | (heights >= SAME_LEVEL * self._reach[side]))
            if (heights[cut_off] > 0).any():
                limit = SAME_LEVEL * heights[cut_off].max()
                chosen |= steep & (heights >= limit)
                # Where the limit is known, what only just touches it was cut off too.
                chosen |= heights >= np.median(heights[steep & (heights >= limit)]) - FLAT
        if not chosen.any():
            return np.zeros((0, 2))
        runs = runs[chosen]
        longest = (runs[:, 1] - runs[:, 0]).max() * self._rate
        return runs[:, :2] if len(runs) > 2 or longest >= 2 * SHORTEST else np.zeros((0, 2))


def _flat_tops(wave: FloatArray) -> NDArray[np.float64]:
    """Rows of (start, stop, height, whether its edges are steep) of every flat top of one channel, in frames."""
    start = np.flatnonzero(np.abs(wave[1:-SHORTEST]) >= QUIETEST) + 1
    start = start[np.abs(wave[start + 1] - wave[start]) <= FLAT]
    height = wave[start]
    side = np.sign(height)
    rise = (height - wave[start - 1]) * side
    begins = (rise > FLAT) & (np.abs(wave[start + 2] - height) <= FLAT)
    start, height, side, rise = start[begins], height[begins], side[begins], rise[begins]
    last = start + SHORTEST - 1
    longer = np.arange(start.size)
    while longer.size:
        longer = longer[last[longer] + 1 < wave.size]
        longer = longer[np.abs(wave[last[longer] + 1] - height[longer]) <= FLAT]
        last[longer] += 1
    ends = last + 1 < wave.size
    fall = (height - wave[np.minimum(last + 1, wave.size - 1)]) * side
    top = ends & (fall > FLAT)
    steep = np.maximum(rise, fall) > STEEP
    return np.stack([start, last + 1, height, steep], axis=1).astype(np.float64)[top]
