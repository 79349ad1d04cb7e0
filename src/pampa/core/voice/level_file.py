"""A file levelled by itself: for a recording that holds several voices, outside of an episode."""

from dataclasses import dataclass

from pampa.core.executor import Executor
from pampa.core.loudness.measure import measure_source
from pampa.core.sound import Curve, FloatArray, Over, Source
from pampa.core.voice.levelling import along, level_gain_db


@dataclass(frozen=True, eq=False)
class Levelled(Over):
    """A source under a gain curve: `gain_db` holds a value for each 20 ms."""

    source: Source
    gain_db: Curve

    @property
    def frames(self) -> int:
        return self.source.frames

    def read(self, start: int, stop: int) -> FloatArray:
        """Frames `start` to `stop`; each depends only on its place."""
        return self.source.read(start, stop) * along(self.gain_db, start, stop, self.rate)[:, None]


def levelled(source: Source, *, amount: float = 100.0, executor: Executor | None = None) -> Levelled:
    """A source of any rate with every phrase of it at one loudness. amount : 0 to 100, how far."""
    energy = measure_source(source, executor).energy
    return Levelled(source, level_gain_db(energy) * (amount / 100))
