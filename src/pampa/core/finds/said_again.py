"""What of a person's words comes again: stretches held against each other as probabilities of phones.

How alike two stretches must be to be the same words depends on who speaks: some voices are told well, others badly, and
common syllables come again by chance. So a likeness is held against those that the same words have with other moments
of the same person's talk: the cohort, as in the verification of speakers.

Source: Auckenthaler, Carey & Lloyd-Thomas, Score normalization for text-independent speaker verification systems,
Digital Signal Processing 10 (2000).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pampa.core.finds import kernels
from pampa.core.speech.detector import Bools
from pampa.core.speech.features import PER_S
from pampa.core.speech.sounds import Sounds

REACH, TAIL = round(2.6 * PER_S), round(0.7 * PER_S)
"""Frames: the longest first saying, and the most of its end that does not come again."""
LEAST, ASIDE, UNSAID = 0.7, 0.5, 0.06
"""See `kernels.said_again`. Found on one made talk: where nothing is said again a path must lose, and warping gains."""
LEAST_COMMON = 0.004
ONSET = 6
"""Frames in which the first phone of a word may be told late."""
COHORT, SLOWER = 32, 1.5
"""Other moments that a likeness is held against; more told little more on made talks. How much longer the same words
may take elsewhere."""
LEAST_SPREAD, MOST = 0.5, 12.0
"""Of the cohort's scores, and of how many spreads a score counts to lie above them: where a cohort is all alike."""

Frames = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Said:
    """One person's words, to be held against each other."""

    phones: NDArray[np.float32]
    """Probabilities over the root of how common each phone is with this person, shape (frames, phones)."""
    changes: Frames
    """Frames where a phone of a word begins."""


def said_by(sounds: Sounds, words: Bools) -> Said:
    """words : where this person says words, shape (frames,)."""
    if not words.any():
        return Said(np.zeros((words.size, sounds.phones.shape[1]), np.float32), np.zeros(0, np.int64))
    shares = (sounds.phones[: words.size] / np.float32(255)) ** 2
    which = shares.argmax(axis=1)
    common = shares[words].mean(axis=0) + LEAST_COMMON
    common[0] = 1  # that both are silent says nothing
    begun = words & ~np.concatenate([[False], words[:-1]])
    changes = np.flatnonzero(words & ((np.diff(which, prepend=which[0]) != 0) | begun))
    run = np.maximum.accumulate(np.where(begun, np.arange(words.size), 0))[changes]
    # A phone that changes in the first moments of a word began with it.
    changes = np.unique(np.where(changes - run <= ONSET, run, changes))
    return Said(np.ascontiguousarray(shares / np.sqrt(common), np.float32), changes)


def likenesses(said: Said, begins: Frames, ends: Frames, reach: int = REACH) -> NDArray[np.float64]:
    """What is said up to each end against what is said from each begin on: see `kernels.said_again`. Shape (n, 4)."""
    return np.asarray(kernels.said_again(said.phones, begins, ends, reach, TAIL, LEAST, ASIDE, UNSAID))


STANDS_OUT = ("end over others", "end over the best", "begin over others", "begin over the best")
"""What `against_cohort` tells of each."""


def against_cohort(said: Said, starts: Frames, ends: Frames, begins: Frames) -> NDArray[np.float64]:
    """How far the likeness of what is said from each start to its end, and from its begin on, stands out: shape (n, 4).

    First of what ends there among all other beginnings, then of what begins there among all other ends: by how many
    spreads the score lies over the cohort's mean, a third of it, and by how much over the best of the cohort, a tenth.
    0 where there is no other moment.
    """
    out = np.zeros((begins.size, 4))
    for n, (start, end, begin) in enumerate(zip(starts.tolist(), ends.tolist(), begins.tolist(), strict=True)):
        far = said.changes[(said.changes < end - 2 * REACH) | (said.changes > begin + 2 * REACH)]
        if not far.size:
            continue
        reach = min(round(SLOWER * (end - start)), REACH)
        own = likenesses(said, begins[n : n + 1], ends[n : n + 1], reach)[0, 0]
        cohort = far[np.linspace(0, far.size - 1, min(COHORT, far.size)).astype(int)]
        for place, pair in ((0, (cohort, np.full_like(cohort, end))), (2, (np.full_like(cohort, begin), cohort))):
            scores = likenesses(said, *pair, reach)[:, 0]
            over = (own - scores.mean()) / max(float(scores.std()), LEAST_SPREAD)
            out[n, place : place + 2] = min(over, MOST) / 3, (own - scores.max()) / 10
    return out
