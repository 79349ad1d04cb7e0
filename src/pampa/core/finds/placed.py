"""Recordings that lie on the sheet somewhere, heard on one time; and finds told in frames of their recordings."""

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pampa.core.finds.find import Heard, find
from pampa.core.finds.finds import Kind
from pampa.core.mend.clicks import Click
from pampa.core.sound import RATE
from pampa.core.speech.features import PER_S, Features
from pampa.core.speech.sounds import Sounds

NOTHING_DB = -120.0


@dataclass(frozen=True)
class Lying:
    """Where a recording begins, in frames of any common time, and how its clock runs against that."""

    heard: Heard
    begins: int
    drift_ppm: float = 0.0


@dataclass(frozen=True)
class PlacedFind:
    """A find in frames of its recording after drift is taken out, as clips count them."""

    kind: Kind
    recording: int
    """The index of the recording among those that were given."""
    start: int
    stop: int
    confidence: float
    evidence: str
    alone: bool
    pause_s: float


def find_placed(recordings: Sequence[Lying]) -> list[PlacedFind]:
    """The finds of recordings that lie at their places: each tied to its recording, so that cuts do not move it."""
    first = min((each.begins for each in recordings), default=0)
    found = find(together(recordings))
    placed = []
    for each in found:
        before = recordings[each.track].begins - first
        start, stop = (round(edge * RATE) - before for edge in (each.start_s, each.end_s))
        placed.append(
            PlacedFind(
                each.kind, each.track, max(start, 0), stop, each.confidence, each.evidence, each.alone, each.pause_s
            )
        )
    return placed


def together(recordings: Sequence[Lying]) -> list[Heard]:
    """What was heard of recordings, on the time of the one that begins first."""
    first = min((each.begins for each in recordings), default=0)
    return [on_time(each, each.begins - first) for each in recordings]


def on_time(lying: Lying, later: int) -> Heard:
    """What was heard of a recording, on a time that begins `later` frames before it; less than 0: after it."""
    pace = 1 + lying.drift_ppm * 1e-6
    features, clicks = lying.heard.features, lying.heard.clicks
    frames = round(later * PER_S / RATE) + round(features.frames * pace)
    local = np.round((np.arange(frames) - later * PER_S / RATE) / pace).astype(np.int64)
    inside = (local >= 0) & (local < features.frames)
    here = np.clip(local, 0, max(features.frames - 1, 0))

    def moved(curve: NDArray[Any], outside: float) -> NDArray[Any]:
        if not len(curve):
            return np.full((frames, *curve.shape[1:]), outside, curve.dtype)
        where = inside if curve.ndim == 1 else inside[:, None]
        return np.where(where, curve[here], curve.dtype.type(outside))

    on_time = Features(
        *(moved(curve, NOTHING_DB) for curve in (features.speech, features.voice, features.air, features.parts)),
        *(moved(curve, 0.0) for curve in (features.peak, features.voicing, features.pitch_hz)),
    )
    moved_clicks = [
        replace(click, start=later + round(click.start * pace), stop=later + round(click.stop * pace))
        for click in clicks
    ]
    return Heard(on_time, moved_clicks, Sounds(*(moved(curve, 0) for curve in vars(lying.heard.sounds).values())))


def packed(heard: Heard) -> dict[str, NDArray[Any]]:
    """Plain arrays, to be kept."""
    clicks = np.array([(click.start, click.stop, click.over_db) for click in heard.clicks]).reshape(-1, 3)
    return {**vars(heard.features), **vars(heard.sounds), "clicks": clicks}


def unpacked(arrays: dict[str, NDArray[Any]]) -> Heard:
    """What `packed` was given."""
    clicks = [Click(int(start), int(stop), float(over)) for start, stop, over in arrays["clicks"]]
    features = Features(**{each.name: arrays[each.name] for each in fields(Features)})
    return Heard(features, clicks, Sounds(**{each.name: arrays[each.name] for each in fields(Sounds)}))
