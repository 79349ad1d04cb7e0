"""What each moment of a recording is: which phone, and whether word, filler, agreement or breath.

A small network listens to mel bands as they lie against the talk of the recording and against its room, so that levels
and microphones matter little, and moved by as much as a throat is longer or shorter than those that it knows. The
weights beside this file were trained by `training/listening.py` on voices that say when each sound of theirs begins, in
rooms and over calls of all sorts. What is taken back is told by a second one, in `taken_back.py`, from what the first
has told.
"""

from dataclasses import dataclass
from functools import cache, partial

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.executor import Executor, Inline
from pampa.core.network import convolved, weights_in
from pampa.core.speech.features import BANDS, PER_S, Features, Matrix
from pampa.core.speech.taken_back import taken_back

PHONES = (
    "sil", "aa", "ae", "ah", "ao", "aw", "ay", "b", "ch", "d", "dh", "eh", "er", "ey", "f", "g", "hh", "ih", "iy", "jh",
    "k", "l", "m", "n", "ng", "ow", "oy", "p", "r", "s", "sh", "t", "th", "uh", "uw", "v", "w", "y", "z", "zh",
)  # fmt: skip
"""Silence, and the 39 phones of the CMU Pronouncing Dictionary."""
KINDS = ("rest", "word", "filler", "phrase", "agree", "breath")
"""A filler is an um, uh or er; a phrase one of the words that fill (you know, I mean, like)."""
INPUTS = 2 * BANDS + 2
WIDTH = 192
DILATIONS = (1, 2, 4, 8, 16, 32, 64, 1, 3, 9)
CONTEXT = sum(DILATIONS)
"""Frames on either side of a frame that what it is depends on."""
BLOCK = 30 * PER_S
LOUD_DB = 25.0
AGAINST_TALK, OVER_ROOM = (-3.0, 2.0), (-1.5, 3.0)
MOVES = (-2.0, -1.0, 0.0, 1.0, 2.0)
"""Mel bands that a recording may be moved by before it is listened to."""
TRIED, PARTS, SURELY_VOICED, SURELY_LOUD = 10 * PER_S, 6, 0.7, -1.0
"""Which move is best is told from so many of the liveliest stretches; there, from frames so voiced and so loud."""


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
    executor = executor or Inline()
    seen = np.pad(inputs(features, mel), ((CONTEXT, CONTEXT), (0, 0)))
    starts = range(0, features.frames, BLOCK)
    parts = list(executor.map(partial(_of_block, seen, best_move(seen, executor)), starts))
    if not parts:
        return Sounds(*(np.zeros((0, *rest), np.uint8) for rest in ((len(KINDS),), (), (len(PHONES),))))
    kinds, broken_off, phones = (np.concatenate(column) for column in zip(*parts, strict=True))
    return Sounds(kinds, taken_back(seen[CONTEXT:-CONTEXT], kinds, broken_off, phones, executor), phones)


def moved(seen: Matrix, bands: float) -> Matrix:
    """The same with what was in each mel band so many bands higher: a voice of a shorter throat. Shape as it was.

    Resonances of a throat that is shorter by some share are higher by that share, which on the mel scale, logarithmic
    where they lie, is nearly the same number of bands for all of them.
    """
    if not bands:
        return seen
    places = np.clip(np.arange(BANDS) - bands, 0, BANDS - 1)
    low = places.astype(int)
    share = (places - low).astype(np.float32)
    high = np.minimum(low + 1, BANDS - 1)
    out = seen.copy()
    for first in (0, BANDS):
        out[:, first : first + BANDS] = seen[:, first + low] * (1 - share) + seen[:, first + high] * share
    return out


def best_move(seen: Matrix, executor: Executor) -> float:
    """The one of MOVES after which the network is surest of the phones that it hears: bands.

    seen : inputs with CONTEXT frames before and after. How long a speaker's throat is says nothing of what is said.
    Source: Lee & Rose, A frequency warping approach to speaker normalization, IEEE Trans. Speech Audio 6 (1998).
    """
    voiced = (seen[:, 2 * BANDS] > SURELY_VOICED) & (seen[:, :BANDS].mean(axis=1) > SURELY_LOUD)
    starts = np.arange(0, max(len(seen) - 2 * CONTEXT, 0), TRIED)
    lively = [int(voiced[start + CONTEXT :][:TRIED].sum()) for start in starts]
    chosen = [int(start) for start in starts[np.argsort(lively, kind="stable")[::-1][:PARTS]]]
    told = list(executor.map(partial(_sureness, seen, voiced), chosen))
    sums = np.sum(told, axis=0) if told else np.zeros(len(MOVES))
    return MOVES[int(np.argmax(sums))] if np.any(sums) else 0.0


def _sureness(seen: Matrix, voiced: NDArray[np.bool_], start: int) -> list[float]:
    """How sure of its phones a network is over one stretch, for each move: sums of logarithms, of the same frames."""
    here = seen[start : start + TRIED + 2 * CONTEXT]
    said = voiced[start + CONTEXT :][: len(here) - 2 * CONTEXT]
    return [float(_best_phone(moved(here, bands))[said].sum()) for bands in MOVES]


def _best_phone(seen: Matrix) -> Matrix:
    """The logarithm of the probability of the likeliest phone of each frame."""
    phones = _sums(seen)[:, len(KINDS) + 1 :]
    return np.asarray(scipy.special.log_softmax(phones, axis=1).max(axis=1))


def _sums(seen: Matrix) -> Matrix:
    return np.asarray(convolved(seen, *weights(), np.array(DILATIONS)))


def _of_block(seen: Matrix, bands: float, start: int) -> tuple[NDArray[np.uint8], ...]:
    return told(seen[start : start + BLOCK + 2 * CONTEXT], bands)


def told(seen: Matrix, bands: float) -> tuple[NDArray[np.uint8], ...]:
    """Kinds, that somebody breaks off, and phones, as in `Sounds`, by the first network alone.

    seen : inputs with CONTEXT frames before and after. bands : see `moved`.
    """
    sums = _sums(moved(seen, bands))
    kinds, broken_off, phones = np.split(sums, (len(KINDS), len(KINDS) + 1), axis=1)
    shares = (
        scipy.special.softmax(kinds, axis=1),
        scipy.special.expit(broken_off[:, 0]),
        np.sqrt(scipy.special.softmax(phones, axis=1)),
    )
    return tuple(np.round(255 * share).astype(np.uint8) for share in shares)


@cache
def weights() -> tuple[Matrix, ...]:
    return weights_in("pampa.core.speech", "sounds")
