"""What each moment of a recording is: which phone, and whether word, filler, agreement or breath.

A small network listens to mel bands as they lie against the talk of the recording and against its room, so that levels
and microphones matter little. The weights beside this file were trained by `training/listening.py` on voices that
say when each sound of theirs begins, in rooms and over calls of all sorts.
"""

from dataclasses import dataclass
from functools import cache, partial
from importlib.resources import files

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.arrays import arrays_in
from pampa.core.executor import Executor, Inline
from pampa.core.network import convolved
from pampa.core.speech.features import BANDS, PER_S, Features, Matrix

PHONES = (
    "sil", "aa", "ae", "ah", "ao", "aw", "ay", "b", "ch", "d", "dh", "eh", "er", "ey", "f", "g", "hh", "ih", "iy", "jh",
    "k", "l", "m", "n", "ng", "ow", "oy", "p", "r", "s", "sh", "t", "th", "uh", "uw", "v", "w", "y", "z", "zh",
)  # fmt: skip
"""Silence, and the 39 phones of the CMU Pronouncing Dictionary."""
KINDS = ("rest", "word", "filler", "phrase", "agree", "breath")
"""A filler is an um, uh or er; a phrase one of the words that fill (you know, I mean, like)."""
INPUTS = 2 * BANDS + 2
WIDTH = 128
DILATIONS = (1, 2, 4, 8, 16, 32, 64)
CONTEXT = sum(DILATIONS)
"""Frames on either side of a frame that what it is depends on."""
BLOCK = 30 * PER_S
LOUD_DB = 25.0
AGAINST_TALK, OVER_ROOM = (-3.0, 2.0), (-1.5, 3.0)
LAYERS = ("into", "into_bias", "taps", "taps_bias", "mix", "mix_bias", "out", "out_bias")


@dataclass(frozen=True, eq=False)
class Sounds:
    """Probabilities for each 10 ms of a recording, as parts of 255."""

    kinds: NDArray[np.uint8]
    """Shape (frames, 6), in the order of KINDS."""
    taken_back: NDArray[np.uint8]
    """That what is said is said again at once, shape (frames,)."""
    phones: NDArray[np.uint8]
    """Square roots of probabilities, shape (frames, 40), in the order of PHONES: their product says how alike two
    moments are (the Bhattacharyya coefficient)."""

    @property
    def frames(self) -> int:
        return len(self.kinds)


def inputs(features: Features, mel: Matrix) -> Matrix:
    """What the network sees of a recording: shape (frames, INPUTS)."""
    if not features.frames:
        return np.zeros((0, INPUTS), np.float32)
    loud = features.speech > np.percentile(features.speech, 97) - LOUD_DB
    against = (mel - mel[loud].mean(axis=0)) / 3
    over = (mel - np.percentile(mel, 10, axis=0)) / 3 - 1
    voiced = loud & (features.voicing > 0.7)
    usual = np.median(features.pitch_hz[voiced]) if voiced.any() else 150.0
    pitch = np.clip(np.log2(features.pitch_hz / usual), -1, 1) * features.voicing
    columns = (np.clip(against, *AGAINST_TALK), np.clip(over, *OVER_ROOM), features.voicing[:, None], pitch[:, None])
    return np.concatenate(columns, axis=1).astype(np.float32)


def listen(features: Features, mel: Matrix, executor: Executor | None = None) -> Sounds:
    """What each moment of a recording is."""
    seen = np.pad(inputs(features, mel), ((CONTEXT, CONTEXT), (0, 0)))
    starts = range(0, features.frames, BLOCK)
    parts = list((executor or Inline()).map(partial(_of_block, seen), starts))
    if not parts:
        return Sounds(*(np.zeros((0, *rest), np.uint8) for rest in ((len(KINDS),), (), (len(PHONES),))))
    return Sounds(*(np.concatenate(column) for column in zip(*parts, strict=True)))


def _of_block(seen: Matrix, start: int) -> tuple[NDArray[np.uint8], ...]:
    sums = convolved(seen[start : start + BLOCK + 2 * CONTEXT], *weights(), np.array(DILATIONS))
    kinds, taken_back, phones = np.split(sums, (len(KINDS), len(KINDS) + 1), axis=1)
    shares = (
        scipy.special.softmax(kinds, axis=1),
        scipy.special.expit(taken_back[:, 0]),
        np.sqrt(scipy.special.softmax(phones, axis=1)),
    )
    return tuple(np.round(255 * share).astype(np.uint8) for share in shares)


@cache
def weights() -> tuple[Matrix, ...]:
    kept = arrays_in(str(files("pampa.core.speech") / "sounds.npz"))
    return tuple(np.ascontiguousarray(kept[name], np.float32) for name in LAYERS)
