"""What people do besides talking: coughs, things put down, chairs and paper. Nothing of it is a word or a filler."""

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from training.engines import RATE

Mono = NDArray[np.float32]
Random = np.random.Generator
APART_S = 0.06


def with_noises(rng: Random, dry: Mono, silent: NDArray[np.bool_], per_s: int, level: float) -> Mono:
    """A person's dry sound with noises of their own where they say nothing.

    silent : for each frame, of which there are so many a second, whether nothing is said. level : rms of talk.
    """
    out = dry.copy()
    for _ in range(rng.poisson(dry.size / RATE / rng.uniform(6, 30))):
        noise = NOISES[rng.choice(len(NOISES), p=OFTEN)](rng)
        frames = noise.size * per_s // RATE + round(2 * APART_S * per_s)
        room = np.convolve(silent, np.ones(frames, int), "valid")
        places = np.flatnonzero(room == frames)
        if places.size:
            first = (int(rng.choice(places)) + round(APART_S * per_s)) * RATE // per_s
            peak = float(np.sqrt(np.max(np.convolve(noise**2, np.ones(320) / 320, "same"))))
            noise = noise * (level / peak * 10 ** (rng.uniform(-16, 8) / 20))
            out[first : first + noise.size] += noise[: out.size - first].astype(np.float32)
    return out


def cough(rng: Random) -> Mono:
    """Air let go at once through an open throat, then less of it, sometimes with a voice; once, twice or thrice.

    Source: Korpas, Sadlonova & Vrabec, Analysis of the cough sound, Pulmonary Pharmacology 9 (1996): a burst, a middle
    part of noise, and a voice at the end that may be missing.
    """
    throat = [(rng.uniform(350, 800), 4), (rng.uniform(900, 1700), 5), (rng.uniform(2100, 3200), 6)]
    parts = []
    for _ in range(rng.choice((1, 2, 3), p=(0.5, 0.35, 0.15))):
        count = int(rng.uniform(0.15, 0.45) * RATE)
        time = np.arange(count) / RATE
        burst = np.exp(-time / rng.uniform(0.015, 0.04)) + rng.uniform(0.1, 0.5) * np.exp(
            -time / rng.uniform(0.06, 0.2)
        )
        air = rng.standard_normal(count) * burst
        pitch = rng.uniform(90, 300) * (1 - 0.4 * time / time[-1])
        voice = signal.sawtooth(2 * np.pi * np.cumsum(pitch) / RATE) * np.clip(time / 0.08, 0, 1) * np.exp(-time / 0.12)
        parts.append(_resonant(air + rng.choice((0, rng.uniform(0.2, 1.5))) * voice, throat))
        parts.append(np.zeros(int(rng.uniform(0.0, 0.15) * RATE)))
    return np.concatenate(parts[:-1]).astype(np.float32)


def put_down(rng: Random) -> Mono:
    """A mug, a pen, a hand: something is struck and rings in modes of its own, with the table under it."""
    parts = []
    for _ in range(rng.choice((1, 2, 3), p=(0.55, 0.3, 0.15))):
        count = int(rng.uniform(0.06, 0.3) * RATE)
        time = np.arange(count) / RATE
        sound = rng.standard_normal(count) * np.exp(-time / rng.uniform(0.001, 0.006)) * rng.uniform(0.2, 2)
        sound += np.sin(2 * np.pi * rng.uniform(60, 220) * time) * np.exp(-time / rng.uniform(0.01, 0.05)) * 2
        for _ in range(rng.integers(2, 8)):
            ring = np.sin(2 * np.pi * np.exp(rng.uniform(np.log(200), np.log(6000))) * time + rng.uniform(0, 6))
            sound += rng.uniform(0.1, 1) * ring * np.exp(-time / np.exp(rng.uniform(np.log(0.004), np.log(0.08))))
        parts.append(sound * rng.uniform(0.3, 1))
        parts.append(np.zeros(int(rng.uniform(0.01, 0.12) * RATE)))
    return np.concatenate(parts[:-1]).astype(np.float32)


def rustle(rng: Random) -> Mono:
    """Paper or cloth: noise that comes in many small strokes."""
    count = int(rng.uniform(0.15, 1.2) * RATE)
    strokes = np.abs(signal.lfilter([1], [1, -np.exp(-1 / (rng.uniform(0.004, 0.03) * RATE))],
                                    rng.standard_normal(count) * (rng.random(count) < 0.003)))  # fmt: skip
    low = rng.uniform(300, 2000)
    band = signal.butter(2, (low, rng.uniform(low * 2, 7600)), "band", fs=RATE, output="sos")
    sound = signal.sosfilt(band, rng.standard_normal(count) * (strokes + 0.02 * strokes.max() + 1e-6))
    return (sound * np.hanning(count)).astype(np.float32)


def creak(rng: Random) -> Mono:
    """A chair: a resonance that is plucked again and again, like a voice and without words."""
    count = int(rng.uniform(0.1, 0.6) * RATE)
    rate = rng.uniform(25, 160) * np.exp(np.cumsum(rng.normal(0, 0.01, count // 80 + 1)))[np.arange(count) // 80]
    plucks = np.diff(np.floor(np.cumsum(rate) / RATE), prepend=0)
    sound = _resonant(
        plucks * rng.uniform(0.5, 1, count), [(rng.uniform(250, 3500), rng.uniform(5, 30)) for _ in range(4)]
    )
    return (sound * np.hanning(count) ** 0.5).astype(np.float32)


def _resonant(sound: NDArray[np.float64], modes: list[tuple[float, float]]) -> NDArray[np.float64]:
    return np.asarray(sum(signal.lfilter(*signal.iirpeak(hz, q, fs=RATE), sound) for hz, q in modes))


NOISES, OFTEN = (cough, put_down, rustle, creak), (0.4, 0.3, 0.18, 0.12)
