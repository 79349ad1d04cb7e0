"""Recordings that do not hear each other, with claps made together among doors that slam and knocks on tables."""

import numpy as np
import soxr
from numpy.typing import NDArray

from bench.conversations import RATE, Case, conversation
from pampa.core.sync.features import WORK_RATE

Mono = NDArray[np.float64]


def slated(seconds: float, seed: int, *, claps: int, together: bool = True, offset_s: float = 3.4, others: int = 4
           ) -> Case:  # fmt: skip
    """Two people; `claps` of both in the first 40 s, and for each `others` slams and knocks of their own.

    together : False for people of two different conversations who happen to clap at one moment.
    """
    rng = np.random.default_rng(seed)
    sides = 0.5 * conversation(seconds, seed)
    if not together:
        sides[1] = 0.5 * conversation(seconds, seed + 5000)[1]
    for _ in range(claps):
        at = rng.uniform(8, 40)
        for side in sides:
            _put(side, at, clap(rng) * rng.uniform(0.5, 0.9))
    for side in sides:
        for _ in range(others):
            sound = slam(rng) if rng.random() < 0.5 else knock(rng)
            _put(side, rng.uniform(60, seconds - 30), sound * rng.uniform(0.4, 0.9))
    local = sides[1, round(offset_s * RATE) :]
    heard = [side + 1e-3 * rng.standard_normal(side.size) for side in (sides[0], local)]
    there, here = (soxr.resample(side, RATE, WORK_RATE).astype(np.float32) for side in heard)
    return Case(there, here, offset_s, 0.0)


def clap(rng: np.random.Generator) -> Mono:
    """A clap of hands: noise that dies within some hundredths of a second."""
    t = np.arange(round(0.08 * RATE)) / RATE
    return np.asarray(np.exp(-t / 0.012) * rng.standard_normal(t.size))


def slam(rng: np.random.Generator) -> Mono:
    """A door: a low boom with a crack at its beginning."""
    t = np.arange(round(0.35 * RATE)) / RATE
    boom = np.sin(2 * np.pi * rng.uniform(60, 140) * t) * np.exp(-t / 0.06)
    return np.asarray(boom + 0.2 * rng.standard_normal(t.size) * np.exp(-t / 0.02))


def knock(rng: np.random.Generator) -> Mono:
    """A knuckle on wood: three modes that die fast."""
    t = np.arange(round(0.1 * RATE)) / RATE
    modes = ((220, 1.0, 0.02), (480, 0.7, 0.012), (1100, 0.3, 0.006))
    return np.asarray(sum(g * np.sin(2 * np.pi * f * rng.uniform(0.9, 1.1) * t) * np.exp(-t / d) for f, g, d in modes))


def _put(side: Mono, at_s: float, sound: Mono) -> None:
    first = round(at_s * RATE)
    side[first - RATE // 4 : first + RATE // 3] *= 0.05
    side[first : first + sound.size] += sound
