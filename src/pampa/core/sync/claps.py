"""Claps, for people who do not hear each other on any recording: sharp, loud, alone, and at the same moments."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pampa.core.sync.clock import MOST_DRIFT_PPM, Clock
from pampa.core.sync.features import WORK_RATE, Mono

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


@dataclass(frozen=True)
class Clapped:
    """clock : from all pairs. pairs : (local_s, reference_s) of each clap. confidence : 0 to 1."""

    clock: Clock
    pairs: tuple[tuple[float, float], ...]
    confidence: float


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
    """The clock under which two and more claps of both fall together, if there is just one such clock."""
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
        return None
    chance = _by_chance(len(there), len(here), best, max(len(reference), len(local)) / WORK_RATE)
    sure = next((confidence for most, confidence in SURE if chance <= most), None)
    return Clapped(_clock(best), tuple(best), sure) if sure else None


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
