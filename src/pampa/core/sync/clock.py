"""The relation of two clocks. The sign convention is written here and nowhere else."""

from dataclasses import dataclass
from typing import TypeVar

from pampa.core.errors import SignalError
from pampa.core.sound import Curve

MOST_DRIFT_PPM = 300.0
CLOSEST_ANCHORS_S = 20.0


Seconds = TypeVar("Seconds", float, Curve)
"""A time, or an array of times."""


@dataclass(frozen=True)
class Clock:
    """Where a recording's own time lies on the reference: reference = offset + local * (1 + drift)."""

    offset_s: float
    drift_ppm: float

    def to_reference(self, local_s: Seconds) -> Seconds:
        return self.offset_s + local_s * (1 + self.drift_ppm * 1e-6)

    def to_local(self, reference_s: Seconds) -> Seconds:
        return (reference_s - self.offset_s) / (1 + self.drift_ppm * 1e-6)

    def onto(self, other: "Clock") -> "Clock":
        """Where the recording's time lies on another one's own time, both known against the same reference."""
        pace = 1 + other.drift_ppm * 1e-6
        ratio = (1 + self.drift_ppm * 1e-6) / pace
        return Clock((self.offset_s - other.offset_s) / pace, (ratio - 1) * 1e6)


def through(pairs: list[tuple[float, float]], *, drift_ppm: float = 0.0) -> Clock:
    """The clock that puts places of a recording onto places of the reference, as set by hand.

    pairs : (local_s, reference_s), one for an offset alone or two for drift too.
    drift_ppm : what is known of the drift, for one pair.
    Raises SignalError where two lie too close together to tell drift.
    """
    (local, reference), *more = pairs
    if not more:
        return Clock(reference - local * (1 + drift_ppm * 1e-6), drift_ppm)
    (other_local, other_reference) = more[0]
    span = other_local - local
    if abs(span) < CLOSEST_ANCHORS_S:
        raise SignalError(
            f"The two places lie {abs(span):.0f} s apart; drift can be told from {CLOSEST_ANCHORS_S:.0f} s on. "
            "Nothing was changed. Choose the second one further away."
        )
    drift = (other_reference - reference) / span - 1
    if abs(drift) > MOST_DRIFT_PPM * 1e-6:
        raise SignalError(
            f"Between these two places the clocks would differ by {abs(drift) * 1e6:,.0f} millionths; recorders "
            "differ by a hundred or so. Nothing was changed. One of the places is not the same moment on both."
        )
    return Clock(reference - local * (1 + drift), drift * 1e6)
