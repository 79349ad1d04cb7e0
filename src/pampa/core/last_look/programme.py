"""What is to be known of a programme's sound before it goes out, from one pass over it."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from pampa.core.executor import Executor, Inline
from pampa.core.loudness import Loudness, LoudnessPart, merge, summarise
from pampa.core.loudness.parts import CELLS_PER_S, cell_bounds
from pampa.core.sound import Curve, Segment, Source, segments


@dataclass(frozen=True, eq=False)
class Programme:
    """Figures of a programme in cells of 20 ms.

    energy : K-weighted mean square, (cells,). sides : mean square of left, of right, and of both as one channel,
    (cells, 3). nothing : where every sample is exactly zero, (cells,).
    """

    loudness: Loudness
    energy: Curve
    sides: Curve
    nothing: NDArray[np.bool_]
    seconds: float

    @property
    def cells(self) -> int:
        return int(self.energy.size)


def examined(source: Source, parts: Sequence[LoudnessPart], executor: Executor | None = None) -> Programme:
    """Look at a whole source. parts : its measurement by segments."""
    merged = merge(parts)
    grid = segments(source.frames, source.rate)
    found = list((executor or Inline()).map(partial(_sides, source), grid))
    sides = np.concatenate(found) if found else np.zeros((0, 4))
    cells = min(len(sides), merged.energy.size)
    return Programme(
        summarise(merged), merged.energy[:cells], sides[:cells, :3], sides[:cells, 3] > 0,
        source.frames / source.rate,
    )  # fmt: skip


def _sides(source: Source, segment: Segment) -> Curve:
    """For each cell, the mean squares of left, right and both, and whether all of it is exactly zero."""
    sound = source.read(segment.start, segment.stop).astype(np.float64)
    left, right = sound[:, 0], sound[:, -1]
    bounds = cell_bounds(segment.stop - segment.start, source.rate)
    out = np.zeros((bounds.size - 1, 4))
    if bounds.size < 2:
        return out
    widths = np.diff(bounds)
    for column, channel in enumerate((left, right, (left + right) / 2)):
        out[:, column] = np.add.reduceat(channel**2, bounds[:-1])[: widths.size] / widths
    out[:, 3] = out[:, 0] + out[:, 1] == 0
    return out


def seconds_of(cell: float) -> float:
    """Where a cell begins, in seconds."""
    return cell / CELLS_PER_S
