"""Joins that may be heard: each seam measured on each person's sound as it will go out.

A join is heard where a word or a breath is cut in half, where the room changes under it, where there is no room at
all, or where it clicks. Each is measured on its own, against what is around it and against the person's floor.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import scipy
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from pampa.core.mix.plan import Lane, Plan, Span
from pampa.core.mix.render import render
from pampa.core.rendition import Rendition
from pampa.core.room_tone import Tone
from pampa.core.sound import RATE, Curve, FloatArray, Source, to_mono

Kind = Literal["word end", "word beginning", "breath", "step", "hole", "click"]

REACH = round(0.4 * RATE)
CELL = RATE // 100
EDGE = 4
"""Cells of 10 ms on either side of a join that tell whether a word goes through it."""
SPEECH_OVER_FLOOR_DB, SPEECH_DB = 16.0, -48.0
QUIET_OVER_FLOOR_DB, QUIET_CELLS = 5.0, 15
"""The room is compared where it is alone for 150 ms of the 400 on either side, and quietest there: a word's tail and
what leaks in from others are no room."""
STEP_DB = 1.5
HOLE = round(0.02 * RATE)
SILENT, SILENT_FLOOR_DB = 1e-6, -100.0
CLICK_NEAR, CLICK_OVER_DB = round(0.008 * RATE), 6.0
BREATH_EDGE_S = 0.06
NOTHING = 1e-7


@dataclass(frozen=True)
class Fault:
    """Something at a join that may be heard. over : dB or ms by which it stands out, for the order of a list."""

    kind: Kind
    track: int
    over: float
    told: str


@dataclass(frozen=True)
class Person:
    """What is known of the recordings of one track.

    tones : where each recording has only its room. breaths : (recording, start, stop) in frames, as clips count them.
    """

    tones: Mapping[int, Tone]
    breaths: Sequence[tuple[int, int, int]] = ()


def faults_at(at: int, crossfade: int, plan: Plan, sources: Mapping[Rendition, Source], people: Mapping[int, Person],
              floors: Mapping[int, float]) -> list[Fault]:  # fmt: skip
    """What may be heard of a join at frame `at`, on every track that `people` has. floors : as `floors_of` tells."""
    found: list[Fault] = []
    heard: dict[int, Curve] = {}
    joined: set[int] = set()
    for lane in plan.lanes:
        if lane.track not in people:
            continue
        sound = render(Plan((lane,), plan.length), sources, {}, start=at - REACH, stop=at + REACH)
        mono = heard[lane.track] = to_mono(sound.astype(np.float64))
        here = lane.between(at - 1, at + 1)
        left = next((span for span in here if span.start < at - crossfade and span.stop <= at + crossfade), None)
        right = next((span for span in here if span.stop > at + crossfade and span.start >= at - crossfade), None)
        if left is None and right is None:
            continue
        joined.add(lane.track)
        floor = floors[lane.track]
        found += _words(lane.track, mono, floor, left, right, sources)
        found += _breath(lane.track, at, people[lane.track], left, right)
        if left is not None and right is not None:
            found += _hole(lane.track, mono, floor)
        found += _click(lane.track, mono)
    found += [step for step in _steps(heard, floors, crossfade) if step.track in joined]
    return sorted(found, key=lambda fault: -fault.over)


def floors_of(plan: Plan, sources: Mapping[Rendition, Source], people: Mapping[int, Person]) -> dict[int, float]:
    """The level of each person's room as it goes out, in dBFS: by track."""
    return {lane.track: _floor_db(lane, people[lane.track], sources) for lane in plan.lanes if lane.track in people}


