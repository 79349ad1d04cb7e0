"""The voice treatment of one segment: tone, then compression. A pure function of sound, recipe and place."""

import math

import numpy as np

from pampa.core.sound import RATE, FloatArray, Segment, Source
from pampa.core.voice import kernels
from pampa.core.voice.equaliser import tone_sections
from pampa.core.voice.recipe import Recipe

VERSION = 1
"""Raised whenever the same recipe would give other samples, so that nothing old is taken from a cache."""

RUN_IN = 2 * RATE
STEP = 16
"""Frames of one value of the compressor's gain: 0.33 ms, well under its attack."""
LOOK_AHEAD = 15 * STEP
KNEE_DB = 6.0
ATTACK_S, RELEASE_S = 0.006, 0.160
OVER_SPEECH_DB = 3.0
"""The threshold stands this far over the speech level, so that a loud syllable loses 3 to 4 dB at 2.5:1."""


def threshold_of(speech_level_lufs: float) -> float:
    """The compressor's threshold in dBFS for a person of that speech level."""
    return speech_level_lufs + OVER_SPEECH_DB


def treat_segment(source: Source, segment: Segment, recipe: Recipe, *, threshold_db: float) -> FloatArray:
    """One segment after the voice treatment, shape (segment frames, channels).

    The sound from `RUN_IN` frames before settles filters and detector; before the beginning there is silence.
    Whatever order segments are computed in, they come out the same.
    """
    sound = source.read(segment.start - RUN_IN, segment.stop + LOOK_AHEAD)
    sections = tone_sections(recipe, source.rate)
    if len(sections):
        sound = kernels.filter_sections(np.ascontiguousarray(sound), sections)
    frames = segment.stop - segment.start
    treated = sound[RUN_IN : RUN_IN + frames]
    if recipe.ratio <= 1:
        return np.ascontiguousarray(treated)
    gain_db = _gain_db(sound, recipe, threshold_db)
    # The gain at a frame is what the detector says LOOK_AHEAD frames later: it is down before the peak comes.
    first = (RUN_IN + LOOK_AHEAD) // STEP
    steps = gain_db[first - 1 : first + -(-frames // STEP) + 1]
    places = (np.arange(frames) + STEP / 2) / STEP
    gain = 10 ** (np.interp(places, np.arange(steps.size), steps) / 20)
    return treated * gain.astype(np.float32)[:, None]


def _gain_db(sound: FloatArray, recipe: Recipe, threshold_db: float) -> FloatArray:
    whole = -(-len(sound) // STEP) * STEP
    padded = np.zeros((whole + STEP, sound.shape[1]), np.float32)
    padded[: len(sound)] = sound
    peaks = np.abs(padded).reshape(-1, STEP * sound.shape[1]).max(axis=1).astype(np.float64)
    return kernels.compressor_gain_db(
        peaks, threshold_db, recipe.ratio, KNEE_DB, _one_pole(ATTACK_S), _one_pole(RELEASE_S)
    )


def _one_pole(seconds: float) -> float:
    return math.exp(-STEP / (RATE * seconds))
