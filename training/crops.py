"""Crops of rendered talk to learn from: each with a colour, a size of mouth, a pace and a room of its own."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pampa.core.speech.features import BANDS
from pampa.core.speech.sounds import AGAINST_TALK, CONTEXT, OVER_ROOM
from training.learning import Batch

Mono = NDArray[np.float32]
CROP, BATCH = 900, 8
COMMON = 0.6
"""So many crops have something rare about their middle: a filler, a phrase, or what is taken back."""
WAVERS = 1 << 20


class Crops:
    """Hands out batches: what the network sees, shape (BATCH, CROP + 2 * CONTEXT, INPUTS), and what is true."""

    def __init__(self, folder: Path) -> None:
        kept = [np.load(path) for path in sorted(folder.glob("*.npz"))]
        self._all = [(each["seen"], each["truth"]) for each in kept]
        self._shares = np.array([len(seen) for seen, _ in self._all], float)
        self._shares /= self._shares.sum()
        self._floors = [_floor(seen.astype(np.float32)) for seen, _ in self._all]
        self._rare = [np.flatnonzero(np.isin(rows[:, 0], (2, 3)) | (rows[:, 2] > 0)) for _, rows in self._all]
        self._wavers = np.log(np.random.default_rng(5).gamma(4, 0.25, WAVERS)).astype(np.float32)

    def batches(self) -> Iterator[Batch]:
        rng = np.random.default_rng(7)
        while True:
            yield self.batch(rng)

    def batch(self, rng: np.random.Generator, count: int = BATCH) -> Batch:
        seen, rows = zip(*(self._one(rng) for _ in range(count)), strict=True)
        return np.stack(seen).astype(np.float16), np.stack(rows).astype(np.int64)

    def _one(self, rng: np.random.Generator) -> tuple[NDArray[Any], NDArray[Any]]:
        which = int(rng.choice(len(self._all), p=self._shares))
        seen, truth = self._all[which]
        wide = CROP + 2 * CONTEXT
        if rng.random() < COMMON and self._rare[which].size:
            centre = int(rng.choice(self._rare[which])) + int(rng.integers(-CROP // 3, CROP // 3))
        else:
            centre = int(rng.integers(0, len(seen)))
        pace = float(np.exp(rng.normal(0, 0.08)))
        at = np.round((np.arange(wide) - wide / 2) * pace).astype(int) + centre
        inside = (at >= 0) & (at < len(seen))
        at = np.clip(at, 0, len(seen) - 1)
        x = seen[at].astype(np.float32)
        throat = _of_another_size(float(np.exp(rng.normal(0, 0.04))), float(rng.normal(0, 0.8)))
        for first in (0, BANDS):
            x[:, first : first + BANDS] = x[:, first : first + BANDS] @ throat
        colour = np.interp(np.linspace(0, 4, BANDS), np.arange(5), rng.normal(0, 0.15, 5))
        x[:, :BANDS] += colour.astype(np.float32)
        if rng.random() < 0.4:
            first = int(rng.integers(0, WAVERS - wide * BANDS))
            waver = self._wavers[first : first + wide * BANDS].reshape(wide, BANDS)
            _noisier(rng, x, self._floors[which], waver)
        for _ in range(rng.integers(0, 3)):  # SpecAugment (Park et al. 2019), of bands
            wide_, low_ = int(rng.integers(1, 6)), int(rng.integers(0, BANDS))
            x[:, low_ : low_ + wide_] = x[:, :BANDS].mean()
            x[:, BANDS + low_ : min(BANDS + low_ + wide_, 2 * BANDS)] = -0.5
        x[~inside] = 0
        rows = truth[at].copy()
        rows[~inside] = 0
        return x, rows[CONTEXT:-CONTEXT]


def _of_another_size(stretch: float, shift: float) -> Mono:
    """Takes rows of mel bands to those of a mouth that is larger or smaller: shape (BANDS, BANDS)."""
    places = np.clip(np.arange(BANDS) * stretch + shift, 0, BANDS - 1)
    low = places.astype(int)
    out = np.zeros((BANDS, BANDS), np.float32)
    out[low, np.arange(BANDS)] = 1 - (places - low)
    out[np.minimum(low + 1, BANDS - 1), np.arange(BANDS)] += places - low
    return out


def _floor(seen: Mono) -> Mono:
    """How far the room's bands lie under the talk's, as logarithms, where both inputs tell it."""
    against, over = seen[:, :BANDS], seen[:, BANDS : 2 * BANDS]
    told = (over < 2.9) & (over > -1.4) & (against > -2.9)
    floors = (3 * (against - over - 1) * told).sum(axis=0) / np.maximum(told.sum(axis=0), 1)
    return np.where(told.any(axis=0), floors, -9.0).astype(np.float32)


def _noisier(rng: np.random.Generator, x: Mono, floor: Mono, waver: Mono) -> None:
    """A louder room: steady noise of some colour is added to each band."""
    level = rng.uniform(-8, -2) + np.interp(np.linspace(0, 4, BANDS), np.arange(5), rng.normal(0, 1.2, 5))
    level = level.astype(np.float32)
    louder = np.logaddexp(3 * x[:, :BANDS], level + waver)
    x[:, :BANDS] = np.clip(louder / 3, *AGAINST_TALK)
    x[:, BANDS : 2 * BANDS] = np.clip((louder - np.logaddexp(floor, level - 0.5)) / 3 - 1, *OVER_ROOM)
