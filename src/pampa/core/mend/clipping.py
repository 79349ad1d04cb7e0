"""Clipped tops rebuilt: what was cut off lies beyond the limit, and goes on as the sound around it does.

Autoregressive interpolation (`prediction`) in rounds; a rebuilt sample that falls short of the limit is held there, and
the others are solved again.
"""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from pampa.core.errors import SignalError
from pampa.core.mend.patches import Patches
from pampa.core.mend.prediction import Wave, filled, predictor
from pampa.core.sound import RATE, FloatArray, Source

ORDER = 48
AROUND = 1536
NEAR, MOST = RATE // 100, RATE // 12
ROUNDS, HOLDS = 3, 4
TOUCHES = 0.985
"""Resampling moves the edge of a flat top a little: what comes so near to the limit beside it was cut off too."""
ALL_LOST = 0.6


def rebuilt(source: Source, stretches: NDArray[np.float64]) -> Patches:
    """Patches for clipped stretches, given in seconds, shape (stretches, 2). Stretches of any channel count for all."""
    places = np.stack([np.floor(stretches[:, 0] * RATE) - 1, np.ceil(stretches[:, 1] * RATE) + 1], axis=1)
    clusters = _clusters(places.astype(np.int64))
    return Patches.of((_cluster(source, cluster) for cluster in clusters), source.channels)


def _clusters(places: NDArray[np.int64]) -> Iterator[NDArray[np.int64]]:
    """Stretches that are rebuilt together, because they lie close."""
    begin = 0
    for index in range(1, len(places) + 1):
        if (
            index == len(places)
            or places[index, 0] - places[index - 1, 1] > NEAR
            or places[index, 1] - places[begin, 0] > MOST
        ):
            yield places[begin:index]
            begin = index


def _cluster(source: Source, places: NDArray[np.int64]) -> tuple[int, FloatArray]:
    first, last = int(places[0, 0]) - AROUND, int(places[-1, 1]) + AROUND
    sound = source.read(first, last).astype(np.float64)
    for channel in range(sound.shape[1]):
        sound[:, channel] = _rebuilt(sound[:, channel], places - first)
    inside = slice(int(places[0, 0]) - first, int(places[-1, 1]) - first)
    return int(places[0, 0]), sound[inside].astype(np.float32)


def _rebuilt(wave: Wave, places: NDArray[np.int64]) -> Wave:
    lost = np.concatenate([np.arange(start, stop) for start, stop in places])
    limit = np.abs(wave[lost]).max()
    lost = lost[np.abs(wave[lost]) >= TOUCHES * limit]
    if limit == 0 or lost.size > ALL_LOST * (places[-1, 1] - places[0, 0] + RATE // 200):
        return wave
    side, held = np.sign(wave[lost]), wave[lost].copy()
    out = wave.copy()
    for _ in range(ROUNDS):
        model = predictor(out, ORDER)
        free = np.ones(lost.size, bool)
        for _ in range(HOLDS):
            trial = wave.copy()
            trial[lost[free]] = filled(trial, lost[free], model)
            short = free & (side * trial[lost] < side * held)
            if not np.isfinite(trial).all():
                raise SignalError("A clipped place could not be rebuilt. Nothing was changed.")
            if not short.any():
                break
            free &= ~short
            if not free.any():
                return wave
        out = trial
        out[lost] = side * np.maximum(side * out[lost], side * held)
    return out
