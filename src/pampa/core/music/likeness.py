"""How alike the beats of a piece are: whether one may follow where another would have come.

Source: Wenner, Bazin, Sorkine-Hornung, Kim and Gross, Scalable music: automatic music retargeting and synthesis,
Computer Graphics Forum 32(2), 2013. Each beat is told by its tones and by its level in each octave, in four parts, so
that what is struck within it counts; and a jump is judged by the beats around it.
"""

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from pampa.core.music.onsets import HOPS_PER_S, Onsets
from pampa.core.sound import Curve

PARTS = 4
OF_LEVEL_DB = 12.0
"""A difference of so many dB in every octave weighs as much as tones that share nothing."""
SOFTEST_DB = 50.0
AROUND = ((-1, 0.5), (0, 1.0), (1, 0.5))
"""What came before must fit as well as what comes: the beats around a jump and their weights."""


def unlike(onsets: Onsets, edges_s: Curve) -> NDArray[np.float64]:
    """How wrong beat j would be where beat i was to come: shape (beats, beats), 0 for itself, about 1 for a stranger.

    edges_s : where each beat begins, and where the last ends.
    """
    told = _told(onsets, edges_s)
    squares = (told**2).sum(axis=1)
    far = np.sqrt(np.maximum(squares[:, None] + squares - 2 * told @ told.T, 0.0))
    count = len(told)
    total, weights = np.zeros((count, count)), np.zeros((count, count))
    here = np.arange(count)
    for by, weight in AROUND:
        inside = here[(here + by >= 0) & (here + by < count)]
        total[np.ix_(inside, inside)] += weight * far[np.ix_(inside + by, inside + by)]
        weights[np.ix_(inside, inside)] += weight
    return total / weights


def _told(onsets: Onsets, edges_s: Curve) -> NDArray[np.float64]:
    """Each beat as one row of numbers."""
    top = float(onsets.octaves_db.max(initial=-200.0))
    levels = np.maximum(onsets.octaves_db, top - SOFTEST_DB)
    hops = levels.shape[0]
    rows = []
    for start, stop in pairwise(edges_s):
        cuts = np.round(np.linspace(start, stop, PARTS + 1) * HOPS_PER_S).astype(int)
        row = []
        for a, b in pairwise(cuts.tolist()):
            a = min(a, hops - 1)
            b = min(max(b, a + 1), hops)
            tones = np.sqrt(onsets.tones[a:b]).sum(axis=0)
            row.append(tones / max(float(np.linalg.norm(tones)), 1e-9) / np.sqrt(2))
            row.append(levels[a:b].mean(axis=0) / OF_LEVEL_DB / np.sqrt(levels.shape[1]))
        rows.append(np.concatenate(row) / np.sqrt(PARTS))
    return np.array(rows)
