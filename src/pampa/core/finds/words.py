"""How one person's words lie: what they are by the network's judgement, and the stops before and after."""

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.speech.activity import Activity
from pampa.core.speech.detector import Bools
from pampa.core.speech.features import PER_S, Matrix
from pampa.core.speech.sounds import KINDS, Sounds

LONGEST = PER_S


def said_of(sounds: Sounds, person: Activity, kind: str) -> Matrix:
    """The probability of a kind at each moment at which both are known, evened over 50 ms: shape (frames,)."""
    return evened(sounds.kinds[: person.talking.size, KINDS.index(kind)], 5)


def evened(parts: NDArray[np.uint8], frames: int) -> Matrix:
    """Parts of 255 as probabilities, evened over so many frames: shape (frames,)."""
    share = parts / np.float32(255)
    if share.size:
        share = scipy.ndimage.uniform_filter1d(share, frames, mode="constant")
    return np.asarray(share, np.float32)


def wait_before(talking: Bools, at: int) -> int:
    """Frames without talk right before a frame, at most `LONGEST`."""
    before = talking[max(at - LONGEST, 0) : at][::-1]
    return int(np.argmax(before)) if before.any() else LONGEST


def wait_after(talking: Bools, at: int) -> int:
    after = talking[at : at + LONGEST]
    return int(np.argmax(after)) if after.any() else LONGEST


def words_of(sounds: Sounds, person: Activity) -> Bools:
    """Where a person says words: not a filler, not a breath."""
    count = min(sounds.frames, person.talking.size)
    kinds = sounds.kinds[:count]
    word = kinds[:, [KINDS.index("word"), KINDS.index("agree")]].astype(int).sum(axis=1)
    other = kinds[:, [KINDS.index(kind) for kind in ("rest", "filler", "phrase", "breath")]].astype(int).sum(axis=1)
    return np.asarray(person.talking[:count] & (word > other))


def clearness(sounds: Sounds, person: Activity) -> float:
    """The mean probability of the likeliest phone while somebody talks: 0 to 1."""
    words = words_of(sounds, person)
    if not words.any():
        return 0.0
    best = sounds.phones[: words.size][words][:, 1:].max(axis=1) / np.float32(255)
    return float((best**2).mean())
