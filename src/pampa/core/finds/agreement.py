"""Agreement noises: one person's short yes or mm-hm while the other goes on talking."""

from collections.abc import Sequence

import numpy as np

from pampa.core.checkup.speech import runs_of
from pampa.core.finds.finds import Find
from pampa.core.speech.activity import Activity, Bools
from pampa.core.speech.features import PER_S

LONGEST_S, SHORTEST_S = 1.0, 0.15
ALONE_S = 1.2
BRIDGE_S = 0.3
AROUND_S = 1.5
TALK_SHARE = 0.35


def find_agreement(people: Sequence[Activity]) -> list[Find]:
    """Short words of one person, apart from all else they say, while another has the word before and after."""
    found = []
    for n, person in enumerate(people):
        runs = runs_of(person.talking, bridge=round(BRIDGE_S * PER_S))
        for index, (first, last) in enumerate(runs.tolist()):
            length = (last - first) / PER_S
            if not SHORTEST_S <= length <= LONGEST_S:
                continue
            before = first - runs[index - 1, 1] if index else first
            after = runs[index + 1, 0] - last if index + 1 < len(runs) else PER_S * 60
            if min(before, after) < ALONE_S * PER_S:
                continue
            shares = [_goes_on(other.talking, first, last) for k, other in enumerate(people) if k != n]
            share = max(shares, default=0.0)
            if share >= TALK_SHARE:
                words = f"{length:.1f} s long, while the other talks {100 * share:.0f} % of the time before and after."
                found.append(Find("backchannel", n, first / PER_S, last / PER_S, round(0.6 + 0.35 * share, 2), words))
    return found


def _goes_on(talking: Bools, first: int, last: int) -> float:
    """The lesser share of talk in the moments before and after: the other does not stop for it."""
    around = round(AROUND_S * PER_S)
    before, after = talking[max(first - around, 0) : first], talking[last : last + around]
    return float(min(np.mean(before) if before.size else 0, np.mean(after) if after.size else 0))
