"""The compressor: a gain that looks ahead, so that it is down before the peak comes, and comes back at two speeds.

After a single loud syllable it is back at once; in talk that is loud for long it rests at a slow mean and moves little
between syllables, so that it does not pump.
Source: Giannoulis, Massberg and Reiss, Digital dynamic range compressor design, JAES 60 (2012).
"""

import math

import numpy as np

from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import RATE, Curve, FloatArray
from pampa.core.voice import kernels

STEP = 16
"""Frames of one value of the gain: 0.33 ms, well under its attack."""
LOOK_AHEAD = 15 * STEP
STEPS_IN_CELL = RATE // CELLS_PER_S // STEP
TAKES_DB, MOST_SHARE = 0.5, 99.5
"""From where on it is said to work, and which share of that counts as its most."""
KNEE_DB = 6.0
ATTACK_S, RELEASE_S = 0.012, 0.080
SLOW_ATTACK_S, SLOW_RELEASE_S = 0.25, 0.35
SETTLING = 2 * RATE
"""Frames in which the slow mean has forgotten what came before."""
OVER_SPEECH_DB = 2.0
"""The threshold stands this far over the speech level, so that a loud syllable loses 3 to 4 dB at 2.5:1: measured over
seven voices, it is 2.8 to 3.9 dB for the median one."""


def threshold_of(speech_lufs: float | None) -> float:
    """The threshold in dBFS for a person of that speech level; 0 where nobody speaks."""
    return 0.0 if speech_lufs is None else round(speech_lufs + OVER_SPEECH_DB, 2)


def gain_db(sound: FloatArray, threshold_db: float, ratio: float) -> Curve:
    """The gain at every `STEP` frames, of `LOOK_AHEAD` frames earlier: shape (steps,)."""
    peaks = np.append(kernels.peaks_in_steps(sound, STEP), 0.0)
    curve: Curve = kernels.compressor_gain_db(
        peaks, threshold_db, ratio, KNEE_DB,
        np.array([_one_pole(s) for s in (ATTACK_S, RELEASE_S, SLOW_ATTACK_S, SLOW_RELEASE_S)]),
    )  # fmt: skip
    return curve


def compressed(sound: FloatArray, threshold_db: float, ratio: float) -> tuple[FloatArray, Curve]:
    """The sound with its gain applied, and how many dB that takes, the mean of each 20 ms: shape (cells,).

    The last `LOOK_AHEAD` frames lack what comes after them.
    """
    steps = gain_db(sound, threshold_db, ratio)[LOOK_AHEAD // STEP - 1 :]
    gain = kernels.ramp(10 ** (steps / 20), 0, STEP, 0, len(sound))
    return sound * gain[:, None], _in_cells(-steps, -(-len(sound) // (STEP * STEPS_IN_CELL)))


def told(taken: Curve) -> str:
    """What it does in numbers, from what it takes where somebody talks."""
    loud = taken[taken > TAKES_DB]
    if not loud.size:
        return "takes nothing: nobody comes over its threshold"
    usual, most = np.median(loud), np.percentile(loud, MOST_SHARE)
    return f"takes {usual:.1f} dB where it works, {most:.1f} dB at most"


def _in_cells(steps: Curve, cells: int) -> Curve:
    """The mean of each 20 ms; a last one that is not whole goes on as it ends."""
    whole = np.pad(steps[: cells * STEPS_IN_CELL], (0, max(cells * STEPS_IN_CELL - steps.size, 0)), "edge")
    means: Curve = whole.reshape(cells, STEPS_IN_CELL).mean(axis=1)
    return means


def _one_pole(seconds: float) -> float:
    return math.exp(-STEP / (RATE * seconds))
