"""Solving for loudness: the gain with which a programme, limited, measures its target."""

from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from pampa.core.deliver.limiter import Limited
from pampa.core.executor import Executor, Inline
from pampa.core.loudness import LoudnessPart, merge
from pampa.core.loudness.gating import (
    ABSOLUTE_GATE_LUFS,
    HOP_CELLS,
    MOMENTARY_CELLS,
    integrated_loudness,
    to_energy,
    windows,
)
from pampa.core.loudness.measure import measure_segment, to_db
from pampa.core.sound import Curve, Source, db_to_gain, segments

RELATIVE_GATE_LU = 10.0
NEAR_LU, NEAR_ENOUGH_LU = 0.01, 0.05
LOWER_CEILINGS_DB = (0.0, 0.5, 1.0, 2.0, 3.0)
"""Where few blocks stand near the meter's gate, the reading jumps over the target as the gain rises. A lower
ceiling moves the jump: these are tried one after another, the first is nearly always enough."""
ROUNDS = 10
MOST_LOSS_LU = 3.0
"""Limiting that lowers the talk by more than this, in the mean of its blocks, is heard as squashed. Then the target is
too loud. A single clap may lose as much as it will: it is a few blocks of many, and must not rule an hour."""
MOST_GAIN_DB = 60.0
METERS_DIFFER_DB = 0.04
"""Kept away from the ceiling inside: meters differ by some hundredths of a dB."""


@dataclass(frozen=True)
class Aim:
    """Where a programme is to come out. target_lufs: integrated; ceiling_dbtp: true peak; most_loss_lu: limiting."""

    target_lufs: float = -16.0
    ceiling_dbtp: float = -1.0
    most_loss_lu: float = MOST_LOSS_LU


@dataclass(frozen=True)
class Solution:
    """What was found. `part` is the measurement of the programme with this gain and ceiling."""

    gain_db: float
    ceiling_db: float
    loss_lu: float
    """By how much the limiter lowers what counts for the loudness: the mean over its blocks."""
    part: LoudnessPart
    shortfall: str | None
    """Why the target is not met, as a sentence; None when it is."""

    def apply(self, source: Source) -> Limited:
        """The programme as it goes to the encoder."""
        return Limited(source, db_to_gain(self.gain_db), db_to_gain(self.ceiling_db))


def measure_parts(source: Source, executor: Executor | None = None) -> list[LoudnessPart]:
    """The parts of a programme before gain and limiter: what `solve` starts from."""
    grid = segments(source.frames, source.rate)
    return list((executor or Inline()).map(partial(measure_segment, source), grid))


def solve(
    source: Source, parts: list[LoudnessPart], aim: Aim, executor: Executor | None = None, *,
    extra_gain_db: float = 0.0, extra_room_db: float = 0.0,
) -> Solution:  # fmt: skip
    """Find the gain; only segments in which the limiter works are computed again.

    extra_gain_db, extra_room_db : what an encoder is known to take from the level and add to the peaks.
    """
    executor = executor or Inline()
    target = aim.target_lufs + extra_gain_db
    ceiling_db = aim.ceiling_dbtp - METERS_DIFFER_DB - extra_room_db
    plain = merge(parts)
    loudness = integrated_loudness(plain.energy)
    if loudness is None:
        return Solution(0.0, ceiling_db, 0.0, plain, "The programme is silent, or so short or quiet that it has no "
                        "loudness. It was written as it is.")  # fmt: skip
    if target - loudness > MOST_GAIN_DB:
        shortfall = (
            f"The programme measures {loudness:.1f} LUFS; raising it to {aim.target_lufs:.1f} LUFS would take "
            f"{target - loudness:.0f} dB, more than the {MOST_GAIN_DB:.0f} dB that make sense. It was written as it is."
        )
        return Solution(0.0, ceiling_db, 0.0, plain, shortfall)
    best: tuple[float, Solution] | None = None
    hard_db = aim.ceiling_dbtp - extra_room_db
    for lower_db in LOWER_CEILINGS_DB:
        gain_db, ceiling_db = target - loudness, hard_db - METERS_DIFFER_DB - lower_db
        for _ in range(ROUNDS):
            found = at_gain(source, parts, gain_db, ceiling_db, hard_db, executor)
            if found.loss_lu > aim.most_loss_lu:
                if lower_db == 0:
                    return _squashed(source, parts, aim, found, executor)
                break
            reached = integrated_loudness(found.part.energy)
            if reached is None:
                break
            error = target - reached
            if best is None or abs(error) < best[0]:
                best = (abs(error), found)
            if abs(error) < NEAR_LU:
                return found
            gain_db, ceiling_db = gain_db + error, found.ceiling_db
        if best and best[0] < NEAR_ENOUGH_LU:
            break
    assert best is not None
    return best[1]


