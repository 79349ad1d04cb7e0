"""All processes of Mend in the order that is right, each with how it is measured and how it is applied.

Faults of the recorder go first, because everything after would smear them; then what stands in every moment (hum,
rumble); then single places (clicks, thumps, breaths, which noise reduction would take for noise); then noise and room,
which need all that gone to be told well; then the turns of others and the pauses, which would mislead whoever
follows the noise; then what a person has marked. Phase turns last: it only moves where the peaks lie.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pampa.core.checkup.frames import measure_frames
from pampa.core.checkup.leaning import best_angle
from pampa.core.checkup.speech import parts_of
from pampa.core.executor import Executor
from pampa.core.mend import (
    breaths,
    clicks,
    clipping,
    gaps,
    hum,
    lows,
    noise,
    profile,
    rotation,
    sharing,
    spots,
    turns,
)
from pampa.core.mend.amounts import Amounts
from pampa.core.mend.lowering import Places, lowered
from pampa.core.mend.patches import Patched, Patches
from pampa.core.sound import RATE, FloatArray, Over, Segment, Source
from pampa.core.speech.features import Features, measure_features

WORTH_TURNING_DB = 0.5


@dataclass(frozen=True, eq=False)
class Facts:
    """What is known of the file besides its sound.

    clipped : stretches in seconds, shape (stretches, 2). own, others : what the finds heard of this recording and of
    the others in the conversation, on this one's time. room : from where to where only the room is heard, in seconds.
    All are asked for only where they are needed. missing : from where to where, in seconds, it could not be read.
    hold : the same source worked out once, where it will be read several times.
    """

    clipped: NDArray[np.float64]
    executor: Executor | None = None
    own: Callable[[], Features] | None = None
    others: Callable[[], list[Features]] = list
    room: Callable[[], tuple[float, float] | None] = lambda: None
    missing: tuple[tuple[float, float], ...] = ()
    hold: Callable[[Source], Source] = lambda source: source


Knowledge = Any
"""What a process has measured of a recording; None where it finds nothing to do."""


@dataclass(frozen=True)
class Process:
    """doing : what is said while it measures. measure : of what the processes before leave. apply : to that.

    costly : to apply it again and again would cost more than to keep what it leaves.
    """

    name: str
    doing: str
    measure: Callable[[Source, Amounts, Facts], Knowledge]
    apply: Callable[[Source, Knowledge, Amounts], Source]
    costly: bool = False


@dataclass(frozen=True, eq=False)
class Processed(Over):
    """A source after one process: `work` gives any stretch of it, the same samples however it is divided."""

    source: Source
    work: Callable[[Source, Segment], FloatArray]

    @property
    def frames(self) -> int:
        return self.source.frames

    def read(self, start: int, stop: int) -> FloatArray:
        first, last = max(start, 0), min(stop, self.frames)
        if (first, last) == (start, stop):
            return self.work(self.source, Segment(0, start, stop))
        out = np.zeros((stop - start, self.channels), np.float32)
        if last > first:
            out[first - start : last - start] = self.work(self.source, Segment(0, first, last))
        return out


def _turned_over(source: Source, segment: Segment) -> FloatArray:
    return -source.read(segment.start, segment.stop)


def _clips(source: Source, amounts: Amounts, facts: Facts) -> Patches | None:
    return clipping.rebuilt(source, facts.clipped) if len(facts.clipped) else None


def _clicks(source: Source, amounts: Amounts, facts: Facts) -> Patches | None:
    found = clicks.find_clicks(source, facts.executor)
    return clicks.repaired(source, found) if found else None


def _cut(source: Source, amounts: Amounts, facts: Facts) -> float:
    return lows.cut_below(source, measure_frames(source, facts.executor))


def _low(source: Source, amounts: Amounts, facts: Facts) -> float | None:
    frames = measure_frames(source, facts.executor)
    return lows.usual_low(frames, parts_of(frames))


def _noise(source: Source, amounts: Amounts, facts: Facts) -> profile.Profile:
    if amounts.region is None:
        return profile.followed(source, facts.executor)
    start, stop = (round(edge * source.rate) for edge in amounts.region)
    return profile.learned(source, start, stop, facts.executor)


def _breaths(source: Source, amounts: Amounts, facts: Facts) -> Places | None:
    found = breaths.find_breaths(source, facts.executor)
    return found if len(found) else None


def _gaps(source: Source, amounts: Amounts, facts: Facts) -> Patches | None:
    return gaps.filled_gaps(source, measure_frames(source, facts.executor), facts.missing)


def _own(source: Source, facts: Facts) -> Features:
    return facts.own() if facts.own else measure_features(source, facts.executor)


def _turns(source: Source, amounts: Amounts, facts: Facts) -> Places | None:
    others = facts.others()
    found = turns.turns_of_others(_own(source, facts), others) if others else np.zeros((0, 2), np.int64)
    return found if len(found) else None


def _shares(source: Source, amounts: Amounts, facts: Facts) -> sharing.Shares | None:
    others = facts.others()
    return sharing.shares_db(_own(source, facts), others) if others else None


def _pauses(source: Source, amounts: Amounts, facts: Facts) -> Places | None:
    found = turns.pauses(_own(source, facts))
    return found if len(found) else None


def _room(source: Source, amounts: Amounts, facts: Facts) -> Places:
    found = facts.room()
    return np.round(np.array(found) * RATE).astype(np.int64) if found else spots.NO_ROOM


def _angle(source: Source, amounts: Amounts, facts: Facts) -> float | None:
    frames = measure_frames(source, facts.executor)
    angle, wins = best_angle(source, np.maximum(frames.high_peak, frames.low_peak))
    return angle if wins >= WORTH_TURNING_DB else None


def _less_noise(source: Source, known: profile.Profile, amounts: Amounts) -> Source:
    depth, hiss = amounts.noise / 100, (amounts.noise if amounts.hiss is None else amounts.hiss) / 100
    return Processed(source, partial(noise.without_noise, profile=known, amount=depth, hiss=hiss))


PROCESSES = (
    Process(
        "polarity", "", lambda source, amounts, facts: True,
        lambda source, known, amounts: Processed(source, _turned_over),
    ),
    Process(
        "drop_outs", "Filling drop-outs", _gaps,
        lambda source, known, amounts: Patched(source, known, amounts.of("drop_outs")),
    ),
    Process(
        "clipping", "Rebuilding clipped places", _clips,
        lambda source, known, amounts: Patched(source, known, amounts.of("clipping")),
    ),
    Process(
        "hum", "Following the hum", lambda source, amounts, facts: hum.follow_hum(source, facts.executor),
        lambda source, known, amounts: Processed(
            source, partial(hum.without_hum, track=known, amount=amounts.of("hum"))
        ),
        costly=True,
    ),
    Process(
        "rumble", "Finding where the voice begins", _cut,
        lambda source, known, amounts: Processed(
            source, partial(lows.without_rumble, hz=known, amount=amounts.of("rumble"))
        ),
        costly=True,
    ),
    Process(
        "clicks", "Looking for clicks", _clicks,
        lambda source, known, amounts: Patched(source, known, amounts.of("clicks")),
    ),
    Process(
        "plosives", "Looking for thumps", _low,
        lambda source, known, amounts: Processed(
            source, partial(lows.without_plosives, usual=known, amount=amounts.of("plosives"))
        ),
    ),
    Process(
        "breaths", "Looking for breaths", _breaths,
        lambda source, known, amounts: Processed(
            source, partial(breaths.with_softer_breaths, breaths=known, amount=amounts.of("breaths"))
        ),
    ),
    Process("noise", "Following the noise", _noise, _less_noise),
    Process(
        "reverb", "Listening to the room", lambda source, amounts, facts: profile.followed(source, facts.executor),
        lambda source, known, amounts: Processed(
            source, partial(noise.without_room, profile=known, amount=amounts.of("reverb"))
        ),
    ),
    Process(
        "bleed", "Listening to who talks", _turns,
        lambda source, known, amounts: Processed(
            source, partial(lowered, places=known, db=turns.BLEED_DB * amounts.of("bleed"), fade=turns.FADE)
        ),
    ),
    Process(
        "sharing", "Listening to all microphones", _shares,
        lambda source, known, amounts: Processed(
            source, partial(sharing.shared, shares=known, amount=amounts.of("sharing"))
        ),
    ),
    Process(
        "gate", "Looking for pauses", _pauses,
        lambda source, known, amounts: Processed(
            source, partial(lowered, places=known, db=turns.GATE_DB * amounts.of("gate"), fade=turns.FADE)
        ),
    ),
    Process(
        "spots", "", _room,
        lambda source, known, amounts: Processed(
            source, partial(spots.with_spots, spots=amounts.spots, room=known)
        ),
    ),
    Process(
        "phase", "Finding the best angle", _angle,
        lambda source, known, amounts: Processed(source, partial(rotation.rotated, angle=known)),
    ),
)  # fmt: skip


PROCESS_NAMES = tuple(process.name for process in PROCESSES)


def in_full(amounts: Amounts) -> Amounts:
    """The same processes, each at its most: what is measured must not hang on an amount."""
    named = [process.name for process in PROCESSES if amounts.of(process.name) > 0 and process.name != "spots"]
    most = {name: True if isinstance(getattr(amounts, name), bool) else 100.0 for name in named}
    return replace(amounts, hiss=None, **most)  # type: ignore[arg-type]
