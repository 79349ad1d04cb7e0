"""Who talks when: speech of each person from the level above their own floor and above what leaks in from others."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.checkup.speech import runs_of
from pampa.core.speech.features import PER_S, Features, Matrix

SMOOTH = 3
FLOOR_SHARE, FLOOR_REACH_DB = 10.0, 3.0
SURE_DB, EDGE_DB = 13.0, 6.0
UNDER_TOP_DB, EDGE_UNDER_TOP_DB = 34.0, 40.0
OVER_LEAK_DB = 8.0
LEAK_SHARE = 15.0
LAG = 8
ROOM_S, LEAD_S = 0.25, 0.03
SHORTEST_S, BRIDGE_S = 0.05, 0.08
AHEAD_S, AFTER_S = 0.15, 0.3
"""How far speech may reach softly before and after what is surely speech."""

Bools = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Activity:
    """One person's speech."""

    talking: Bools
    """For each 10 ms, shape (frames,)."""
    sounding: Bools
    """Where anything of this person's own stands over floor and leak: speech, breaths, knocks."""
    level: Matrix
    """Smoothed speech level in dB."""
    floor_db: float
    top_db: float
    leak: Matrix
    """The level in dB that other people's voices may have here; -200 where nobody else talks."""


def activities(features: Sequence[Features]) -> list[Activity]:
    """The activity of everyone in a conversation, lined up. Recordings may be of different lengths."""
    levels = [scipy.ndimage.uniform_filter1d(each.speech, SMOOTH) if each.frames else each.speech for each in features]
    floors = [floor_of(level) for level in levels]
    tops = [float(np.percentile(level, 97)) if level.size else -200.0 for level in levels]
    return [_activity(n, levels, floors, tops, features[n]) for n in range(len(features))]


def _activity(n: int, levels: list[Matrix], floors: list[float], tops: list[float], features: Features) -> Activity:
    level, floor, top = levels[n], floors[n], tops[n]
    leak = np.full(level.size, -200.0, np.float32)
    for other in range(len(levels)):
        if other != n:
            count = min(level.size, levels[other].size)
            coupling = leak_db(level[:count], levels[other][:count], floor, tops[other])
            # A voice leaks a moment later and rings on: its highest level around is what counts.
            around = scipy.ndimage.maximum_filter1d(levels[other][:count], 2 * LAG + 1) if count else levels[other][:0]
            leak[:count] = np.maximum(leak[:count], around + coupling)
    own = level > leak + OVER_LEAK_DB
    if top - floor < SURE_DB:
        nothing = np.zeros(level.size, bool)
        return Activity(nothing, nothing, level, floor, top, leak)
    sure = own & (level > max(floor + SURE_DB, top - UNDER_TOP_DB))
    voice = own & (level > max(floor + EDGE_DB, top - EDGE_UNDER_TOP_DB))
    air = scipy.ndimage.uniform_filter1d(features.air, SMOOTH)
    sounding = voice | (own & (air > floor_of(air) + EDGE_DB))
    talking = _without_short(_grown(sure, sounding), round(SHORTEST_S * PER_S), round(BRIDGE_S * PER_S))
    return Activity(talking, talking | sounding, level, floor, top, leak)


def quietest(person: Activity, after: int, before: int) -> int:
    """Where to cut between a phrase that ends at `after` and one that begins at `before`: safe for both words.

    In a long pause it is a moment before the later phrase, in a short one the quietest frame.
    """
    if before - after > ROOM_S * PER_S:
        return before - round(LEAD_S * PER_S)
    return after + int(np.argmin(person.level[after : before + 1]))


def leak_db(level: Matrix, other: Matrix, floor: float, other_top: float) -> float:
    """How loud another person comes into this microphone, relative to their own: dB, from the times they talk.

    While both talk the own voice is on top of the leak, so a low share of the differences is taken.
    """
    loud = other > other_top - 12
    if loud.sum() < PER_S:
        return -200.0
    return float(np.percentile(level[loud] - other[loud], LEAK_SHARE))


def floor_of(level: Matrix) -> float:
    """Level of the room: mean of what lies within 3 dB of the quietest tenth."""
    sounding = level[level > -115]
    if sounding.size < PER_S:
        return -120.0
    lowest = np.percentile(sounding, FLOOR_SHARE)
    return float(sounding[sounding <= lowest + FLOOR_REACH_DB].mean())


def _grown(sure: Bools, may: Bools) -> Bools:
    """Speech with its soft beginnings and ends: an s or a t after a word belongs to it, a breath before it does not."""
    grown = sure.copy()
    ahead, after, bridge = (round(seconds * PER_S) for seconds in (AHEAD_S, AFTER_S, BRIDGE_S))
    for first, last in runs_of(sure):
        soonest = max(first - ahead, 0)
        while first > soonest and may[first - 1]:
            first -= 1
        grown[first:last] = True
    for last in runs_of(sure)[:, 1].tolist():
        end, place = last, last
        while place < min(last + after, may.size) and place - end <= bridge:
            place += 1
            if may[place - 1]:
                end = place
        grown[last:end] = True
    return grown


def _without_short(where: Bools, shortest: int, bridge: int) -> Bools:
    """Gaps of up to `bridge` frames are filled, then runs under `shortest` are dropped."""
    kept = np.zeros(where.size, bool)
    for first, last in runs_of(where, bridge=bridge):
        if last - first >= shortest:
            kept[first:last] = True
    return kept
