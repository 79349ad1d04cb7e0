"""Which of several rows of beats people tap to: halves, doubles and what lies between the beats fit a piece as well.

Each sign that a row is the one that people tap to is a number, and the row with the greatest weighted sum is taken: a
conditional logit (D. McFadden, Conditional logit analysis of qualitative choice behavior, 1974). Weights were learnt by
`training/beats.py`, the signs chosen by how well manners of playing did that were left out of learning. They are: a
row that comes again, near the tempi that people like (Moelants, Preferred tempo reconsidered, ICMPC 2002), with more of
the lows on it than between and more between than in between those; tones that change on it, and bars that stand out
(Goto, JNMR 30(2), 2001); nothing that comes but every eighth beat, which tells a row that is twice too fast, but for
harmony, since chords mostly last a bar or two (G. Peeters and H. Papadopoulos, Simultaneous beat and downbeat-tracking
using a probabilistic framework, IEEE TASLP 19(6), 2011).
"""

import numpy as np
from numpy.typing import NDArray

from pampa.core.music.accents import bars_told, harmony_changes, louder, stands_out, strongest, tones_of
from pampa.core.music.onsets import HOPS_PER_S, Onsets
from pampa.core.sound import Curve

LIKED_BPM = 120.0
ALIKE = 0.5
"""Beats of which every other is half as strong are alike enough: much music has its strong and weak beats."""
ALL_OCTAVES, LOW_OCTAVES, HIGH_OCTAVES = slice(None), slice(0, 2), slice(5, None)
"""Low: 40 to 160 Hz. High: from 1.3 kHz."""

WEIGHTS = {
    "comes again": 11.89,
    "octaves from the liked tempo, squared": -1.48,
    "more lows on it": 1.67,
    "more lows between than in between": 1.13,
    "lows alike": 2.95,
    "tones change on it": 1.18,
    "bars": 9.97,
    "harmony by eight": 4.59,
    "lows by eight": -1.93,
    "highs by eight": -4.17,
    "strength by two": 2.89,
    "harmony by two": -1.08,
    "loudness by two": -1.05,
}
"""For each sign, what one unit of it adds to the log of a row's odds."""


def odds(onsets: Onsets, hops: NDArray[np.int64], clear: float) -> float:
    """The log of how likely people tap to a row of beats, up to a constant that all rows of a piece share.

    hops : the beats, two at least, in order. clear : how well the row comes again, 0 to 1.
    """
    told = signs(onsets, hops, clear)
    return sum(weight * told[name] for name, weight in WEIGHTS.items())


def signs(onsets: Onsets, hops: NDArray[np.int64], clear: float) -> dict[str, float]:
    """What speaks for a row of beats, by the names of `WEIGHTS`."""
    first, second = hops[:-1], hops[1:]
    between = (first + second) // 2
    quarters = np.concatenate([(3 * first + second) // 4, (first + 3 * second) // 4])
    low, low_between = strongest(onsets.low, hops), strongest(onsets.low, between)
    tones, tones_between = tones_of(onsets, hops), tones_of(onsets, between)
    loud, highs = louder(onsets, ALL_OCTAVES), louder(onsets, HIGH_OCTAVES)
    octaves = float(np.log2(60 * HOPS_PER_S / np.median(second - first) / LIKED_BPM))
    return {
        "comes again": clear,
        "octaves from the liked tempo, squared": octaves**2,
        "more lows on it": _more(low, low_between),
        "more lows between than in between": _more(low_between, strongest(onsets.low, quarters)),
        "lows alike": min(_alike(low), ALIKE),
        "tones change on it": _tones_change(onsets, hops, between),
        "bars": max((told[0] for told in bars_told(onsets, hops)), default=0.0),
        "harmony by eight": _best(harmony_changes(tones, 8), 8),
        "lows by eight": _best(strongest(louder(onsets, LOW_OCTAVES), hops), 8),
        "highs by eight": _best(np.maximum(strongest(highs, first), strongest(highs, between)), 8),
        "strength by two": _best(strongest(onsets.strength, hops), 2),
        "harmony by two": max(_best(harmony_changes(each, 2), 2) for each in (tones, tones_between)),
        "loudness by two": _best(np.maximum(strongest(loud, first), strongest(loud, between)), 2),
    }


def _more(on: Curve, between: Curve) -> float:
    """How much more there is on the beats than between: 1 where nothing is between, -1 where all is."""
    one, other = float(on.mean()), float(between.mean())
    return (one - other) / max(one + other, 1e-9)


def _alike(curve: Curve) -> float:
    """How alike every other beat and those between are: 1 where they are, 0 where only every other is struck."""
    one, other = float(curve[::2].mean()), float(curve[1::2].mean())
    return min(one, other) / max(one, other, 1e-9)


def _tones_change(onsets: Onsets, hops: NDArray[np.int64], between: NDArray[np.int64]) -> float:
    """How much more the tones change on the beats than between them."""
    halves = tones_of(onsets, np.sort(np.concatenate([hops, between])))
    changes = np.concatenate([[0.0], 1 - np.einsum("ij,ij->i", halves[1:], halves[:-1])])
    return _more(changes[::2], changes[1::2])


def _best(curve: Curve, every: int) -> float:
    """How far the best of the rows of every so many beats stands out."""
    firsts = range(every if curve.size >= 2 * every else 0)
    return max((stands_out(curve, every, first) for first in firsts), default=0.0)
