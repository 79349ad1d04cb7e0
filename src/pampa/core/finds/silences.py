"""Silences: when nobody says anything for longer than an editor likes."""

from collections.abc import Sequence

import numpy as np

from pampa.core.finds.finds import Find
from pampa.core.runs import runs_of
from pampa.core.speech.detector import Bools
from pampa.core.speech.features import PER_S


def find_silences(sounding: Sequence[Bools], longest_s: float) -> list[Find]:
    """Stretches over `longest_s` between two sounds in which nothing of anybody's own is heard.

    sounding : for each person, where they talk, breathe or knock. What lies before the first and after the last
    sound is no silence of the conversation.
    """
    length = max((each.size for each in sounding), default=0)
    anyone = np.zeros(length, bool)
    for each in sounding:
        anyone[: each.size] |= each
    heard = np.flatnonzero(anyone)
    if not heard.size:
        return []
    return [
        _silence(sounding, first + heard[0], last + heard[0])
        for first, last in runs_of(~anyone[heard[0] : heard[-1] + 1])
        if last - first > longest_s * PER_S
    ]


def _silence(sounding: Sequence[Bools], first: int, last: int) -> Find:
    after = slice(last, last + PER_S)
    breaks_it = int(np.argmax([each[after].sum() for each in sounding]))
    length = (last - first) / PER_S
    return Find("silence", breaks_it, first / PER_S, last / PER_S, 0.98, f"Nobody says anything for {length:.1f} s.")
