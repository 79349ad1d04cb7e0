"""How a conversation was recorded: other voices, other rooms, other levels.

A voice becomes another by being played faster or slower: its pitch, its throat and its pace change together, and the
truth moves with it. Rooms, noise, leaks, levels and clicks are made with a seed.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pampa.core.sound import RATE, ArraySource
from pampa.demo.assemble import _onsets
from pampa.demo.synthesis import band, coloured_noise, in_room, mixed_in, room

CLICKS = 20


@dataclass(frozen=True)
class Condition:
    """How a conversation was recorded. Levels in dB of full scale, or of the voice."""

    name: str
    pace: float = 1.0
    echo_s: float = 0.12
    echo: float = 0.08
    noise_dbfs: float = -70.0
    leak_db: float = -60.0
    levels_db: tuple[float, float] = (-7.0, -9.0)


CONDITIONS = (
    Condition("close and quiet"),
    Condition("higher voices", pace=1.12),
    Condition("lower voices", pace=0.9),
    Condition("two in one room", echo_s=0.3, echo=0.25, noise_dbfs=-62, leak_db=-18),
    Condition("one far too soft", levels_db=(-7.0, -26.0)),
    Condition("a fan beside them", noise_dbfs=-52, echo_s=0.25, echo=0.2),
)


def recorded_in(
    condition: Condition, voices: list[NDArray[np.float64]], seed: int
) -> tuple[list[ArraySource], list[tuple[int, float]], list[float]]:
    """Everybody's recording, the clicks in them (person, seconds), and the noise against each voice as an RMS."""
    rng = np.random.default_rng([seed, 77])
    levels = [condition.levels_db[n % 2] for n in range(len(voices))]
    noise = [10 ** ((condition.noise_dbfs - level) / 20) for level in levels]
    sources, clicks = [], []
    for n, own in enumerate(voices):
        out = in_room(own, room(rng, condition.echo_s, rate=RATE, level=condition.echo))
        for other in (voice for k, voice in enumerate(voices) if k != n):
            mixed_in(out, band(other, 150, 8000, rate=RATE), round(0.004 * RATE), 10 ** (condition.leak_db / 20))
        out *= 10 ** (levels[n] / 20)
        for at in _onsets(own, rng, CLICKS):
            place = max(at - round(rng.uniform(0.05, 0.2) * RATE), 0)
            size = round(0.0025 * RATE)
            level = rng.uniform(0.05, 0.15) * 10 ** (levels[n] / 20)
            mixed_in(out, rng.standard_normal(size) * np.hanning(size), place, level)
            clicks.append((n, place / RATE))
        out += 10 ** (condition.noise_dbfs / 20) * band(coloured_noise(rng, own.size, 3), 50, 12_000, rate=RATE)
        sources.append(ArraySource(out.astype(np.float32)[:, None], RATE))
    return sources, clicks, noise