def levels_db(mono: Curve) -> Curve:
    """Root mean square of each 10 ms, in dBFS."""
    cells = mono[: len(mono) // CELL * CELL].reshape(-1, CELL)
    return np.asarray(10 * np.log10((cells**2).mean(axis=1) + NOTHING**2))


def _floor_db(lane: Lane, person: Person, sources: Mapping[Rendition, Source]) -> float:
    for span in lane.spans:
        tone = person.tones.get(span.recording)
        if tone:
            quiet = to_mono(sources[span.sound].read(tone.start, tone.stop).astype(np.float64)) * span.gain
            return float(np.median(levels_db(quiet)))
    return -120.0


def _words(track: int, mono: Curve, floor: float, left: Span | None, right: Span | None,
           sources: Mapping[Rendition, Source]) -> list[Fault]:  # fmt: skip
    """A word goes through a join where it is loud before the cut and would have gone on as loud after it."""
    speech = max(floor + SPEECH_OVER_FLOOR_DB, SPEECH_DB)
    middle, near = len(mono) // 2, EDGE * CELL
    found = []
    if left is not None:
        kept = levels_db(mono[middle - near : middle]).min()
        source = sources[left.sound]
        gone = levels_db(_mono(source, left.source + left.stop - left.start, near) * left.gain).min()
        if min(kept, gone) > speech:
            over = min(kept, gone) - speech
            found.append(Fault("word end", track, float(over), "A word may be cut off before the join."))
    if right is not None:
        kept = levels_db(mono[middle : middle + near]).min()
        gone = levels_db(_mono(sources[right.sound], right.source - near, near) * right.gain).min()
        if min(kept, gone) > speech:
            over = min(kept, gone) - speech
            found.append(Fault("word beginning", track, float(over), "A word may have lost its beginning."))
    return found


def _breath(track: int, at: int, person: Person, left: Span | None, right: Span | None) -> list[Fault]:
    edge = round(BREATH_EDGE_S * RATE)
    cuts = []
    if left is not None:
        cuts.append((left.recording, left.source + at - left.start))
    if right is not None:
        cuts.append((right.recording, right.source + at - right.start))
    for recording, place in cuts:
        for of, start, stop in person.breaths:
            if of == recording and start + edge < place < stop - edge:
                over = min(place - start, stop - place) / RATE * 20
                return [Fault("breath", track, over, "A breath is cut in half.")]
    return []


def _steps(heard: Mapping[int, Curve], floors: Mapping[int, float], crossfade: int) -> list[Fault]:
    """The room is louder on one side: told only of moments in which nobody speaks, into any microphone.

    Whoever talks leaks into the other microphones, and covers their room.
    """
    sides: list[tuple[NDArray[np.bool_], dict[int, Curve]]] = []
    for side in (slice(None, REACH - crossfade), slice(REACH + crossfade, None)):
        levels = {track: levels_db(mono[side]) for track, mono in heard.items()}
        quiet = [
            (each < floors[track] + QUIET_OVER_FLOOR_DB) & (each > SILENT_FLOOR_DB) for track, each in levels.items()
        ]
        sides.append((np.logical_and.reduce(quiet), levels))
    found = []
    for track in heard:
        before, after = (_room_db(quiet, levels[track]) for quiet, levels in sides)
        if before is None or after is None:
            continue
        step = after - before
        if abs(step) > STEP_DB:
            way = "louder" if step > 0 else "softer"
            found.append(Fault("step", track, abs(step), f"The room is {abs(step):.1f} dB {way} after the join."))
    return found


def _room_db(quiet: NDArray[np.bool_], levels: Curve) -> float | None:
    """Level of the quietest moment in which only the room is heard; None if there is none. Hum swings from cell to
    cell: the mean of their power is its level."""
    if len(levels) < QUIET_CELLS:
        return None
    alone = sliding_window_view(quiet, QUIET_CELLS).all(axis=1)
    power = sliding_window_view(10 ** (levels / 10), QUIET_CELLS).mean(axis=1)[alone]
    return 10 * float(np.log10(power.min())) if power.size else None


def _hole(track: int, mono: Curve, floor: float) -> list[Fault]:
    """Not even the room, for 20 ms and longer, in a recording that has a room."""
    if floor < SILENT_FLOOR_DB:
        return []
    near = mono[len(mono) // 2 - 4 * HOLE : len(mono) // 2 + 4 * HOLE]
    empty = scipy.ndimage.uniform_filter1d((np.abs(near) < SILENT).astype(float), HOLE)
    if not (empty > 1 - 0.5 / HOLE).any():
        return []
    return [Fault("hole", track, 10.0, "There is no room tone here: the sound stops altogether.")]


def _click(track: int, mono: Curve) -> list[Fault]:
    """High frequencies at the join stand over those of all that is around it."""
    bend = np.abs(np.diff(mono, 2))
    middle = len(bend) // 2
    around = np.concatenate([bend[: middle - 2 * CLICK_NEAR], bend[middle + 2 * CLICK_NEAR :]])
    here, usual = float(bend[middle - CLICK_NEAR : middle + CLICK_NEAR].max()), float(around.max())
    over = 20 * float(np.log10((here + NOTHING) / (usual + NOTHING)))
    return (
        [Fault("click", track, over, f"It clicks, {over:.0f} dB over what is around.")] if over > CLICK_OVER_DB else []
    )


def _mono(source: Source, start: int, frames: int) -> Curve:
    sound: FloatArray = source.read(start, start + frames)
    return np.asarray(to_mono(sound.astype(np.float64)))
