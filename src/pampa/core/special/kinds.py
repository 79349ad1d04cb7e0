"""Which special voices there are, and what each does to a stretch of sound. Each has one amount, and is dry at 0."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
import scipy
from annotated_types import Ge, Le

from pampa.core.sound import RATE, Curve, FloatArray
from pampa.core.special.pitched import pitched

SpecialKind = Literal["phone", "loudspeaker", "tape", "next room", "hall speakers", "doubled", "higher", "lower",
                      "smaller", "bigger"]  # fmt: skip


@dataclass(frozen=True)
class Special:
    """A special voice, and how much of it: 0 to 100."""

    kind: SpecialKind
    amount: Annotated[float, Ge(0), Le(100)]


Work = Callable[[FloatArray, int, float], FloatArray]
"""What one does to sound, given the frame at which it begins in its recording and its share, over 0 to 1."""

WOW_HZ, WOW_S, FLUTTER_HZ, FLUTTER_S = 0.6, 0.0006, 7.3, 0.00004
DOUBLES = ((0.017, 0.003, 0.31), (0.026, 0.004, 0.23))
"""Delay, how far it wanders, and how often, in seconds and Hz."""
ROOM_S, HALL_S, SLAP_S = 0.35, 1.6, 0.11


def through(sound: FloatArray, hz: tuple[float, float], order: float, peak: tuple[float, float] | None = None
            ) -> FloatArray:  # fmt: skip
    """Only what lies between two frequencies, without delay; the slopes as of a Butterworth filter of an order.

    peak : where it resonates, and by how many dB.
    """
    size = scipy.fft.next_fast_len(len(sound), real=True)
    at = np.maximum(scipy.fft.rfftfreq(size, 1 / RATE), 1e-3)
    gain = 1 / np.sqrt((1 + (hz[0] / at) ** (2 * order)) * (1 + (at / hz[1]) ** (2 * order)))
    if peak:
        gain *= 10 ** (peak[1] / 20 * np.exp(-0.5 * (np.log2(at / peak[0]) / 0.35) ** 2))
    made = scipy.fft.irfft(scipy.fft.rfft(sound, size, axis=0) * gain[:, None], size, axis=0)
    return np.asarray(made[: len(sound)], np.float32)


def _phone(sound: FloatArray, at: int) -> FloatArray:
    return through(_pushed(through(sound, (320, 3300), 4), 4.0), (300, 3400), 5)


def _loudspeaker(sound: FloatArray, at: int) -> FloatArray:
    return through(_pushed(through(sound, (480, 6500), 2, (1100, 7.0)), 2.5), (420, 7000), 2)


def _tape(sound: FloatArray, at: int) -> FloatArray:
    t = (at + np.arange(len(sound))) / RATE
    late = WOW_S * np.sin(2 * np.pi * WOW_HZ * t) + FLUTTER_S * np.sin(2 * np.pi * FLUTTER_HZ * t)
    return through(_pushed(_delayed(sound, late), 2.0), (70, 7500), 1.5)


def _next_room(sound: FloatArray, at: int) -> FloatArray:
    dull = through(sound, (90, 650), 1.5)
    return np.asarray(0.6 * dull + 0.7 * _ringing(dull, ROOM_S, 0.0), np.float32)


def _hall_speakers(sound: FloatArray, at: int) -> FloatArray:
    dull = through(sound, (180, 4500), 2, (700, 3.0))
    return np.asarray(0.7 * dull + 0.5 * _ringing(dull, HALL_S, SLAP_S), np.float32)


def _doubled(sound: FloatArray, at: int) -> FloatArray:
    t = (at + np.arange(len(sound))) / RATE
    copies = [_delayed(sound, late + reach * np.sin(2 * np.pi * often * t)) for late, reach, often in DOUBLES]
    return np.asarray((sound + copies[0] + copies[1]) / np.sqrt(3), np.float32)


def _beside(work: Callable[[FloatArray, int], FloatArray]) -> Work:
    """By its share, beside what comes in."""

    def both(sound: FloatArray, at: int, share: float) -> FloatArray:
        return sound * np.float32(1 - share) + work(sound, at) * np.float32(share)

    return both


def _moved(octaves: float, *, formants: bool) -> Work:
    """Its pitch moved by as much of some octaves as its share."""
    return lambda sound, at, share: pitched(sound, at, share * octaves, formants=formants)


KINDS: Mapping[SpecialKind, Work] = {
    "phone": _beside(_phone), "loudspeaker": _beside(_loudspeaker), "tape": _beside(_tape),
    "next room": _beside(_next_room), "hall speakers": _beside(_hall_speakers), "doubled": _beside(_doubled),
    "higher": _moved(1, formants=False), "lower": _moved(-1, formants=False),
    "smaller": _moved(1, formants=True), "bigger": _moved(-1, formants=True),
}  # fmt: skip
"""The last four move the pitch: the first two of them alone, as if the same person spoke higher or lower."""


def _pushed(sound: FloatArray, drive: float) -> FloatArray:
    """Softly overdriven, about as loud."""
    return np.tanh(sound * np.float32(drive)) / np.float32(drive**0.7)


def _delayed(sound: FloatArray, late_s: Curve) -> FloatArray:
    """Later by so many seconds at each frame, straight between samples."""
    places = np.arange(len(sound)) - late_s * RATE
    out = np.empty_like(sound)
    for channel in range(sound.shape[1]):
        out[:, channel] = np.interp(places, np.arange(len(sound)), sound[:, channel])
    return out


def _ringing(sound: FloatArray, seconds: float, late_s: float) -> FloatArray:
    """A room around it: noise that dies away by 60 dB in so many seconds, after a while."""
    frames = round(seconds * RATE)
    noise = np.random.default_rng(frames).standard_normal(frames) * 10 ** (-3 * np.arange(frames) / frames)
    response = np.concatenate([np.zeros(round(late_s * RATE)), noise / np.sqrt((noise**2).sum())])
    size = scipy.fft.next_fast_len(len(sound) + response.size, real=True)
    spectrum = scipy.fft.rfft(sound, size, axis=0) * scipy.fft.rfft(response, size)[:, None]
    return np.asarray(scipy.fft.irfft(spectrum, size, axis=0)[: len(sound)], np.float32)
