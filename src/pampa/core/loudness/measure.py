"""A full measurement of a sound of any length: a map over segments and a merge."""

import math
from dataclasses import dataclass
from functools import partial

import numpy as np

from pampa.core.errors import SignalError
from pampa.core.executor import Executor, Inline
from pampa.core.loudness import kernels
from pampa.core.loudness.gating import (
    MOMENTARY_CELLS,
    SHORT_TERM_CELLS,
    integrated_loudness,
    loudest,
    loudness_range,
)  # fmt: skip
from pampa.core.loudness.parts import LoudnessPart, cell_bounds, merge
from pampa.core.loudness.weighting import channel_weights, k_weighting
from pampa.core.sound import RATE, ArraySource, Curve, FloatArray, Segment, Source, require_sound, segments

RUN_IN_S = 0.25
"""The weighting filter has forgotten what was before: its slowest pole is below 1e-20 by then."""


@dataclass(frozen=True)
class Loudness:
    """The figures of one programme. None where the standard gives no value: silence, or too short."""

    integrated_lufs: float | None
    loudness_range_lu: float | None
    max_momentary_lufs: float | None
    max_short_term_lufs: float | None
    true_peak_dbtp: float | None
    sample_peak_dbfs: float | None


def measure_part(sound: FloatArray, rate: int, *, lead: int = 0, frames: int | None = None) -> LoudnessPart:
    """Energies and peaks of `frames` frames of `sound` that begin at `lead`.

    What lies before and after lets the filter settle and the interpolation see its neighbours; where the
    programme begins or ends, nothing lies there, which counts as silence.

    Raises SignalError if a sample is not finite.
    """
    sound = require_sound(sound)
    frames = sound.shape[0] - lead if frames is None else frames
    peak = float(kernels.sample_peak(sound, lead, frames))
    if math.isnan(peak):
        raise SignalError("The sound holds samples that are not numbers. Nothing was changed; export it again.")
    bounds = cell_bounds(frames, rate)
    energy = np.zeros(bounds.size - 1)
    top = peak
    for channel, weight in enumerate(channel_weights(sound.shape[1])):
        if weight:
            kernels.add_energy(sound, channel, lead, bounds, k_weighting(rate), weight, energy)
        top = max(top, float(kernels.true_peak(sound, channel, lead, frames, kernels.interpolator(), top)))
    return LoudnessPart(energy / np.diff(bounds), peak, top)


def measure_energy(sound: FloatArray, rate: int) -> Curve:
    """K-weighted mean square of each 20 ms of a sound by itself, shape (cells,): a part without its peaks."""
    sound = require_sound(sound)
    bounds = cell_bounds(sound.shape[0], rate)
    energy = np.zeros(bounds.size - 1)
    for channel, weight in enumerate(channel_weights(sound.shape[1])):
        if weight:
            kernels.add_energy(sound, channel, 0, bounds, k_weighting(rate), weight, energy)
    return energy / np.diff(bounds)


def measure_segment(source: Source, segment: Segment) -> LoudnessPart:
    """The part that one segment of `source` contributes."""
    lead = min(round(RUN_IN_S * source.rate), segment.start)
    sound = source.read(segment.start - lead, segment.stop + kernels.EDGE)
    return measure_part(sound, source.rate, lead=lead, frames=segment.stop - segment.start)


def measure_source(source: Source, executor: Executor | None = None) -> LoudnessPart:
    """Energies and peaks of a whole source, segment by segment; memory does not grow with length."""
    grid = segments(source.frames, source.rate)
    return merge((executor or Inline()).map(partial(measure_segment, source), grid))


def summarise(part: LoudnessPart) -> Loudness:
    """The figures that a merged part stands for."""
    return Loudness(
        integrated_lufs=integrated_loudness(part.energy),
        loudness_range_lu=loudness_range(part.energy),
        max_momentary_lufs=loudest(part.energy, MOMENTARY_CELLS),
        max_short_term_lufs=loudest(part.energy, SHORT_TERM_CELLS),
        true_peak_dbtp=to_db(part.true_peak),
        sample_peak_dbfs=to_db(part.sample_peak),
    )


def measure(sound: FloatArray, rate: int = RATE) -> Loudness:
    """All figures of a sound in memory: float32, shape (frames,) or (frames, channels).

    Sources: ITU-R BS.1770-5; EBU Tech 3341; EBU Tech 3342.
    """
    return summarise(measure_source(ArraySource(require_sound(sound), rate)))


def to_db(peak: float) -> float | None:
    """Level of a linear peak in dB, None for digital silence."""
    return 20 * math.log10(peak) if peak > 0 else None
