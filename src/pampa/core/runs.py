"""Runs: where something holds without a break."""

import numpy as np
from numpy.typing import NDArray


def runs_of(where: NDArray[np.bool_], *, bridge: int = 0) -> NDArray[np.int64]:
    """Start and end of each run of True, shape (runs, 2); gaps of up to `bridge` frames count as part of it."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], where, [False]]).astype(np.int8))).reshape(-1, 2)
    if bridge and len(edges) > 1:
        apart = edges[1:, 0] - edges[:-1, 1] > bridge
        edges = np.stack([edges[np.r_[True, apart], 0], edges[np.r_[apart, True], 1]], axis=1)
    return edges
