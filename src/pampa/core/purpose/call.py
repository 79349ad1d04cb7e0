"""Which of several recordings of talk is the call: the one in which all the others are heard, and not only they.

A person's own recording holds that person, and of the others at most what leaks. The call holds everybody, about as
loud. So of two recordings that belong together, the call speaks whenever the other does, and at other times too.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from pampa.core.sound import Curve
from pampa.core.speech.detector import levels_of, smoothed_db
from pampa.core.sync.align import align_sounds
from pampa.core.sync.clock import Clock
from pampa.core.sync.features import WORK_RATE, Mono

CELL = WORK_RATE // 25
SMOOTH_CELLS = 5
SURE_DB, OVER_ROOM_DB = 10.0, 8.0
"""Somebody surely talks so little under the loud moments (the level that 97 of 100 cells stay under)."""
LEAKS_DB, LEAST_BESIDE_DB, REACH_DB = (-32.0, -18.0), (-16.0, -9.0), 4.0
"""How loud another person is in the call at least, against everybody: both ends of a call are about alike. How much of
the others their own recording holds tells how much may leak the other way: beside headphones next to nothing does."""
APART_DB, MORE = 8.0, (0.05, 0.12)
"""The share of the talk in the call that stands out so far over what the other recording has just then."""
LEAST_CELLS = 25

Bools = NDArray[np.bool_]


@dataclass(frozen=True)
class Call:
    """Which recording is the call, and how sure that is, 0 to 1."""

    index: int
    sure: float


@dataclass(frozen=True, eq=False)
class _Talk:
    """Cells of 40 ms. level : in dB under the loud moments. within : from the first talk to the last; before and after,
    nothing can be compared."""

    level: Curve
    surely: Bools
    within: Bools


def find_call(sounds: Sequence[Mono]) -> Call | None:
    """The call among recordings of talk, mono at WORK_RATE; None where none of them is one."""
    talks = [_talk(sound) for sound in sounds]
    clocks: dict[tuple[int, int], Clock] = {}
    for a, b in combinations(range(len(sounds)), 2):
        found = align_sounds(sounds[a], sounds[b])
        if found.matched and not found.breaks:
            clocks[a, b] = found.clock
    best: Call | None = None
    for call in range(len(sounds)):
        others = [n for n in range(len(sounds)) if n != call and (min(n, call), max(n, call)) in clocks]
        if not others:
            continue
        margins = [_margin(talks, clocks, call, other) for other in others]
        sure = min(margins)
        if sure > 0 and (best is None or sure > best.sure):
            best = Call(call, sure)
    return best


def _margin(talks: list[_Talk], clocks: dict[tuple[int, int], Clock], call: int, other: int) -> float:
    """How clearly one recording holds another person and more: 0 for not at all, 1 for surely."""
    here = talks[call]
    there = _on_time_of(talks[other], here, clocks, call, other)
    said, sounding = there.surely & there.within, here.surely & there.within
    if said.sum() < LEAST_CELLS or sounding.sum() < LEAST_CELLS:
        return 0.0
    louder = here.level - there.level
    beside_db = float(np.median(louder[said]))
    alone = sounding & (louder > max(beside_db, 0.0) + APART_DB)
    more = float(alone.sum() / sounding.sum())
    leak_db = float(np.median(-louder[alone])) if alone.any() else 0.0
    least_db = float(np.interp(leak_db, LEAKS_DB, LEAST_BESIDE_DB))
    return _between(beside_db, least_db, least_db + REACH_DB) * _between(more, *MORE)


def _between(value: float, low: float, high: float) -> float:
    return min(max((value - low) / (high - low), 0.0), 1.0)


def _on_time_of(talk: _Talk, here: _Talk, clocks: dict[tuple[int, int], Clock], call: int, other: int) -> _Talk:
    """The other's talk on the call's time."""
    clock = clocks[min(call, other), max(call, other)]
    seconds = (np.arange(here.level.size) + 0.5) * CELL / WORK_RATE
    # The clock leads from the later of the two in the list to the earlier one.
    local = clock.to_local(seconds) if call < other else clock.to_reference(seconds)
    places = np.floor(local * WORK_RATE / CELL).astype(np.int64)
    inside = (places >= 0) & (places < talk.level.size)
    clipped = np.clip(places, 0, max(talk.level.size - 1, 0))
    return _Talk(talk.level[clipped], talk.surely[clipped] & inside, talk.within[clipped] & inside)


def _talk(sound: Mono) -> _Talk:
    cells = len(sound) // CELL
    power = (sound[: cells * CELL].reshape(-1, CELL).astype(np.float64) ** 2).mean(axis=1)
    level = smoothed_db(power, SMOOTH_CELLS)
    levels = levels_of(level)
    surely, within = levels.talk(OVER_ROOM_DB, SURE_DB), np.zeros(cells, bool)
    places = np.flatnonzero(surely)
    if places.size:
        within[places[0] : places[-1] + 1] = True
    return _Talk(level - levels.top_db, surely, within)
