"""Whether microphones stood in one room, and whether one of them was wired the other way round."""

from collections.abc import Sequence

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.sound import RATE, FloatArray, Source, to_mono
from pampa.core.speech.activity import leak_db
from pampa.core.speech.features import Features

HEARD_DB = -26.0
"""Softer than this against its own person a microphone hears others only through headphones or a wall."""
TOP_SHARE = 97.0
WINDOWS, WINDOW_S = 16, 1.0
LOW_HZ, HIGH_HZ = 120.0, 1500.0
ACROSS_S = 0.02
"""What sound takes across a room of seven metres."""
SURE = 0.5
ALIKE = 0.15


def hearing_db(features: Sequence[Features]) -> NDArray[np.float64]:
    """How loud each microphone (row) hears the person of each other one (column), against its own person, in dB.

    features : of microphones in step with one another. -200 where nothing of a person is heard, 0 of oneself.
    """
    levels = [each.speech - np.float32(np.percentile(each.speech, TOP_SHARE)) if each.frames else each.speech
              for each in features]  # fmt: skip
    out = np.zeros((len(levels), len(levels)))
    for own, level in enumerate(levels):
        for other, theirs in enumerate(levels):
            if own != other:
                count = min(level.size, theirs.size)
                out[own, other] = leak_db(level[:count], theirs[:count], 0.0)
    return out


def in_one_room(heard_db: NDArray[np.float64]) -> list[int]:
    """The microphones that hear another one's person and are heard themselves: none, or two and more."""
    together = (heard_db > HEARD_DB) & ~np.eye(len(heard_db), dtype=bool)
    either = together | together.T
    found = [n for n in range(len(heard_db)) if either[n].any()]
    return found if len(found) > 1 else []


def polarity(one: Source, other: Source, *, apart: int = 0) -> float:
    """How surely two microphones agree in polarity: 1 if they do, -1 if one of them is turned over, near 0 if that
    cannot be told.

    apart : frames by which `other` begins later. The sound of one person reaches both, so the highest peak of their
    cross-correlation, whichever way it points, tells it; many moments are asked, each by how clear it is.
    """
    frames = min(one.frames, other.frames + apart)
    size = round(WINDOW_S * RATE)
    starts = np.arange(max(apart, 0), max(frames - size, max(apart, 0)) + 1, size)
    power = np.array([_power(one, start, size) * _power(other, start - apart, size) for start in starts.tolist()])
    votes = weight = 0.0
    for start in starts[np.argsort(-power)[:WINDOWS]].tolist():
        peak = _peak(to_mono(one.read(start, start + size)), to_mono(other.read(start - apart, start - apart + size)))
        if abs(peak) > ALIKE:
            votes, weight = votes + peak, weight + abs(peak)
    return votes / weight if weight else 0.0


def _power(source: Source, start: int, size: int) -> float:
    """Of a tenth of a window, which is enough to find where somebody talks."""
    return float(np.mean(source.read(start + size // 2, start + size // 2 + size // 10).astype(np.float64) ** 2))


def _peak(one: FloatArray, other: FloatArray) -> float:
    """The highest peak of the normalised cross-correlation within what sound takes across a room."""
    size = scipy.fft.next_fast_len(2 * one.size, real=True)
    hz = scipy.fft.rfftfreq(size, 1 / RATE)
    band = (hz >= LOW_HZ) & (hz <= HIGH_HZ)
    a, b = (scipy.fft.rfft(sound.astype(np.float64), size) * band for sound in (one, other))
    scale = np.sqrt(np.sum(np.abs(a) ** 2) * np.sum(np.abs(b) ** 2)) * 2 / size
    if scale <= 0:
        return 0.0
    reach = round(ACROSS_S * RATE)
    whole = scipy.fft.irfft(a * np.conj(b), size)
    near = np.concatenate([whole[-reach:], whole[: reach + 1]])
    return float(near[np.argmax(np.abs(near))] / scale)
