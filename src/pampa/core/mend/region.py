"""The place that noise is learned from: whether somebody talks in it, and where nobody does."""

from dataclasses import dataclass

from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.room_tone import quiet_place
from pampa.core.sound import Curve
from pampa.core.speech.detector import where_spoken

MOST_SPEECH = 0.08


@dataclass(frozen=True)
class Doubt:
    """Speech in a place that should hold none. share : of its time. better : a place without, (start_s, stop_s)."""

    share: float
    better: tuple[float, float] | None

    @property
    def words(self) -> str:
        told = f"There is speech in {100 * self.share:.0f} % of the place that noise is learned from"
        if self.better is None:
            return f"{told}, and no quiet place was found. Follow the noise instead."
        return (
            f"{told}: it would be taken for noise. From {self.better[0]:.1f} to {self.better[1]:.1f} s there is none."
        )


def doubt(energy: Curve, region: tuple[float, float]) -> Doubt | None:
    """What is wrong with a region, in seconds; None if it holds hardly any speech.

    energy : K-weighted mean square of each 20 ms of the recording, shape (cells,).
    """
    first, last = (round(edge * CELLS_PER_S) for edge in region)
    here = where_spoken(energy)[first:last]
    share = float(here.mean()) if here.size else 0.0
    return Doubt(round(share, 2), quiet_place(energy)) if share > MOST_SPEECH else None
