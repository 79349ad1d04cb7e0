"""A voice treated: what its stages must know, and any stretch of it. A pure function of sound, recipe and place."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from pampa.core.sound import Curve, FloatArray, Segment, Source
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.stages import CELL, STAGES, Facts, Knowledge, Stretch

VERSION = 2
"""Raised whenever the same recipe would give other samples, so that nothing old is taken from a cache."""

Known = Mapping[str, Knowledge]
"""By the names of stages, what they know of the recording."""


def known_of(facts: Facts) -> Known:
    """What every stage must know of a recording."""
    return {stage.name: stage.measure(facts) for stage in STAGES}


@dataclass(frozen=True, eq=False)
class Treated:
    """A segment after all stages that a recipe asks for.

    sound : shape (segment frames, channels). taken : by the names of stages, what each takes in dB, for each 20 ms.
    """

    sound: FloatArray
    taken: Mapping[str, Curve]


def treat(source: Source, segment: Segment, recipe: Recipe, known: Known) -> Treated:
    """One segment after all stages that the recipe asks for.

    They settle together over the longest of their run-ins; before the beginning of a recording there is silence.
    Whatever order segments are computed in, they come out the same.
    """
    stages = [stage for stage in STAGES if stage.is_on(recipe)]
    run_in = max((stage.run_in for stage in stages), default=0)
    sound = source.read(segment.start - run_in, segment.stop + sum(stage.look_ahead for stage in stages))
    sound = np.array(sound)  # a source may hand out what is its own
    taken = {}
    first, cells = run_in // CELL, -(-(segment.stop - segment.start) // CELL)
    for stage in stages:
        sound, curve = stage.work(Stretch(sound, segment.start - run_in), known[stage.name], recipe)
        if curve is not None:
            taken[stage.name] = curve[first : first + cells]
    return Treated(np.ascontiguousarray(sound[run_in : run_in + segment.stop - segment.start]), taken)


def reports(recipe: Recipe, taken: Mapping[str, Curve]) -> dict[str, str]:
    """What each stage does, in words and numbers, in the order of the chain; those that are off say nothing.

    taken : as of `Treated`, of all places where somebody talks.
    """
    nothing = np.zeros(0)
    return {stage.name: stage.report(recipe, taken.get(stage.name, nothing)) for stage in STAGES if stage.is_on(recipe)}
