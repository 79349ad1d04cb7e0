"""A source heard as a special voice, in whole blocks on its own time, so that any stretch is the same bits."""

from dataclasses import dataclass

import numpy as np

from pampa.core.sound import RATE, FloatArray, Over, Source
from pampa.core.special.kinds import KINDS, Special

BLOCK = 1 << 16
RUN_IN, LOOK_AHEAD = 2 * RATE, RATE // 4


@dataclass(frozen=True, eq=False)
class SpecialVoice(Over):
    """A source through one special voice, as long as before."""

    source: Source
    special: Special

    @property
    def frames(self) -> int:
        return self.source.frames

    def read(self, start: int, stop: int) -> FloatArray:
        """Frames `start` to `stop`, shape (stop - start, channels)."""
        share = self.special.amount / 100
        out = np.zeros((stop - start, self.channels), np.float32)
        for first in range(start // BLOCK * BLOCK, stop, BLOCK):
            sound = self.source.read(first - RUN_IN, first + BLOCK + LOOK_AHEAD)
            if not sound.any():
                continue
            made = KINDS[self.special.kind](sound, first - RUN_IN, share) if share else sound
            a, b = max(first, start), min(first + BLOCK, stop)
            out[a - start : b - start] = made[RUN_IN + a - first : RUN_IN + b - first]
        return out
