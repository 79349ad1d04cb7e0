"""Breaths of each person: what stands over the room and has no voice, and what the network hears as one."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pampa.core.finds import judge
from pampa.core.finds.finds import Find
from pampa.core.finds.words import said_of, wait_after, wait_before
from pampa.core.runs import runs_of
from pampa.core.speech.activity import Activity
from pampa.core.speech.breaths import find_breaths, over_room
from pampa.core.speech.features import PER_S, Features, Matrix
from pampa.core.speech.sounds import KINDS, Sounds

KEEN = 0.6
"""The share of what a breath must stand over the room at which it is looked at here."""
MAY_BE, BRIDGE, SHORTEST, LONGEST = 0.4, 5, round(0.14 * PER_S), round(1.1 * PER_S)
SURE = 0.5


@dataclass(frozen=True)
class Breath:
    """Frames, how many dB it stands over the room, how sure."""

    first: int
    last: int
    height_db: float
    sure: float


def find_breathing(
    n: int, features: Sequence[Features], sounds: Sequence[Sounds], people: Sequence[Activity]
) -> list[Breath]:
    """The breaths of person n."""
    over = over_room(features[n].parts) if features[n].frames else np.zeros(0, np.float32)
    runs = candidates_of(features[n], sounds[n], people[n])
    loudest = loudest_of(features[n])
    rows = [measures(run, n, over, loudest, features, sounds[n], people[n]) for run in runs]
    sure = judge.sure("breath", rows)
    return [
        Breath(first, last, float(np.median(over[first:last])), share)
        for (first, last), share in zip(runs, sure.tolist(), strict=True) if share >= SURE
    ]  # fmt: skip


def candidates_of(features: Features, sounds: Sounds, person: Activity) -> list[tuple[int, int]]:
    """Frames of all that may be a breath, in order; what both ways find counts once."""
    found = [(int(first), int(last)) for first, last in find_breaths(features, person)[0]]
    keenly = find_breaths(features, person, KEEN)[0].tolist()
    heard = runs_of(said_of(sounds, person, "breath") > MAY_BE, bridge=BRIDGE).tolist()
    for first, last in (*keenly, *heard):  # the surest has the best edges
        met = any(first < b and a < last for a, b in found)
        if not met and SHORTEST <= last - first <= LONGEST:
            found.append((first, last))
    return sorted(found)


def loudest_of(features: Features) -> float:
    """The level of the s and f of a mouth in dB."""
    return float(np.percentile(features.air, 97)) if features.frames else 0.0


def measures(
    run: tuple[int, int], n: int, over: Matrix, loudest: float, features: Sequence[Features], sounds: Sounds,
    person: Activity,
) -> judge.Measures:  # fmt: skip
    """What speaks for and against a breath. over : of `over_room`, loudest : of `loudest_of`, both of person n."""
    first, last = run
    here, own = slice(first, last), features[n]
    shares = sounds.kinds[here] / np.float32(255)
    breath = shares[:, KINDS.index("breath")]
    others = [float(np.median(other.air[here])) for k, other in enumerate(features) if k != n and other.air[here].size]
    air = float(np.median(own.air[here]))
    leaks = person.leak[here].max() > -190
    return {
        "breathes": float(breath.mean()),
        "breathes most": float(breath.max()),
        "breathes least": float(np.percentile(breath, 30)),
        **dict(zip(KINDS, shares.mean(axis=0).tolist(), strict=True)),
        "over room": float(np.median(over[here])) / 5,
        "over room least": float(over[here].min()) / 5,
        "length": np.log((last - first) / 35),
        "others louder": float(np.clip(max(others, default=-120.0) - air, -40, 40)) / 20,
        "under loudest breath": (air - loudest) / 20,
        "under own talk": float(np.median(person.level[here]) - person.top_db) / 20,
        "voiced": float(own.voicing[here].mean()),
        "leak over room": float(np.median(person.leak[here]) - person.floor_db) / 40 if leaks else -2.0,
        "wait before": wait_before(person.talking, first) / 30,
        "wait after": wait_after(person.talking, last) / 30,
    }


def as_find(track: int, each: Breath) -> Find:
    words = f"{each.height_db:.0f} dB over the room, no voice."
    return Find("breath", track, each.first / PER_S, each.last / PER_S, round(min(each.sure, 0.98), 2), words)


def runs(breaths: Sequence[Breath]) -> NDArray[np.int64]:
    """Frames of breaths, shape (breaths, 2)."""
    return np.array([(each.first, each.last) for each in breaths], np.int64).reshape(-1, 2)
