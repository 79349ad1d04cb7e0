"""Small building blocks of synthetic sound: tones, strikes, noises, rooms."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, oaconvolve, sosfilt

Mono = NDArray[np.float64]
"""Shape (frames,), full scale 1.0."""

RATE = 44_100

_NEVER_NOTHING = 1e-15 * np.random.default_rng(0).standard_normal(10_007)
"""A filter that is given nothing after a voice goes on with numbers so small that computing with them is slow."""


def frames_of(seconds: float, rate: int = RATE) -> int:
    return round(seconds * rate)


def note_hz(name: str) -> float:
    """Frequency of a note such as `D3` or `F#4`, equal temperament, A4 = 440 Hz."""
    steps = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
    step = steps[name[0]] + name.count("#") - name.count("b")
    return 440.0 * 2 ** ((step + 12 * int(name[-1]) - 57) / 12)


@lru_cache(64)
def plucked(hz: float, seconds: float, *, bright: float = 1.0, rate: int = RATE) -> Mono:
    """A plucked string: slightly stretched harmonics that die the faster the higher they are. Not to be written to."""
    t = np.arange(frames_of(seconds, rate)) / rate
    out = np.zeros(t.size)
    for k in range(1, 13):
        partial = hz * k * np.sqrt(1 + 0.0002 * k * k)
        if partial > rate * 0.45:
            break
        level = bright ** (k - 1) / k * abs(np.sin(np.pi * k * 0.21))
        out += level * np.sin(2 * np.pi * partial * t + 0.3 * k) * np.exp(-t * (1.6 + 0.9 * k))
    return out * eased(t.size, 0.004, 0.08, rate)


@lru_cache(64)
def pad(hz: float, seconds: float, *, rate: int = RATE) -> Mono:
    """A soft held tone: three voices a few cents apart, breathing slowly. Not to be written to."""
    t = np.arange(frames_of(seconds, rate)) / rate
    out = np.zeros(t.size)
    for cents, phase in ((-4, 0.0), (0, 1.3), (5, 2.1)):
        base = hz * 2 ** (cents / 1200)
        for k, level in ((1, 1.0), (2, 0.35), (3, 0.16), (4, 0.06)):
            out += level * np.sin(2 * np.pi * base * k * t + phase * k)
    return out * (0.85 + 0.15 * np.sin(2 * np.pi * 0.21 * t)) * eased(t.size, 0.5, 0.7, rate) / 3


def eased(frames: int, attack_s: float, release_s: float, rate: int = RATE) -> Mono:
    """An envelope that rises and falls by half a cosine."""
    out = np.ones(frames)
    up, down = min(frames_of(attack_s, rate), frames // 2), min(frames_of(release_s, rate), frames // 2)
    out[:up] = 0.5 - 0.5 * np.cos(np.linspace(0, np.pi, up))
    out[frames - down :] *= 0.5 + 0.5 * np.cos(np.linspace(0, np.pi, down))
    return out


def band(sound: Mono, low: float | None, high: float | None, *, rate: int = RATE, order: int = 2) -> Mono:
    """Butterworth band, low or high pass, along the frames."""
    if low and high:
        sos = butter(order, [low, high], "bandpass", fs=rate, output="sos")
    else:
        sos = butter(order, low or high, "highpass" if low else "lowpass", fs=rate, output="sos")
    return sosfilt(sos, sound + np.resize(_NEVER_NOTHING, sound.size), axis=0)


def coloured_noise(rng: np.random.Generator, frames: int, slope: float) -> Mono:
    """Noise whose level falls by `slope` dB per octave, RMS 1: made in pieces that cross-fade."""
    piece, cross = 1 << 18, 1 << 12
    out = np.zeros(frames + piece)
    fall = np.maximum(np.arange(piece // 2 + 1), 1.0) ** (-slope / 6.0206)
    rise = np.sin(np.linspace(0, np.pi / 2, cross))
    for at in range(0, frames, piece - cross):
        noise = np.fft.irfft(np.fft.rfft(rng.standard_normal(piece)) * fall, piece)
        noise[:cross] *= rise
        noise[-cross:] *= rise[::-1]
        out[at : at + piece] += noise
    out = out[:frames]
    return out / np.sqrt(np.mean(out**2))


def room(rng: np.random.Generator, rt60_s: float, *, rate: int = RATE, direct: float = 1.0, level: float = 0.3) -> Mono:
    """Impulse response of a room: the direct sound, some early reflections, and a tail that falls 60 dB in rt60."""
    t = np.arange(frames_of(rt60_s * 1.2, rate)) / rate
    tail = rng.standard_normal(t.size) * 10 ** (-3 * t / rt60_s) * (t > 0.008)
    tail = band(tail, 120, 7000, rate=rate, order=1)
    tail *= level / np.sqrt(np.sum(tail**2))
    for at in (0.0031, 0.0057, 0.0074, 0.0113):
        tail[frames_of(at, rate)] += level * 0.35 * (1 - at * 40)
    tail[0] += direct
    return tail


def in_room(sound: Mono, response: Mono) -> Mono:
    """Sound in a room, as long as it came in."""
    return oaconvolve(sound, response)[: sound.size]


def mixed_in(target: Mono, sound: Mono, at: int, gain: float = 1.0) -> None:
    """Add sound to `target` from a place on; what reaches beyond the end is lost."""
    last = min(at + len(sound), len(target))
    if last > at >= 0:
        target[at:last] += gain * sound[: last - at]


def levelled(sound: Mono, peak_dbfs: float) -> Mono:
    """Sound with its largest sample at a level."""
    return sound * (10 ** (peak_dbfs / 20) / np.max(np.abs(sound)))
