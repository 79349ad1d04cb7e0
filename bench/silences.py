"""Silences whose truth is known: when nobody is heard in a conversation of dry voices."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pampa.core.runs import runs_of

SILENCE_S, EDGE_S = 1.0, 0.04
HEARD_DB, FAINT_DB, GRAIN = 46.0, 60.0, 2
"""So far under a voice's loud moments it is surely heard if it stands over the noise, and faint at the most. The grain
of a voice's file, which sounds by itself for so many 10 ms, is nothing."""


@dataclass(frozen=True)
class Silence:
    """Nothing is heard from `faint_after` to `faint_before`, nothing is sure to be heard from `after` to `before`: s.

    Between them a breath fades in or a word fades out, and either is an edge.
    """

    after: float
    faint_after: float
    faint_before: float
    before: float

    @property
    def too_long(self) -> bool:
        return self.faint_before - self.faint_after > SILENCE_S

    def is_told(self, start: float, stop: float) -> bool:
        """Whether both edges lie within 40 ms."""
        return (self.after - EDGE_S <= start <= self.faint_after + EDGE_S
                and self.faint_before - EDGE_S <= stop <= self.before + EDGE_S)  # fmt: skip


def sounds(voice: NDArray[np.float64], under_db: float, noise: float) -> NDArray[np.bool_]:
    """For each 10 ms, whether a dry voice is within so many dB of its loud moments and over noise of an RMS."""
    cells = np.sqrt((voice[: voice.size // 480 * 480].reshape(-1, 480) ** 2).mean(axis=1))
    sounding = cells > max(np.percentile(cells[cells > 1e-5], 97) * 10 ** (-under_db / 20), noise)
    for first, last in runs_of(sounding):
        if last - first <= GRAIN:
            sounding[first:last] = False
    return np.asarray(sounding)


def silences_of(sure: NDArray[np.bool_], faint: NDArray[np.bool_]) -> list[Silence]:
    """The silences between sounds, from what is surely and what is faintly heard in each 10 ms."""
    found = []
    for after, before in runs_of(~sure)[1:-1]:
        inside = runs_of(~faint[after:before])
        if len(inside):
            longest = inside[np.argmax(inside[:, 1] - inside[:, 0])] + after
            found.append(Silence(after / 100, longest[0] / 100, longest[1] / 100, before / 100))
    return found


def silence_counts(told: list[tuple[float, float]], silences: list[Silence]) -> list[int]:
    """Right among what was told over a second, told, known among what is true, true. Both edges must be right."""
    told_long = [gap for gap in told if gap[1] - gap[0] > SILENCE_S]
    right = sum(any(each.is_told(*gap) for each in silences) for gap in told_long)
    too_long = [each for each in silences if each.too_long]
    known = sum(any(each.is_told(*gap) for gap in told) for each in too_long)
    return [right, len(told_long), known, len(too_long)]
