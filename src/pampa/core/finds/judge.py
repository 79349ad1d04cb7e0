"""How sure a find is: measures of what may be one, weighed by a logistic regression for each kind.

Trained by `training/judging.py` on conversations in which everything is known, so that of those called 80 % sure about
80 % are right. Source: Cox, The regression analysis of binary sequences, J. R. Stat. Soc. B 20 (1958).
"""

from collections.abc import Mapping, Sequence
from functools import cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

from pampa.core.arrays import arrays_in

Rows = NDArray[np.float32]
Measures = Mapping[str, float]
PARTS = ("mean", "spread", "weights", "bias")
FARTHEST = 5
"""A measure counts for no more than it does so many deviations from its mean."""


def sure(kind: str, measures: Sequence[Measures]) -> Rows:
    """0 to 1 for each of what may be finds: the share of its like that is right. Shape (measures,)."""
    if not measures:
        return np.zeros(0, np.float32)
    names, (mean, spread, weights, bias) = _weights(kind)
    rows = np.array([[each[name] for name in names] for each in measures], np.float32)
    rows = np.clip((rows - mean) / spread, -FARTHEST, FARTHEST)
    return np.asarray(1 / (1 + np.exp(-(rows @ weights + bias))), np.float32)


@cache
def _weights(kind: str) -> tuple[list[str], tuple[Rows, ...]]:
    kept = arrays_in(str(files("pampa.core.finds") / "judges.npz"))
    parts = tuple(kept[f"{kind}_{part}"].astype(np.float32) for part in PARTS)
    return kept[f"{kind}_names"].tolist(), parts
