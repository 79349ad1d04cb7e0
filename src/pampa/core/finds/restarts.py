"""Restarts: a beginning said again. The try before it can go.

Of two phrases of one person that follow each other, the earlier is looked for at the beginning of the later. When all
of it comes again, its end as well, it was taken back. When only its beginning does, it must have been broken off by
something short, an um: "no lights, no answer" is said on purpose.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pampa.core.finds import kernels
from pampa.core.finds.finds import Find
from pampa.core.finds.voice import normalised
from pampa.core.speech.activity import Activity, quietest
from pampa.core.speech.features import PER_S, Features, Matrix

LONGEST_TRY_S, SHORTEST_S = 2.4, 0.25
LOOKED_AT_S, SKIP_S = 2.0, 0.3
NEXT, SOON_S, APART_S = 6, 0.35, 1.3
AGAIN_APART_S, AGAIN_S = 8.0, 0.9
WHOLE, LATER, END, BEGINNING, AGAIN = 0.75, 0.6, 0.85, 0.6, 0.45
"""Highest mean distances, of cepstra that differ by about 1 where words differ: the longer somebody has waited before
saying it again, the more alike it must be."""
BEGINNING_S, BETWEEN_S, STOP_S = 0.35, 0.6, 0.1

DIP_DB = 28.0

Pair = tuple[int, int]


@dataclass(frozen=True)
class _Match:
    distance: float
    how: str


def find_restarts(track: int, features: Features, person: Activity) -> list[Find]:
    """The tries that one person took back."""
    cepstra = normalised(features, person.talking)
    whole, parted = (_among(track, cepstra, person, runs) for runs in (person.phrases, person.pieces(DIP_DB)))
    others = [find for find in parted if not any(find.meets(known) for known in whole)]
    return sorted([*whole, *others], key=lambda find: find.start_s)


def _among(track: int, cepstra: Matrix, person: Activity, phrases: NDArray[np.int64]) -> list[Find]:
    found: list[Find] = []
    taken = -1
    said: list[Pair] = [(int(first), int(last)) for first, last in phrases]
    for n, (first, last) in enumerate(said):
        if first < taken or not SHORTEST_S * PER_S <= last - first <= LONGEST_TRY_S * PER_S:
            continue
        for m in range(n + 1, min(n + 1 + NEXT, len(said))):
            match = _match(cepstra, said[n : m + 1])
            if match:
                start = quietest(person, said[n - 1][1] if n else 0, first)
                taken = quietest(person, said[m - 1][1], said[m][0])
                found.append(_find(track, start, taken, match))
                break
    return found


def _match(cepstra: Matrix, said: list[Pair]) -> _Match | None:
    """The first of these phrases found in the last; what lies between them, if anything, follows a stop."""
    (first, last), (begin, end), between = said[0], said[-1], said[1:-1]
    gap = (begin - last) / PER_S
    if gap > AGAIN_APART_S or end - begin < SHORTEST_S * PER_S:
        return None
    if between and between[0][0] - last < STOP_S * PER_S:
        return None
    tried, again = cepstra[first:last], cepstra[begin:end][: round(LOOKED_AT_S * PER_S)]
    table = kernels.prefix_match(again, tried, round(SKIP_S * PER_S))
    # As much of the later phrase as the earlier one lasted, said a little slower or faster.
    until = table[min(round(0.7 * len(tried)), len(table) - 1) : len(tried) + 16]
    whole, ending = until[until[:, 3].argmin(), 3:]
    if gap > APART_S:
        enough = len(tried) >= AGAIN_S * PER_S and whole <= AGAIN and ending <= END
        return _Match(float(whole), "said again a moment later") if enough else None
    if whole <= (WHOLE if gap <= SOON_S else LATER) and ending <= END:
        return _Match(float(whole), "said again and gone on with")
    row = table[min(round(BEGINNING_S * PER_S), len(table)) - 1]
    broken = len(between) == 1 and between[0][1] - between[0][0] <= BETWEEN_S * PER_S
    if broken and row[0] <= BEGINNING and row[2] <= 5:
        return _Match(float(row[0]), "broken off and begun anew")
    return None


def _find(track: int, first: int, begin: int, match: _Match) -> Find:
    sure = round(float(np.clip(1.25 - 0.7 * match.distance, 0.5, 0.95)), 2)
    evidence = f"The words are {match.how}; they sound alike to {match.distance:.2f} (different words: about 1)."
    return Find("restart", track, first / PER_S, begin / PER_S, sure, evidence)
