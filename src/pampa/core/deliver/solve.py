"""Solving for loudness: the gain with which a programme, limited, measures its target."""

from dataclasses import dataclass

from pampa.core.deliver.limiter import Limited
from pampa.core.executor import Executor, Inline
from pampa.core.loudness import LoudnessPart, merge
from pampa.core.loudness.gating import integrated_loudness
from pampa.core.loudness.measure import measure_segment, to_db
from pampa.core.sound import Source, db_to_gain, segments

NEAR_LU = 0.01
ROUNDS = 6
MOST_LOSS_LU = 3.0
"""Limiting that costs more loudness than this is heard as squashed talk. Then the target is too loud."""
MOST_GAIN_DB = 60.0
METERS_DIFFER_DB = 0.04
"""Kept away from the ceiling inside: meters differ by some hundredths of a dB."""


@dataclass(frozen=True)
class Aim:
    """Where a programme is to come out. target_lufs: integrated; ceiling_dbtp: true peak; most_loss_lu: limiting."""

    target_lufs: float
    ceiling_dbtp: float = -1.0
    most_loss_lu: float = MOST_LOSS_LU


@dataclass(frozen=True)
class Solution:
    """What was found. `part` is the measurement of the programme with this gain and ceiling."""

    gain_db: float
    ceiling_db: float
    loss_lu: float
    part: LoudnessPart
    shortfall: str | None
    """Why the target is not met, as a sentence; None when it is."""

    def apply(self, source: Source) -> Limited:
        """The programme as it goes to the encoder."""
        return Limited(source, db_to_gain(self.gain_db), db_to_gain(self.ceiling_db))


def measure_parts(source: Source, executor: Executor | None = None) -> list[LoudnessPart]:
    """The parts of a programme before gain and limiter: what `solve` starts from."""
    grid = segments(source.frames, source.rate)
    return list((executor or Inline()).map(lambda segment: measure_segment(source, segment), grid))


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
    gain_db = target - loudness
    slope = 1.0
    previous: tuple[float, float] | None = None
    for _ in range(ROUNDS):
        part, ceiling_db = _limited(source, parts, gain_db, ceiling_db, aim.ceiling_dbtp - extra_room_db, executor)
        reached = integrated_loudness(part.energy) or -70.0
        loss = loudness + gain_db - reached
        if loss > aim.most_loss_lu:
            return _squashed(source, parts, aim, loudness, gain_db, ceiling_db, loss, executor)
        if abs(target - reached) < NEAR_LU:
            break
        if previous and abs(gain_db - previous[0]) > 1e-6:
            slope = min(max((reached - previous[1]) / (gain_db - previous[0]), 0.2), 1.0)
        previous = (gain_db, reached)
        gain_db += (target - reached) / slope
    return Solution(gain_db, ceiling_db, loss, part, None)


def _limited(
    source: Source, parts: list[LoudnessPart], gain_db: float, ceiling_db: float, hard_db: float, executor: Executor
) -> tuple[LoudnessPart, float]:
    """The measurement at a gain, with the limiter's ceiling lowered where smoothing let a peak through."""
    grid = list(segments(source.frames, source.rate))
    for _ in range(4):
        limited = Limited(source, db_to_gain(gain_db), db_to_gain(ceiling_db))
        gain = limited.gain

        def after(index: int, limited: Limited = limited, gain: float = gain) -> LoudnessPart:
            near = max(part.true_peak for part in parts[max(index - 1, 0) : index + 2])
            if near * gain <= limited.ceiling:
                return parts[index].scaled(gain)
            return measure_segment(limited, grid[index])

        part = merge(executor.map(after, range(len(grid))))
        over = (to_db(part.true_peak) or -200.0) - (hard_db - METERS_DIFFER_DB / 2)
        if over <= 0:
            break
        ceiling_db -= over + 0.01
    return part, ceiling_db


def _squashed(
    source: Source, parts: list[LoudnessPart], aim: Aim, loudness: float, gain_db: float, ceiling_db: float,
    loss: float, executor: Executor,
) -> Solution:  # fmt: skip
    """The loudest version that stays within the limiting allowed."""
    wanted_loss = loss
    low, high = min(0.0, gain_db), gain_db
    best = None
    for _ in range(9):
        middle = (low + high) / 2
        part, ceiling = _limited(source, parts, middle, ceiling_db, ceiling_db + METERS_DIFFER_DB, executor)
        reached = integrated_loudness(part.energy) or -70.0
        loss = loudness + middle - reached
        if loss <= aim.most_loss_lu:
            low, best = middle, (middle, ceiling, loss, part, reached)
        else:
            high = middle
        if high - low < 0.05 and best:
            break
    if best is None:  # even without gain: the programme is over the ceiling as it comes
        best = (middle, ceiling, loss, part, reached)
    reason = (
        f"Reaching {aim.target_lufs:.1f} LUFS under {aim.ceiling_dbtp:.1f} dBTP would take so much limiting that "
        f"{wanted_loss:.1f} LU are lost to it; {aim.most_loss_lu:.1f} LU are allowed. The file was made as loud as "
        f"that allows: {best[4]:.1f} LUFS. Tame the loudest peaks first, or choose a lower target."
    )
    return Solution(best[0], best[1], best[2], best[3], reason)
