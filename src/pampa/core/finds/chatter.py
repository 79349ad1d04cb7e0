"""Chatter: what is said before an episode begins and after it has ended."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from pampa.core.checkup.speech import runs_of
from pampa.core.finds.finds import Find
from pampa.core.speech.activity import Bools
from pampa.core.speech.features import PER_S

WITHIN_S, AFTER_CLAP_S = 120.0, 20.0
STOP_S, END_STOP_S = 1.8, 1.2
ALONE_S = 10.0
LATEST_S, MOST_AFTER_S = 30.0, 12.0
SHORTEST_S = 60.0


def find_chatter(talking: Sequence[Bools], claps: Sequence[float]) -> list[Find]:
    """At most one stretch at the beginning and one at the end of a conversation of a minute and more.

    claps : seconds at which somebody clapped or knocked, if so. Before a beginning there is a stop, and after it one
    person talks alone for a while; after an ending little is said, and after a stop.
    """
    length = max((each.size for each in talking), default=0)
    padded = [np.pad(each, (0, length - each.size)) for each in talking]
    turns = runs_of(np.any(padded, axis=0)) if length else np.zeros((0, 2), np.int64)
    if length < SHORTEST_S * PER_S or len(turns) < 3:
        return []
    return [find for find in (_before(padded, turns, claps), _after(padded, turns)) if find]


def _before(talking: Sequence[Bools], turns: NDArray[np.int64], claps: Sequence[float]) -> Find | None:
    stops = (turns[1:, 0] - turns[:-1, 1]) / PER_S
    begins = turns[1:, 0] / PER_S
    clap = next((at for at in claps if at < WITHIN_S), None)
    if clap is not None:
        after = np.flatnonzero((begins > clap + 0.5) & (begins < clap + AFTER_CLAP_S))
        if after.size:
            chosen = int(after[np.argmax(stops[after])])
            return _find(talking, turns[0, 0], turns[chosen, 1], 0.85, f"A clap at {clap:.0f} s, and then a stop.")
    for n in np.flatnonzero((stops >= STOP_S) & (begins < WITHIN_S)).tolist():
        if _alone(talking, turns[n + 1, 0], +1) and turns[n, 1] - turns[0, 0] > 3 * PER_S:
            words = f"A stop of {stops[n]:.1f} s, and then one person talks alone."
            return _find(talking, turns[0, 0], turns[n, 1], 0.55, words)
    return None


def _after(talking: Sequence[Bools], turns: NDArray[np.int64]) -> Find | None:
    anyone = np.any(talking, axis=0)
    end = turns[-1, 1]
    for n in range(1, len(turns)):
        stop, left = (turns[n, 0] - turns[n - 1, 1]) / PER_S, (end - turns[n, 0]) / PER_S
        said = anyone[turns[n, 0] : end].sum() / PER_S
        if stop >= END_STOP_S and left < LATEST_S and said < MOST_AFTER_S and _alone(talking, turns[n - 1, 1], -1):
            return _find(talking, turns[n, 0], end, 0.6, f"Little is said after a stop of {stop:.1f} s at the end.")
    return None


def _alone(talking: Sequence[Bools], at: int, way: int) -> bool:
    """Whether one person alone has the word for a while from a frame on (way 1), or up to it (way -1)."""
    there = int(at + way * ALONE_S * PER_S)
    shares = sorted(float(each[max(min(at, there), 0) : max(at, there)].mean()) for each in talking)
    return shares[-1] > 0.6 and sum(shares[:-1]) < 0.02


def _find(talking: Sequence[Bools], first: int, last: int, sure: float, evidence: str) -> Find:
    soon = [each[first : first + PER_S] for each in talking]
    begins = [int(np.argmax(each)) if each.any() else PER_S for each in soon]
    return Find("chatter", int(np.argmin(begins)), first / PER_S, last / PER_S, sure, evidence)
