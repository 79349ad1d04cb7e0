"""How loud a person speaks: loudness over speech alone."""

from pampa.core.loudness.gating import HOP_CELLS, MOMENTARY_CELLS, to_energy, to_lufs, windows
from pampa.core.sound import Curve

COMMON_LEVEL_LUFS = -21.0
"""Everybody's speech is brought to this loudness in the mix, measured in one channel."""
SPEECH_GATE_LU = 12.0


def speech_level(energy: Curve) -> float | None:
    """Loudness of a person's speech in LUFS, pauses and bleed left out; None where nobody speaks.

    energy : float64, shape (cells,): K-weighted mean square of each 20 ms of one recording.

    The gate of BS.1770-5 is applied again and again, 12 LU under the mean of what passed it before, until it
    rests: a person who speaks a third of the time is measured over that third.
    """
    return gated(moments(energy))


def moments(energy: Curve) -> Curve:
    """The mean square of each 400 ms, one beginning every 100."""
    return windows(energy, MOMENTARY_CELLS, hop=HOP_CELLS)


def gated(blocks: Curve) -> float | None:
    """The speech level of moments: see `speech_level`."""
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
