"""A voice treated: what its stages must know, and any stretch of it. A pure function of sound, recipe and place."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from pampa.core.sound import Curve, FloatArray, Segment, Source
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.stages import CELL, STAGES, Facts, Knowledge, Stage, Stretch

VERSION = 9
"""Raised whenever the same recipe would give other samples, so that nothing old is taken from a cache."""

Known = Mapping[str, Knowledge]
"""By the names of stages, what they know of the recording."""


def known_of(facts: Facts, recipe: Recipe) -> Known:
    """What the stages that a recipe asks for must know of a recording."""
    return {stage.name: _knowledge(stage, facts) for stage in STAGES if stage.is_on(recipe)}


@lru_cache(128)
def _knowledge(stage: Stage, facts: Facts) -> Knowledge:
    """What a stage must know, worked out once: a recipe is changed more often than a recording."""
    return stage.measure(facts)


@dataclass(frozen=True, eq=False)
class Treated:
    """A segment after all stages that a recipe asks for.

    sound : shape (segment frames, channels). taken : by the names of stages, what each takes in dB, for each 20 ms.
    """

    sound: FloatArray
    taken: Mapping[str, Curve]


def treat(source: Source, segment: Segment, recipe: Recipe, known: Known, *, only: str | None = None,
          settle: int | None = None) -> Treated:  # fmt: skip
    """One segment after all stages that the recipe asks for.

    Each settles before the one after it begins to; before the beginning of a recording there is silence.
    Whatever order segments are computed in, they come out the same.

    only : the name of a stage that is on, for the sound that it takes away, exactly what comes out of it less than
    goes in: as loud as it is there, with nothing done to it by the stages after it. settle : frames to either side that
    will do for the stages, whole cells, where the sound is measured and not heard.
    """
    stages = [stage for stage in STAGES if stage.is_on(recipe)]
    if only is not None:
        stages = stages[: [stage.name for stage in stages].index(only) + 1]
    run_in, look_ahead = sum(stage.run_in for stage in stages), sum(stage.look_ahead for stage in stages)
    if settle is not None:
        run_in, look_ahead = min(run_in, settle), min(look_ahead, settle)
    sound = source.read(segment.start - run_in, segment.stop + look_ahead)
    sound = np.array(sound)  # a source may hand out what is its own
    taken = {}
    first, cells = run_in // CELL, -(-(segment.stop - segment.start) // CELL)
    for stage in stages:
        before = sound.copy() if stage.name == only else sound
        sound, curve = stage.work(Stretch(sound, segment.start - run_in), known[stage.name], recipe)
        if curve is not None:
            taken[stage.name] = curve[first : first + cells]
        if stage.name == only:
            sound = before - sound
    return Treated(np.ascontiguousarray(sound[run_in : run_in + segment.stop - segment.start]), taken)


def reports(recipe: Recipe, taken: Mapping[str, Curve]) -> dict[str, str]:
    """What each stage does, in words and numbers, in the order of the chain; those that are off say nothing.

    taken : as of `Treated`, of all places where somebody talks.
    """
    nothing = np.zeros(0)
    return {stage.name: stage.report(recipe, taken.get(stage.name, nothing)) for stage in STAGES if stage.is_on(recipe)}
