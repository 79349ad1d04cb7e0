"""Who is silent when: the pauses of one person, and the turns of others that leak into their microphone.

Told by who talks, not by a level that is crossed: a soft word end stays whole, and nothing opens late. Speech is
found as `finds` finds it, from each person's own floor and from what leaks in of the others.
"""

from collections.abc import Sequence

import numpy as np
import scipy

from pampa.core.mend.lowering import Places
from pampa.core.runs import runs_of
from pampa.core.sound import RATE
from pampa.core.speech.activity import activities
from pampa.core.speech.detector import Bools
from pampa.core.speech.features import PER_S, Features

FADE = RATE // 20
HOLD_S, LEAD_S = 0.25, 0.12
"""How long what a person says goes on to be whole after it and before it."""
TURN_HOLD_S, TURN_LEAD_S = 0.12, 0.08
SHORTEST_S = 0.15
BRIDGE_S = 0.4
OVER_LEAK_DB, SMOOTH = 5.0, 7
GATE_DB, BLEED_DB = 18.0, 24.0


def pauses(own: Features) -> Places:
    """Where one person says nothing, without regard to others."""
    (person,) = activities([own])
    quiet = ~_widened(person.talking, LEAD_S, HOLD_S)
    return _places(quiet)


def turns_of_others(own: Features, others: Sequence[Features]) -> Places:
    """Where others talk and this person does not. others : on this recording's own time; any length.

    What stands a little over the leak is taken for this person's own, for safety; a soft yes under another's loud talk
    may still be taken for a leak.
    """
    if not others:
        return np.zeros((0, 2), np.int64)
    person, *rest = activities([own, *others])
    theirs = np.zeros(person.talking.size, bool)
    for each in rest:
        said = np.zeros(each.talking.size, bool)
        for first, last in runs_of(each.talking, bridge=round(BRIDGE_S * PER_S)):
            said[first:last] = True
        count = min(theirs.size, said.size)
        theirs[:count] |= said[:count]
    theirs = _widened(theirs, TURN_LEAD_S, TURN_HOLD_S)
    level = scipy.ndimage.uniform_filter1d(person.level, SMOOTH) if person.level.size else person.level
    own_too = person.talking | (level > np.maximum(person.leak, person.floor_db) + OVER_LEAK_DB)
    return _places(theirs & ~_widened(own_too, TURN_LEAD_S, TURN_HOLD_S))


def _widened(where: Bools, before_s: float, after_s: float) -> Bools:
    wide = where.copy()
    before, after = round(before_s * PER_S), round(after_s * PER_S)
    for first, last in runs_of(where):
        wide[max(first - before, 0) : last + after] = True
    return wide


def _places(where: Bools) -> Places:
    """Runs of 10 ms frames as places in frames of sound; the slopes lie within them."""
    runs = runs_of(where) * (RATE // PER_S)
    runs = runs[runs[:, 1] - runs[:, 0] >= SHORTEST_S * RATE]
    return np.stack([runs[:, 0] + FADE, runs[:, 1] - FADE], axis=1).astype(np.int64)
