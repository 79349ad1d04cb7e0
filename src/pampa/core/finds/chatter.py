"""Chatter: what is said before an episode begins and after it has ended.

Nothing in the sound of talk tells chatter from programme, so that it is proposed only where people mark it themselves:
they exchange a few words, clap for the recordings to be lined up, and after a stop one of them opens alone; and where
who opened has closed alone, there is a stop, and several say a few words more. A programme that begins with a greeting
and a cough has none of that, and a guest who ends on a long answer, and is thanked, closes nothing.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from pampa.core.finds.finds import Find
from pampa.core.runs import runs_of
from pampa.core.speech.activity import Activity
from pampa.core.speech.detector import Bools
from pampa.core.speech.features import PER_S

WITHIN_S, AFTER_CLAP_S = 120.0, 20.0
STOP_S, END_STOP_S = 1.5, 1.5
ALONE_S, CHAT_S = 8.0, 10.0
"""How long the one who opens or closes speaks alone; and the longest that anybody does in chatter."""
LATEST_S, MOST_AFTER_S = 30.0, 12.0
SHORTEST_S = 60.0
CLAP_S, FALLS_DB = 0.12, 18.0


def find_chatter(people: Sequence[Activity], knocks: Sequence[Find]) -> list[Find]:
    """At most one stretch at the beginning and one at the end of a conversation of a minute and more."""
    talking = [person.talking for person in people]
    length = max((each.size for each in talking), default=0)
    padded = [np.pad(each, (0, length - each.size)) for each in talking]
    turns = runs_of(np.any(padded, axis=0)) if length else np.zeros((0, 2), np.int64)
    if length < SHORTEST_S * PER_S or len(turns) < 3:
        return []
    claps = sorted(each.start_s for each in knocks if _is_clap(each, people[each.track]))
    return [find for find in (_before(padded, turns, claps), _after(padded, turns)) if find]


def _is_clap(knock: Find, person: Activity) -> bool:
    """Over in a moment: a cough, an mm-hm and a mug that is put down last longer."""
    first = round(knock.start_s * PER_S)
    level = person.level[first : first + round(2 * CLAP_S * PER_S)]
    if not level.size:
        return False
    top = int(level.argmax())
    later = level[min(top + round(CLAP_S * PER_S), level.size - 1)]
    return bool(level[top] - later >= FALLS_DB)


def _before(talking: Sequence[Bools], turns: NDArray[np.int64], claps: Sequence[float]) -> Find | None:
    stops = (turns[1:, 0] - turns[:-1, 1]) / PER_S
    begins = turns[1:, 0] / PER_S
    for clap in (at for at in claps if at < WITHIN_S):
        for n in np.flatnonzero((begins > clap) & (begins < clap + AFTER_CLAP_S) & (stops >= STOP_S)).tolist():
            start, opening = int(turns[0, 0]), int(turns[n + 1, 0])
            if _alone(talking, opening, +1) is not None and _chats(talking, start, opening):
                words = f"A clap at {clap:.0f} s, a stop, and then one person talks alone."
                return _find(talking, start, int(turns[n, 1]), 0.8, words)
    return None


def _after(talking: Sequence[Bools], turns: NDArray[np.int64]) -> Find | None:
    anyone = np.any(talking, axis=0)
    end = int(turns[-1, 1])
    openers = (_alone(talking, int(start), +1) for start in turns[:, 0])
    opener = next((each for each in openers if each is not None), None)
    for n in range(1, len(turns)):
        start = int(turns[n, 0])
        stop, left = (start - turns[n - 1, 1]) / PER_S, (end - start) / PER_S
        several = sum(each[start:end].any() for each in talking) > 1
        little = left < LATEST_S and anyone[start:end].sum() / PER_S < MOST_AFTER_S
        closer = _alone(talking, int(turns[n - 1, 1]), -1)
        if stop >= END_STOP_S and several and little and closer is not None and closer == opener:
            return _find(talking, start, end, 0.6, f"Little is said after a stop of {stop:.1f} s at the end.")
    return None


def _alone(talking: Sequence[Bools], at: int, way: int) -> int | None:
    """Who alone has the word for a while from a frame on (way 1), or up to it (way -1), if anybody."""
    there = int(at + way * ALONE_S * PER_S)
    shares = [float(each[max(min(at, there), 0) : max(at, there)].mean()) for each in talking]
    who = int(np.argmax(shares))
    return who if shares[who] > 0.6 and sum(shares) - shares[who] < 0.02 else None


def _chats(talking: Sequence[Bools], start: int, end: int) -> bool:
    """Whether several people talk there, and nobody for long: a greeting to listeners goes on for longer."""
    by = [runs_of(each[start:end], bridge=PER_S // 2) for each in talking]
    longest = max((float((runs[:, 1] - runs[:, 0]).max()) for runs in by if len(runs)), default=0.0)
    return sum(len(runs) > 0 for runs in by) > 1 and longest < CHAT_S * PER_S


def _find(talking: Sequence[Bools], first: int, last: int, sure: float, evidence: str) -> Find:
    soon = [each[first : first + PER_S] for each in talking]
    begins = [int(np.argmax(each)) if each.any() else PER_S for each in soon]
    return Find("chatter", int(np.argmin(begins)), first / PER_S, last / PER_S, sure, evidence)
