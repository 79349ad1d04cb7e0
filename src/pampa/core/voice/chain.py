"""A voice treated: what its stages must know, and any stretch of it. A pure function of sound, recipe and place."""

from collections.abc import Mapping

import numpy as np

from pampa.core.sound import FloatArray, Segment, Source
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.stages import STAGES, Facts, Knowledge

VERSION = 1
"""Raised whenever the same recipe would give other samples, so that nothing old is taken from a cache."""

Known = Mapping[str, Knowledge]
"""By the names of stages, what they know of the recording."""


def known_of(facts: Facts) -> Known:
    """What every stage must know of a recording."""
    return {stage.name: stage.measure(facts) for stage in STAGES}


def treat(source: Source, segment: Segment, recipe: Recipe, known: Known) -> FloatArray:
    """One segment after all stages that the recipe asks for, shape (segment frames, channels).

    They settle together over the longest of their run-ins; before the beginning of a recording there is silence.
    Whatever order segments are computed in, they come out the same.
    """
    stages = [stage for stage in STAGES if stage.is_on(recipe)]
    run_in = max((stage.run_in for stage in stages), default=0)
    sound = source.read(segment.start - run_in, segment.stop + sum(stage.look_ahead for stage in stages))
    sound = np.array(sound)  # a source may hand out what is its own
    for stage in stages:
        sound = stage.work(sound, known[stage.name], recipe)
    return np.ascontiguousarray(sound[run_in : run_in + segment.stop - segment.start])
