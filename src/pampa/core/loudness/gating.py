"""From block energies to figures: gating, integrated loudness, loudness range, momentary and short-term."""

import math

import numpy as np

from pampa.core.errors import SignalError
from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import Curve

MOMENTARY_CELLS = 20
SHORT_TERM_CELLS = 150
HOP_CELLS = CELLS_PER_S // 10
ABSOLUTE_GATE_LUFS = -70.0


def to_lufs(energy: float) -> float:
    """Loudness of a weighted mean square. Source: ITU-R BS.1770-5, annex 1, equation 2."""
    return -0.691 + 10 * math.log10(energy)


def to_energy(lufs: float) -> float:
    """Weighted mean square of a loudness."""
    return float(10 ** ((lufs + 0.691) / 10))


def windows(energy: Curve, cells: int, *, hop: int = 1) -> Curve:
    """Mean energy of windows of `cells` cells, one every `hop` cells; empty when the sound is shorter."""
    if energy.size < cells:
        return np.zeros(0)
    total = np.concatenate([[0.0], np.cumsum(energy)])
    return np.maximum(total[cells:] - total[:-cells], 0.0)[::hop] / cells


def integrated_loudness(energy: Curve) -> float | None:
    """Gated loudness of a programme, from its 20 ms energies.

    Parameters
    ----------
    energy : float64, shape (cells,): weighted mean square of each 20 ms, channels summed, linear.

    Returns
    -------
    LUFS, or None if no 400 ms block reaches -70 LUFS: silence has no loudness.

    Raises
    ------
    SignalError : an energy is negative or not finite.

    Source: ITU-R BS.1770-5, annex 1, equations 4 to 7: blocks of 400 ms every 100 ms.
    """
    _require_energy(energy)
    blocks = windows(energy, MOMENTARY_CELLS, hop=HOP_CELLS)
    audible = blocks[blocks > to_energy(ABSOLUTE_GATE_LUFS)]
    if audible.size == 0:
        return None
    relative_gate = audible.mean() / 10  # 10 LU below the mean
    return to_lufs(audible[audible > relative_gate].mean())


def loudness_range(energy: Curve) -> float | None:
    """Loudness range in LU: from the 10th to the 95th percentile of gated short-term loudness.

    None where nothing reaches the gate or the sound is under 3 s. Source: EBU Tech 3342, section 3.
    """
    _require_energy(energy)
    blocks = windows(energy, SHORT_TERM_CELLS, hop=HOP_CELLS)
    audible = blocks[blocks > to_energy(ABSOLUTE_GATE_LUFS)]
    if audible.size == 0:
        return None
    counted = np.sort(audible[audible > audible.mean() / 100])  # 20 LU below the mean
    low, high = (counted[round((counted.size - 1) * share)] for share in (0.10, 0.95))
    return to_lufs(high) - to_lufs(low)


def loudest(energy: Curve, cells: int) -> float | None:
    """Maximum momentary (20 cells) or short-term (150 cells) loudness in LUFS, on the 20 ms grid."""
    blocks = windows(energy, cells)
    peak = float(blocks.max()) if blocks.size else 0.0
    return to_lufs(peak) if peak > to_energy(-120.0) else None


def short_term_curve(energy: Curve, *, hop_cells: int = CELLS_PER_S) -> list[float | None]:
    """Short-term loudness in LUFS every `hop_cells`, each value at the end of its 3 s; None for silence."""
    blocks = windows(energy, SHORT_TERM_CELLS, hop=hop_cells)
    floor = to_energy(ABSOLUTE_GATE_LUFS)
    return [round(to_lufs(value), 2) if value > floor else None for value in blocks]


def _require_energy(energy: Curve) -> None:
    if not (np.isfinite(energy).all() and (energy >= 0).all()):
        raise SignalError("A block energy is negative or not finite. Look at the step before the meter.")
