"""Signals with a known truth, made for the tests."""

from functools import lru_cache

import numpy as np

from pampa.core.sound import RATE, FloatArray, db_to_gain


def sine(hz: float, *, dbfs: float = 0.0, seconds: float = 1.0, channels: int = 1, rate: int = RATE,
         phase_deg: float = 0.0) -> FloatArray:  # fmt: skip
    """A sine whose peak stands at `dbfs`, the same in every channel: shape (frames, channels)."""
    t = np.arange(round(seconds * rate)) / rate
    wave = db_to_gain(dbfs) * np.sin(2 * np.pi * hz * t + np.radians(phase_deg))
    return np.repeat(wave[:, None], channels, axis=1).astype(np.float32)


def silence(seconds: float, *, channels: int = 1, rate: int = RATE) -> FloatArray:
    return np.zeros((round(seconds * rate), channels), np.float32)


def noise(seconds: float, *, dbfs: float = -20.0, channels: int = 1, rate: int = RATE, seed: int = 1) -> FloatArray:
    """White noise with its RMS at `dbfs`."""
    rng = np.random.default_rng(seed)
    return (rng.standard_normal((round(seconds * rate), channels)) * db_to_gain(dbfs)).astype(np.float32)


def talk(seconds: float, *, dbfs: float = -20.0, rate: int = RATE, seed: int = 1) -> FloatArray:
    """Something with the rhythm of speech: coloured noise in syllables of about 4 Hz, phrases and pauses. Mono."""
    return _talk(seconds, dbfs, rate, seed).copy()


@lru_cache(8)
def _talk(seconds: float, dbfs: float, rate: int, seed: int) -> FloatArray:
    rng = np.random.default_rng(seed)
    frames = round(seconds * rate)
    t = np.arange(frames) / rate
    voice = np.sin(2 * np.pi * 130 * t + 3 * np.sin(2 * np.pi * 0.7 * t))
    voice += 0.5 * np.sin(2 * np.pi * 260 * t) + 0.3 * np.sin(2 * np.pi * 520 * t) + 0.1 * rng.standard_normal(frames)
    syllables = np.clip(np.sin(2 * np.pi * 4 * t) + 0.3, 0, 1)
    phrases = (np.sin(2 * np.pi * t / 3.1 + seed) > -0.3).astype(float)
    wave = voice * syllables * np.convolve(phrases, np.ones(480) / 480, "same")
    wave *= db_to_gain(dbfs) / np.sqrt(np.mean(wave**2))
    return (wave[:, None] + 1e-4 * rng.standard_normal((frames, 1))).astype(np.float32)
