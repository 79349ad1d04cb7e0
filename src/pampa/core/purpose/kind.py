"""What kind of file it is by its own sound: somebody who talks, music, an effect, a room, a spot; and how sure that is.

Multinomial logistic regression over the evidence, its squares and products (Hastie, Tibshirani and Friedman, The
elements of statistical learning, 4.4), trained by `training/kinds.py`.
"""

from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from pampa.core.arrays import arrays_in
from pampa.core.purpose.evidence import Evidence

Told = Literal["person", "music", "effects", "room tone", "spot"]
TOLD: tuple[Told, ...] = ("person", "music", "effects", "room tone", "spot")
SURE = 0.8
SHORTEST_ROOM_S = 2.0
"""Nobody records a room for less: a loop of it would be heard to come again."""
FARTHEST = 3.0
"""Beyond so many deviations nothing more is told."""


@dataclass(frozen=True)
class Likely:
    """What it most likely is, how sure that is (0 to 1), and what else it may be."""

    role: Told
    sure: float
    other: Told


def likely_of(evidence: Evidence) -> Likely:
    """The most likely kind of a file."""
    mean, scale, weights = _learned()
    scores = terms((evidence.numbers() - mean) / scale) @ weights
    if evidence.seconds < SHORTEST_ROOM_S:
        scores[TOLD.index("room tone")] = -np.inf
    shares = np.exp(scores - scores.max())
    shares /= shares.sum()
    first, second = np.argsort(-shares)[:2].tolist()
    return Likely(TOLD[first], round(float(shares[first]), 3), TOLD[second])


def terms(numbers: NDArray[np.float64]) -> NDArray[np.float64]:
    """One, each number, its square, and the product of every two: shape (..., 1 + 2n + n(n-1)/2)."""
    held = np.clip(numbers, -FARTHEST, FARTHEST)
    one, two = np.triu_indices(held.shape[-1], 1)
    ones = np.ones((*held.shape[:-1], 1))
    return np.concatenate([ones, held, held**2, held[..., one] * held[..., two]], axis=-1)


@cache
def _learned() -> tuple[NDArray[np.float64], ...]:
    arrays = arrays_in(str(files("pampa.core.purpose") / "kinds.npz"))
    return arrays["mean"], arrays["scale"], arrays["weights"]
