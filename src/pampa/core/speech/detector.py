"""The speech detector: what stands over the room of a recording and is not far under its talk.

One estimate of the room and of the talk for all that asks where somebody speaks. How far over the one and under the
other is asked with it: surely speech where a voice is measured, whatever may be where soft ends of words count.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pampa.core.sound import Curve

SILENT_DB = -120.0
"""What is softer is a recorder's own silence: neither room nor talk."""
ROOM_SHARE, ROOM_REACH_DB = 10.0, 3.0
TOP_SHARE = 97.0
LEAST_RANGE_DB = 9.0
"""What rises and falls by less is a noise that wavers."""
OVER_ROOM_DB, UNDER_TOP_DB = 6.0, 22.0
SMOOTH_CELLS = 5

Bools = NDArray[np.bool_]
Decibels = NDArray[np.float64] | NDArray[np.float32]
"""A level from moment to moment."""


@dataclass(frozen=True, eq=False)
class Levels:
    """How loud a recording is from moment to moment, in dB, and how loud its room and its loudest talk are."""

    level: Decibels
    room_db: float
    top_db: float

    @property
    def range_db(self) -> float:
        """How far the talk stands over the room."""
        return self.top_db - self.room_db

    @property
    def room(self) -> Bools:
        """Where there is nothing but the room."""
        return (self.level > SILENT_DB) & (self.level <= self.room_db + ROOM_REACH_DB)

    def talk(self, over_room_db: float = OVER_ROOM_DB, under_top_db: float = UNDER_TOP_DB) -> Bools:
        """Where somebody speaks; nowhere if nothing stands far over the room."""
        if self.range_db < max(LEAST_RANGE_DB, over_room_db):
            return np.zeros(self.level.size, bool)
        return self.level > max(self.room_db + over_room_db, self.top_db - under_top_db)


def where_spoken(energy: Curve) -> Bools:
    """Where somebody speaks. energy : K-weighted mean square of each 20 ms of one recording, shape (cells,)."""
    return levels_of(smoothed_db(energy, SMOOTH_CELLS)).talk()


def smoothed_db(power: Curve, moments: int) -> Curve:
    """The level over so many moments around each, in dB. power : mean square of each moment, shape (moments,)."""
    mean = np.convolve(power, np.ones(moments) / moments)[(moments - 1) // 2 :][: power.size] if power.size else power
    level: Curve = 10 * np.log10(np.maximum(mean, 10 ** (SILENT_DB / 10)))
    return level


def levels_of(level: Decibels) -> Levels:
    """What levels in dB say of a recording's room and its talk: shape (moments,)."""
    sounding = level[level > SILENT_DB]
    if not sounding.size:
        return Levels(level, SILENT_DB, SILENT_DB)
    return Levels(level, room_db(level), float(np.percentile(sounding, TOP_SHARE)))


def room_db(level: Decibels) -> float:
    """The level of the room: mean power of what lies within 3 dB of the quietest tenth of all that sounds."""
    sounding = level[level > SILENT_DB]
    if not sounding.size:
        return SILENT_DB
    quiet = sounding[sounding <= np.percentile(sounding, ROOM_SHARE) + ROOM_REACH_DB]
    return float(10 * np.log10(np.mean(10 ** (quiet.astype(np.float64) / 10))))
