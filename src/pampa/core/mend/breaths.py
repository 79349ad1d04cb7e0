"""Breaths between sentences: found as `finds` finds them, lowered, never cut, and never within a word."""

from pampa.core.executor import Executor
from pampa.core.mend.lowering import Places, lowered
from pampa.core.sound import RATE, FloatArray, Segment, Source
from pampa.core.speech import breaths as finding
from pampa.core.speech.activity import activities
from pampa.core.speech.features import PER_S, measure_features

DEEPEST_DB = 24.0
FADE = RATE // 50


def find_breaths(source: Source, executor: Executor | None = None) -> Places:
    """The breaths of a whole recording."""
    features = measure_features(source, executor)
    (person,) = activities([features])
    return finding.find_breaths(features, person)[0] * (RATE // PER_S)


def with_softer_breaths(source: Source, segment: Segment, breaths: Places, amount: float) -> FloatArray:
    """One segment with its breaths lowered. amount : 0 to 1, of 24 dB."""
    return lowered(source, segment, breaths, DEEPEST_DB * amount, FADE)
