"""A voice treated by itself: for a file outside of an episode."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, partial

import numpy as np

from pampa.core.executor import Executor
from pampa.core.loudness.measure import measure_source
from pampa.core.sound import Curve, Segment, Source, segments
from pampa.core.speech.detector import where_spoken
from pampa.core.speech.level import speech_level
from pampa.core.voice.chain import Known, Treated, known_of, reports, treat
from pampa.core.voice.heard import Heard, heard_in
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.stages import Facts


@dataclass(frozen=True, eq=False)
class Voice:
    """A recording at 48 kHz with what is known of the voice in it."""

    source: Source
    energy: Curve

    @cached_property
    def heard(self) -> Heard:
        return heard_in(self.source, self.energy)

    @cached_property
    def facts(self) -> Facts:
        return Facts(speech_level(self.energy), self.energy, lambda: self.heard)

    def treated(self, recipe: Recipe, executor: Executor) -> Iterator[Treated]:
        """The voice after all stages that a recipe asks for, segment by segment, in order."""
        known = known_of(self.facts, recipe)
        return executor.map(partial(_treated, self.source, recipe, known), segments(self.source.frames))

    def told(self, recipe: Recipe, taken: Sequence[Mapping[str, Curve]]) -> dict[str, str]:
        """What each stage does, in words and numbers. taken : of all segments, in order."""
        active = where_spoken(self.energy)
        found: dict[str, Curve] = {}
        for name in taken[0] if taken else ():
            curve = np.concatenate([each[name] for each in taken])
            cells = min(curve.size, active.size)
            found[name] = curve[:cells][active[:cells]]
        return reports(recipe, found)


def voice_in(source: Source, executor: Executor | None = None) -> Voice:
    """The voice in a source at 48 kHz."""
    return Voice(source, measure_source(source, executor).energy)


def _treated(source: Source, recipe: Recipe, known: Known, segment: Segment) -> Treated:
    return treat(source, segment, recipe, known)
