"""Clicks of the mouth and of wires, found and taken out of the band they lie in.

What a short-time prediction cannot foretell stands out (Godsill & Rayner 1998, ch. 5); which peaks of that error are
clicks, and not pulses of a voice or consonants, `click_judge` says; `click_repair` takes them out.
"""

from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from pampa.core.executor import Executor, Inline
from pampa.core.mend import kernels
from pampa.core.mend.click_judge import APART, CELL, REACH, Curves, judged, looks, peaks
from pampa.core.mend.click_repair import EDGE, HALF, upper, without_click
from pampa.core.mend.fir import filtered
from pampa.core.mend.patches import Patches
from pampa.core.sound import RATE, Segment, Source, segments, to_mono

ORDER, BLOCK = 32, RATE // 40
LONGEST = 13
"""Cells to either side of its peak that a click may reach, 6.5 ms."""
EDGE_DB = 10.0
MARGIN = RATE // 20


@dataclass(frozen=True)
class Click:
    """A stretch of frames with a click in it, and by how many dB it stands over what is around."""

    start: int
    stop: int
    over_db: float


def find_clicks(source: Source, executor: Executor | None = None) -> list[Click]:
    """The clicks of a whole recording, in order."""
    found = (executor or Inline()).map(partial(_in_segment, source), segments(source.frames))
    return [click for part in found for click in part]


def repaired(source: Source, clicks: list[Click]) -> Patches:
    """Patches that take the clicks out. Those that nearly touch are taken out together."""
    together: list[tuple[int, int]] = []
    for click in clicks:
        start = click.start
        if together and start < together[-1][1] + 2 * EDGE:
            start, _ = together.pop()
        together.append((start, click.stop))
    return Patches.of((without_click(source, start, stop) for start, stop in together), source.channels)


def _in_segment(source: Source, segment: Segment) -> list[Click]:
    first, last = segment.start - MARGIN, segment.stop + MARGIN
    curves = curves_of(source, first, last)
    cells = peaks(curves[0])
    sure = judged(looks(curves, cells))
    found = _stretches(curves[0], cells[sure > 0])
    # Where a recording sets in or breaks off in the middle of sound, that is no click.
    begin, end = max(segment.start, HALF), min(segment.stop, source.frames - HALF)
    return [Click(first + a * CELL, first + b * CELL, over) for a, b, over in found if begin <= first + a * CELL < end]


def curves_of(source: Source, first: int, last: int) -> Curves:
    """What frames `first` to `last` are judged by."""
    plain, band = (to_mono(sound) for sound in filtered(source, first, last, upper()))
    count = (last - first) // CELL
    error = kernels.prediction_error(band, BLOCK, ORDER)
    rows = [np.abs(error[: count * CELL].reshape(-1, CELL)).max(axis=1) ** 2]
    rows += [(part[: count * CELL].reshape(-1, CELL) ** 2).mean(axis=1) for part in (band, plain - band)]
    return np.asarray(10 * np.log10(np.array(rows) + 1e-18), np.float32)


def _stretches(curve: NDArray[np.float32], cells: NDArray[np.int64]) -> list[tuple[int, int, float]]:
    """Of each click its first and last cell, and by how much it stands over both sides."""
    found: list[tuple[int, int, float]] = []
    for cell in cells:
        before, after = curve[cell - REACH : cell - APART].max(), curve[cell + APART + 1 : cell + REACH + 1].max()
        room = np.median(curve[cell - REACH : cell + REACH + 1])
        edge = min(max(curve[cell] - 30.0, max(before, after) - EDGE_DB / 2, room + 3), curve[cell] - 6.0)
        a, b = cell, cell + 1
        while a > 0 and curve[a - 1] > edge and cell - a < LONGEST:
            a -= 1
        while b < curve.size and curve[b] > edge and b - cell < LONGEST:
            b += 1
        if not found or a > found[-1][1]:
            found.append((int(a) - 1, int(b) + 1, float(curve[cell] - max(before, after))))
    return found
