"""How loud a person speaks: loudness over speech alone, and where there is speech."""

import numpy as np

from pampa.core.loudness.gating import HOP_CELLS, MOMENTARY_CELLS, to_energy, to_lufs, windows
from pampa.core.sound import Curve

COMMON_LEVEL_LUFS = -21.0
"""Everybody's speech is brought to this loudness in the mix, measured in one channel."""
SPEECH_GATE_LU = 12.0
FLOOR_PERCENTILE = 10.0
ACTIVE_OVER_FLOOR_DB = 9.0
ACTIVE_UNDER_SPEECH_DB = 20.0
WINDOW_CELLS = 5


def speech_level(energy: Curve) -> float | None:
    """Loudness of a person's speech in LUFS, pauses and bleed left out; None where nobody speaks.

    energy : float64, shape (cells,): K-weighted mean square of each 20 ms of one recording.

    The gate of BS.1770-5 is applied again and again, 12 LU under the mean of what passed it before, until it
    rests: a person who speaks a third of the time is measured over that third.
    """
    blocks = windows(energy, MOMENTARY_CELLS, hop=HOP_CELLS)
    counted = blocks[blocks > to_energy(-70.0)]
    for _ in range(20):
        if not counted.size:
            return None
        gate = counted.mean() / 10 ** (SPEECH_GATE_LU / 10)
        kept = counted[counted > gate]
        if kept.size == counted.size:
            break
        counted = kept
    return to_lufs(float(counted.mean()))


def speech_activity(energy: Curve) -> Curve:
    """1.0 where a person speaks and 0.0 elsewhere, one value for each 20 ms cell of `energy`.

    Active is what rises 9 dB over the recording's own floor and comes within 20 dB of its speech level,
    over 100 ms.
    """
    level = speech_level(energy)
    if level is None:
        return np.zeros(energy.size)
    smooth = np.convolve(energy, np.ones(WINDOW_CELLS) / WINDOW_CELLS, "same")
    floor = np.percentile(smooth, FLOOR_PERCENTILE) * 10 ** (ACTIVE_OVER_FLOOR_DB / 10)
    gate = max(floor, to_energy(level - ACTIVE_UNDER_SPEECH_DB))
    gate = min(gate, to_energy(level - 6.0))
    return (smooth > gate).astype(np.float64)
