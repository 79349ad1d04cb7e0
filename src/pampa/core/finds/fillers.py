"""Fillers: um, uh, er, held without moving, and the small phrases that somebody says again and again.

A filled pause keeps its spectrum and its pitch where words move on. Source: Goto, Itou & Hayamizu, A real-time filled
pause detection system for spontaneous speech recognition, Eurospeech (1999), with cepstra in place of formants.
"""

import numpy as np
from numpy.typing import NDArray

from pampa.core.finds import kernels
from pampa.core.finds.finds import Find
from pampa.core.finds.voice import normalised, unsteadiness
from pampa.core.speech.activity import Activity
from pampa.core.speech.features import PER_S, Features, Matrix

SHORTEST_S, LONGEST_S = 0.14, 0.55
CORE_DB = 12.0
STEADY = 0.9
VOICED, OPEN_DB, SOFTER_DB = 0.68, 5.5, -2.0
PAUSE_S, DIP_DB = 0.1, 32.0
TIC_S = (0.18, 0.7)
TIC_TIMES, TIC_ALIKE, TIC_LENGTHS_S = 3, 0.56, 0.12


def find_fillers(track: int, features: Features, activity: Activity, taken: list[tuple[float, float]]) -> list[Find]:
    """The fillers of one person that stand by themselves. taken : what is agreement already, in seconds."""
    cepstra = normalised(features, activity.talking)
    free = [
        (first, last) for first, last in _apart(activity.pieces(DIP_DB))
        if not any(first / PER_S < stop and last / PER_S > start for start, stop in taken)
    ]  # fmt: skip
    found = [find for first, last in free if (find := _held(track, features, activity, cepstra, first, last))]
    held = {find.start_s for find in found}
    others = [(first, last) for first, last in free if first / PER_S not in held]
    return sorted(found + _again_and_again(track, cepstra, others), key=lambda find: find.start_s)


def _apart(phrases: NDArray[np.int64]) -> list[tuple[int, int]]:
    """Phrases with a pause on both sides."""
    pauses = (phrases[1:, 0] - phrases[:-1, 1]) / PER_S
    enough = np.ones(len(phrases) + 1, bool)
    enough[1 : len(phrases)] = pauses >= PAUSE_S
    alone = enough[:-1] & enough[1:]
    return [(int(first), int(last)) for first, last in phrases[alone]]


def _held(track: int, features: Features, activity: Activity, cepstra: Matrix, first: int, last: int) -> Find | None:
    if not SHORTEST_S * PER_S <= last - first <= LONGEST_S * PER_S:
        return None
    level = activity.level[first:last]
    loud = np.flatnonzero(level > level.max() - CORE_DB) + first
    core = slice(int(loud[0]), int(loud[-1]) + 1)
    change = unsteadiness(cepstra[core])
    if change.size < 5:
        return None
    moves = float(np.percentile(change, 80))
    voicing = float(features.voicing[core].mean())
    hiss = float((features.air[first:last] - features.voice[first:last]).max())
    softer = float(level.max() - activity.top_db)
    if moves > STEADY or voicing < VOICED or hiss > OPEN_DB or softer > SOFTER_DB:
        return None
    sure = round(float(np.clip(1.3 - 0.6 * moves, 0.5, 0.95)), 2)
    evidence = f"Held for {(last - first) / PER_S:.2f} s without moving ({moves:.2f}; words: about 1)."
    return Find("filler", track, first / PER_S, last / PER_S, sure, evidence)


def _again_and_again(track: int, cepstra: Matrix, phrases: list[tuple[int, int]]) -> list[Find]:
    """Short phrases that sound the same three times and more in one conversation."""
    short = [(a, b) for a, b in phrases if TIC_S[0] * PER_S <= b - a <= TIC_S[1] * PER_S]
    alike = np.zeros((len(short), len(short)), bool)
    # Means over each half tell most phrases apart: only what is near in them is compared frame by frame.
    halves = np.array([[part.mean(axis=0) for part in np.array_split(cepstra[a:b], 2)] for a, b in short])
    for i, (a, b) in enumerate(short):
        apart = np.sqrt(((halves[:i] - halves[i]) ** 2).mean(axis=(1, 2)))
        for j in np.flatnonzero(apart <= TIC_ALIKE).tolist():
            c, d = short[j]
            if abs((b - a) - (d - c)) <= TIC_LENGTHS_S * PER_S:
                table = kernels.prefix_match(cepstra[a:b], cepstra[c:d], 4)
                alike[i, j] = alike[j, i] = table[-1, 3] <= TIC_ALIKE
    found = []
    for n, (a, b) in enumerate(short):
        times = 1 + int(alike[n].sum())
        if times >= TIC_TIMES:
            evidence = f"The same short phrase comes {times} times, with pauses around."
            found.append(Find("filler", track, a / PER_S, b / PER_S, 0.75, evidence))
    return found
