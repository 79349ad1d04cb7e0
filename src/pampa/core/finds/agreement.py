"""Agreement noises: one person's short yes or mm-hm while the other goes on talking."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pampa.core.finds import judge
from pampa.core.finds.finds import Find
from pampa.core.finds.words import clearness
from pampa.core.runs import runs_of
from pampa.core.speech.activity import Activity
from pampa.core.speech.detector import Bools
from pampa.core.speech.features import PER_S
from pampa.core.speech.sounds import KINDS, Sounds

LONGEST_S, SHORTEST_S = 1.1, 0.12
ALONE_S = 0.8
BRIDGE_S = 0.25
AROUND_S = 1.5
TALK_SHARE = 0.2
SURE = 0.5


@dataclass(frozen=True)
class Candidate:
    """Something short, in frames, by a person who says nothing for so long before and after."""

    first: int
    last: int
    apart: int
    share: float
    """How much the other talks before and after, whichever is less: 0 to 1."""


def find_agreement(people: Sequence[Activity], sounds: Sequence[Sounds]) -> list[Find]:
    """Short words of assent of one person, apart from all else they say, while another has the word."""
    found = []
    for n, (person, own) in enumerate(zip(people, sounds, strict=True)):
        candidates, clear = candidates_of(n, people), clearness(own, person)
        sure = judge.sure("agreement", [measures(each, own, person, clear) for each in candidates])
        for each, share in zip(candidates, sure.tolist(), strict=True):
            if share >= SURE:
                length = (each.last - each.first) / PER_S
                words = f"{length:.1f} s of assent, while the other talks {100 * each.share:.0f} % of the time around."
                times = each.first / PER_S, each.last / PER_S
                found.append(Find("backchannel", n, *times, round(min(share, 0.98), 2), words))
    return found


def candidates_of(n: int, people: Sequence[Activity]) -> list[Candidate]:
    """Whatever is short enough to be one, and said while another talks."""
    out = []
    runs = runs_of(people[n].talking, bridge=round(BRIDGE_S * PER_S))
    for index, (first, last) in enumerate(runs.tolist()):
        if not SHORTEST_S * PER_S <= last - first <= LONGEST_S * PER_S:
            continue
        before = first - runs[index - 1, 1] if index else 10 * PER_S
        after = runs[index + 1, 0] - last if index + 1 < len(runs) else 10 * PER_S
        shares = [_goes_on(other.talking, first, last) for k, other in enumerate(people) if k != n]
        share = max(shares, default=0.0)
        if min(before, after) >= ALONE_S * PER_S and share >= TALK_SHARE:
            out.append(Candidate(first, last, int(min(before, after)), share))
    return out


def measures(each: Candidate, sounds: Sounds, person: Activity, clear: float) -> judge.Measures:
    """What speaks for and against agreement. clear : see `words.clearness`."""
    here = slice(each.first, each.last)
    kinds = sounds.kinds[here].mean(axis=0) / 255
    agree = sounds.kinds[here, KINDS.index("agree")] / 255
    loudest = float(person.level[here].max())
    return {
        **dict(zip(KINDS, kinds.tolist(), strict=True)),
        "agrees most": float(agree.max(initial=0)),
        "length": np.log((each.last - each.first) / 40),
        "other goes on": each.share,
        "apart": min(each.apart, 5 * PER_S) / PER_S,
        "under own talk": (loudest - person.top_db) / 10,
        "over room and leak": (loudest - max(float(person.leak[here].max()), person.floor_db)) / 20,
        "clear": clear,
        "clear and agrees": clear * float(agree.mean()),
    }


def _goes_on(talking: Bools, first: int, last: int) -> float:
    """The lesser share of talk in the moments before and after: the other does not stop for it."""
    around = round(AROUND_S * PER_S)
    before, after = talking[max(first - around, 0) : first], talking[last : last + around]
    return float(min(np.mean(before) if before.size else 0, np.mean(after) if after.size else 0))
