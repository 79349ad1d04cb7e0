"""How one person's words lie: what they are by the network's judgement, and the stops before and after."""

import numpy as np
import scipy

from pampa.core.speech.activity import Activity
from pampa.core.speech.detector import Bools
from pampa.core.speech.features import PER_S, Matrix
from pampa.core.speech.sounds import KINDS, Sounds

LONGEST = PER_S


def said_of(sounds: Sounds, person: Activity, kind: str) -> Matrix:
    """The probability of a kind at each moment at which both are known, evened over 50 ms: shape (frames,)."""
    share = sounds.kinds[: person.talking.size, KINDS.index(kind)] / np.float32(255)
    evened = scipy.ndimage.uniform_filter1d(share, 5, mode="constant") if share.size else share
    return np.asarray(evened, np.float32)


def wait_before(talking: Bools, at: int) -> int:
    """Frames without talk right before a frame, at most `LONGEST`."""
    before = talking[max(at - LONGEST, 0) : at][::-1]
    return int(np.argmax(before)) if before.any() else LONGEST


def wait_after(talking: Bools, at: int) -> int:
    after = talking[at : at + LONGEST]
    return int(np.argmax(after)) if after.any() else LONGEST
