"""A gentle compressor for a sum: when several laugh at once, it is the sum that must be held."""

from dataclasses import dataclass

from pampa.core.sound import FloatArray
from pampa.core.speech.level import COMMON_LEVEL_LUFS
from pampa.core.voice.compressor import LOOK_AHEAD, SETTLING, compressed, threshold_of

OVER_ONE_DB = 4.0
"""One person alone stays under the threshold, two at once come over it."""
MOST_RATIO = 4.0


@dataclass(frozen=True)
class Pressing:
    """The compressor of a bus. amount : 0 to 100, from a ratio of 1 to 4."""

    amount: float

    @property
    def run_in(self) -> int:
        return SETTLING

    @property
    def look_ahead(self) -> int:
        return LOOK_AHEAD

    def work(self, sound: FloatArray) -> FloatArray:
        threshold = threshold_of(COMMON_LEVEL_LUFS) + OVER_ONE_DB
        return compressed(sound, threshold, 1 + (MOST_RATIO - 1) * self.amount / 100)[0]
