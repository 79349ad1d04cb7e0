"""A source at another sample rate, so that any range of it is the same samples.

It is worked out in whole blocks that begin where both rates have a sample, each with enough around it that the filter
has settled where the block begins.
"""

from dataclasses import dataclass
from math import gcd

import numpy as np
import soxr

from pampa.core.sound import FloatArray, Source

BLOCK_S, AROUND_S = 10, 0.05
QUALITY = "VHQ"


@dataclass(frozen=True, eq=False)
class Resampled:
    """`source` at `rate` Hz."""

    source: Source
    rate: int

    @property
    def channels(self) -> int:
        return self.source.channels

    @property
    def frames(self) -> int:
        up, down = self._ratio
        return -(-self.source.frames * up // down)

    @property
    def _ratio(self) -> tuple[int, int]:
        common = gcd(self.rate, self.source.rate)
        return self.rate // common, self.source.rate // common

    def read(self, start: int, stop: int) -> FloatArray:
        """Frames `start` to `stop`, shape (stop - start, channels)."""
        up, _ = self._ratio
        size = BLOCK_S * self.rate // up * up
        out = np.empty((stop - start, self.channels), np.float32)
        for first in range(start // size * size, stop, size):
            a, b = max(first, start), min(first + size, stop)
            out[a - start : b - start] = self._block(first, size)[a - first : b - first]
        return out

    def _block(self, first: int, size: int) -> FloatArray:
        up, down = self._ratio
        around = round(AROUND_S * self.source.rate) // down * down
        begin = first // up * down
        sound = self.source.read(begin - around, begin + size // up * down + around)
        made = soxr.resample(sound, self.source.rate, self.rate, QUALITY)
        skipped = around // down * up
        return np.asarray(made[skipped : skipped + size], np.float32)