def at_gain(
    source: Source,
    parts: list[LoudnessPart],
    gain_db: float,
    ceiling_db: float,
    hard_db: float,
    executor: Executor,
) -> Solution:
    """What comes of a gain: the measurement, and the loudness that the limiter costs. `hard_db`: not to be exceeded."""
    part, ceiling_db = _limited(source, parts, gain_db, ceiling_db, hard_db, executor)
    before = merge(parts).scaled(db_to_gain(gain_db))
    return Solution(gain_db, ceiling_db, _lowered(before.energy, part.energy), part, None)


def _lowered(before: Curve, after: Curve) -> float:
    """By how many LU the limiter lowers the blocks that count for the loudness, in the mean."""
    reached = integrated_loudness(after)
    if reached is None:
        return 0.0
    blocks, were = (windows(energy, MOMENTARY_CELLS, hop=HOP_CELLS) for energy in (after, before))
    counted = blocks > to_energy(max(reached - RELATIVE_GATE_LU, ABSOLUTE_GATE_LUFS))
    return float(np.mean(10 * np.log10(were[counted] / blocks[counted]))) if counted.any() else 0.0


def _limited(
    source: Source, parts: list[LoudnessPart], gain_db: float, ceiling_db: float, hard_db: float, executor: Executor
) -> tuple[LoudnessPart, float]:
    """The measurement at a gain, with the limiter's ceiling lowered where smoothing let a peak through."""
    grid = list(segments(source.frames, source.rate))
    for _ in range(4):
        limited = Limited(source, db_to_gain(gain_db), db_to_gain(ceiling_db))
        near = [max(part.true_peak for part in parts[max(n - 1, 0) : n + 2]) for n in range(len(grid))]
        touched = [segment for segment in grid if near[segment.index] * limited.gain > limited.ceiling]
        found = [part.scaled(limited.gain) for part in parts]
        measured = executor.map(partial(measure_segment, limited), touched)
        for segment, part in zip(touched, measured, strict=True):
            found[segment.index] = part
        part = merge(found)
        over = (to_db(part.true_peak) or -200.0) - (hard_db - METERS_DIFFER_DB / 2)
        if over <= 0:
            break
        ceiling_db -= over + 0.01
    return part, ceiling_db


def _squashed(source: Source, parts: list[LoudnessPart], aim: Aim, wanted: Solution, executor: Executor) -> Solution:
    """The loudest version that stays within the limiting allowed."""
    low, high = min(0.0, wanted.gain_db), wanted.gain_db
    best = None
    for _ in range(9):
        middle = (low + high) / 2
        hard_db = wanted.ceiling_db + METERS_DIFFER_DB
        found = at_gain(source, parts, middle, wanted.ceiling_db, hard_db, executor)
        if found.loss_lu <= aim.most_loss_lu:
            low, best = middle, found
        else:
            high = middle
        if high - low < 0.05 and best:
            break
    best = best or found  # even without gain: the programme is over the ceiling as it comes
    reached = integrated_loudness(best.part.energy)
    told = "as it comes" if reached is None else f"{reached:.1f} LUFS"
    reason = (
        f"Reaching {aim.target_lufs:.1f} LUFS under {aim.ceiling_dbtp:.1f} dBTP would take so much limiting that the "
        f"talk loses {wanted.loss_lu:.1f} LU throughout; {aim.most_loss_lu:.1f} LU are allowed. The file was made as "
        f"loud as that allows: {told}. Compress it more evenly first, or choose a lower target."
    )
    return replace(best, shortfall=reason)
