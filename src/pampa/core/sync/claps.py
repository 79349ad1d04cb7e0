"""Claps, for people who do not hear each other on any recording: sharp, loud, alone, and at the same moments.

Two and more claps confirm each other. One clap alone is confirmed by the talk around it, which takes turns where the
recordings lie right; where there is too little talk to tell, a clap at the beginning of both is believed a little.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pampa.core.sync.clock import MOST_DRIFT_PPM, Clock
from pampa.core.sync.features import WORK_RATE, Mono
from pampa.core.sync.taking_turns import by_chance

MS = WORK_RATE // 1000
RISE_DB = 22.0
LOUD = 0.45
"""Of the loudest there is: what is softer may be a consonant."""
DIES_MS, DIED = 90, 0.12
APART_MS = 250
MOST = 12
AGREE_S = 0.0015
SURE = ((1e-6, 0.97), (1e-4, 0.85), (2e-3, 0.6))
"""How sure a match is where chance alone would make so many of its kind. More than the last is none."""
BRIGHT_HZ, BRIGHT, BRIGHT_MS = 800.0, 0.5, 24
"""A clap of hands has most of its power over this frequency; a door, a knock, a mug have not."""
EARLY_S, EARLY_SURE = 120.0, 0.5
IN_TURN, OUT_OF_TURN = 0.03, 0.3
"""So seldom by chance do two talk at once as little as those who take turns; and the rest do not."""


@dataclass(frozen=True)
class Clapped:
    """clock : from all pairs. pairs : (local_s, reference_s) of each clap. confidence : 0 to 1."""

    clock: Clock
    pairs: tuple[tuple[float, float], ...]
    confidence: float
    remark: str = ""


def claps(sound: Mono) -> NDArray[np.float64]:
    """Where claps begin, in seconds: at most the twelve loudest."""
    cells = np.abs(sound[: len(sound) // MS * MS]).reshape(-1, MS).max(axis=1)
    if cells.size < 400:
        return np.zeros(0)
    running = np.concatenate([[0.0], np.cumsum(cells)])
    at = np.arange(80, cells.size - DIES_MS - 60)
    before = (running[at - 3] - running[at - 80]) / 77
    after = (running[at + DIES_MS + 50] - running[at + DIES_MS]) / 50
    here = np.maximum.reduce([cells[at + shift] for shift in range(4)])
    sharp = (here > 10 ** (RISE_DB / 20) * before) & (here > LOUD * cells.max()) & (after < DIED * here)
    found: list[int] = []
    for index in np.flatnonzero(sharp)[np.argsort(-here[sharp], kind="stable")]:
        place = int(at[index])
        if all(abs(place - other) > APART_MS for other in found):
            found.append(place)
        if len(found) == MOST:
            break
    return np.array(sorted(_onset(sound, place * MS) for place in found))


def match_claps(reference: Mono, local: Mono) -> Clapped | None:
    """The clock under which claps of both fall together, if there is just one such clock."""
    there, here = claps(reference), claps(local)
    best: list[tuple[float, float]] = []
    ties = 0
    for a in there:
        for b in here:
            pairs = _agreeing(there, here, a - b, b)
            if len(pairs) > len(best):
                best, ties = pairs, 0
            elif len(pairs) == len(best) and not set(pairs) & set(best):
                ties += 1
    if len(best) < 2 or ties:
        return _by_one(reference, local, there, here)
    [by_turns] = by_chance(reference, local, [best[0][1] - best[0][0]])
    if OUT_OF_TURN < by_turns < 1:
        return _by_one(reference, local, there, here)
    chance = by_turns * _by_chance(len(there), len(here), best, max(len(reference), len(local)) / WORK_RATE)
    sure = next((confidence for most, confidence in SURE if chance <= most), None)
    return Clapped(_clock(best), tuple(best), sure) if sure else _by_one(reference, local, there, here)


def _by_one(reference: Mono, local: Mono, there: NDArray[np.float64], here: NDArray[np.float64]) -> Clapped | None:
    """The pair of single claps under which people take turns; or the only one of each, where both have just begun."""
    there, here = (
        np.array([at for at in found if _is_bright(sound, at)]) for sound, found in ((reference, there), (local, here))
    )
    pairs = [(float(b), float(a)) for a in there for b in here]
    if not pairs:
        return None
    chances = by_chance(reference, local, [a - b for b, a in pairs])
    best = int(np.argmin(chances))
    sure = next((confidence for most, confidence in SURE if chances[best] * len(pairs) <= most), None)
    b, a = pairs[best]
    in_turn = chances[best] <= IN_TURN or chances[best] == 1
    if sure is None and len(pairs) == 1 and max(a, b) <= EARLY_S and in_turn:
        sure = EARLY_SURE
    remark = (
        f"By one clap, {_clocked(b)} into this recording and {_clocked(a)} into the reference. "
        "Listen whether answers follow their questions everywhere: one clap tells no drift."
    )
    return Clapped(Clock(a - b, 0.0), ((b, a),), sure, remark) if sure else None


def _is_bright(sound: Mono, at_s: float) -> bool:
    first = round(at_s * WORK_RATE)
    power = np.abs(np.fft.rfft(sound[first : first + BRIGHT_MS * MS], 512)) ** 2
    return bool(power[round(BRIGHT_HZ / WORK_RATE * 512) :].sum() > BRIGHT * power[1:].sum())


def _clocked(seconds: float) -> str:
    return f"{int(seconds // 60)}:{seconds % 60:04.1f}"


def _by_chance(there: int, here: int, pairs: list[tuple[float, float]], length_s: float) -> float:
    """How many groups of so many pairs unrelated sharp sounds would make.

    The second pair may lie anywhere that a drift allows; each further one must then fall within the tolerance.
    """
    extent = max(pair[0] for pair in pairs) - min(pair[0] for pair in pairs)
    second = 2 * (AGREE_S + MOST_DRIFT_PPM * 1e-6 * extent) / length_s
    further = 4 * AGREE_S / length_s
    count = len(pairs)
    return (there * here) ** count / math.factorial(count) * second * further ** (count - 2)


def _onset(sound: Mono, near: int) -> float:
    """Seconds of the first sample that reaches a third of a clap's height."""
    first = max(near - 3 * MS, 0)
    piece = np.abs(sound[first : near + 8 * MS])
    return (first + int(np.argmax(piece >= piece.max() / 3))) / WORK_RATE


def _agreeing(
    there: NDArray[np.float64], here: NDArray[np.float64], offset: float, middle: float
) -> list[tuple[float, float]]:
    """Pairs under one offset. Far from `middle`, where the offset was taken, clocks may have drifted apart."""
    pairs = []
    for b in here:
        reach = AGREE_S + MOST_DRIFT_PPM * 1e-6 * abs(b - middle)
        nearest = there[np.argmin(np.abs(there - b - offset))]
        if abs(nearest - b - offset) <= reach:
            pairs.append((float(b), float(nearest)))
    # Those that are far away must agree on one drift; the nearest two tell whether there is any to speak of.
    if len(pairs) > 2:
        clock = _clock(pairs)
        pairs = [(b, a) for b, a in pairs if abs(clock.to_reference(b) - a) <= 2 * AGREE_S]
    return pairs


def _clock(pairs: list[tuple[float, float]]) -> Clock:
    local, reference = np.array(pairs).T
    if np.ptp(local) < 20:
        return Clock(float(np.mean(reference - local)), 0.0)
    slope, offset = np.polyfit(local, reference - local, 1)
    return Clock(float(offset), float(slope * 1e6))
