"""Who talks when: speech of each person from the level above their own floor and above what leaks in from others."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy

from pampa.core.runs import runs_of
from pampa.core.speech.detector import Bools, Decibels, Levels, levels_of, room_db
from pampa.core.speech.features import PER_S, Features, Matrix

SMOOTH = 3
SURE_DB, EDGE_DB = 13.0, 6.0
UNDER_TOP_DB, EDGE_UNDER_TOP_DB = 34.0, 40.0
OVER_LEAK_DB = 8.0
LEAK_SHARE = 15.0
LAG = 8
ROOM_S, LEAD_S = 0.25, 0.03
SHORTEST_S, BRIDGE_S = 0.05, 0.08
AHEAD_S, AFTER_S = 0.15, 0.3
"""How far speech may reach softly before and after what is surely speech."""


@dataclass(frozen=True, eq=False)
class Activity:
    """One person's speech."""

    talking: Bools
    """For each 10 ms, shape (frames,)."""
    sounding: Bools
    """Where anything of this person's own stands over floor and leak: speech, breaths, knocks."""
    level: Decibels
    """Smoothed speech level in dB."""
    floor_db: float
    top_db: float
    leak: Matrix
    """The level in dB that other people's voices may have here; -200 where nobody else talks."""


def activities(features: Sequence[Features]) -> list[Activity]:
    """The activity of everyone in a conversation, lined up. Recordings may be of different lengths."""
    everyone = [
        levels_of(scipy.ndimage.uniform_filter1d(each.speech, SMOOTH) if each.frames else each.speech)
        for each in features
    ]
    return [_activity(n, everyone, features[n]) for n in range(len(features))]


def _activity(n: int, everyone: list[Levels], features: Features) -> Activity:
    levels = everyone[n]
    leak = np.full(levels.level.size, -200.0, np.float32)
    for other in (each for m, each in enumerate(everyone) if m != n):
        count = min(leak.size, other.level.size)
        coupling = leak_db(levels.level[:count], other.level[:count], other.top_db)
        # A voice leaks a moment later and rings on: its highest level around is what counts.
        around = scipy.ndimage.maximum_filter1d(other.level[:count], 2 * LAG + 1) if count else other.level[:0]
        leak[:count] = np.maximum(leak[:count], around + coupling)
    own = levels.level > leak + OVER_LEAK_DB
    if levels.range_db < SURE_DB:
        nothing = np.zeros(leak.size, bool)
        return Activity(nothing, nothing, levels.level, levels.room_db, levels.top_db, leak)
    sure, voice = own & levels.talk(SURE_DB, UNDER_TOP_DB), own & levels.talk(EDGE_DB, EDGE_UNDER_TOP_DB)
    air = scipy.ndimage.uniform_filter1d(features.air, SMOOTH)
    sounding = voice | (own & (air > room_db(air) + EDGE_DB))
    talking = _without_short(_grown(sure, sounding), round(SHORTEST_S * PER_S), round(BRIDGE_S * PER_S))
    return Activity(talking, talking | sounding, levels.level, levels.room_db, levels.top_db, leak)


def quietest(person: Activity, after: int, before: int) -> int:
    """Where to cut between a phrase that ends at `after` and one that begins at `before`: safe for both words.

    In a long pause it is a moment before the later phrase, in a short one the quietest frame.
    """
    if before - after > ROOM_S * PER_S:
        return before - round(LEAD_S * PER_S)
    return after + int(np.argmin(person.level[after : before + 1]))


def leak_db(level: Decibels, other: Decibels, other_top: float) -> float:
    """How loud another person comes into this microphone, relative to their own: dB, from the times they talk.

    While both talk the own voice is on top of the leak, so a low share of the differences is taken.
    """
    loud = other > other_top - 12
    if loud.sum() < PER_S:
        return -200.0
    return float(np.percentile(level[loud] - other[loud], LEAK_SHARE))


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
