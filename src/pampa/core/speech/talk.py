"""Where somebody talks, for what steps back under it: phrases that have a voice in them, and how loud each is."""

import numpy as np
from numpy.typing import NDArray

from pampa.core.loudness.gating import to_lufs
from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import Curve
from pampa.core.speech.phrases import GATE_DB, blocks_of, phrases_of

VOICED = 0.5
SHORTEST_S = 0.08
"""A word has a voice for so long at least; a knock that rings has it for less."""
BEFORE_S, AFTER_S = 0.3, 0.4
"""How far a phrase may reach before and after its voice: an s or an f; what lies farther off is a breath or a tail."""

Runs = NDArray[np.int64]
"""Cells of 20 ms, shape (phrases, 2)."""


def talk_of(energy: Curve, voicing: Curve) -> Runs:
    """The phrases in one recording.

    energy : float64, shape (cells,): K-weighted mean square of each 20 ms. voicing : see `voiced`.
    """
    cells = min(energy.size, voicing.size)
    voiced = voicing[:cells] > VOICED
    found = []
    for phrase in phrases_of(energy[:cells]):
        inside = np.flatnonzero(voiced[phrase.start : phrase.stop]) + phrase.start
        if inside.size >= SHORTEST_S * CELLS_PER_S:
            start = max(phrase.start, int(inside[0]) - round(BEFORE_S * CELLS_PER_S))
            stop = min(phrase.stop, int(inside[-1]) + 1 + round(AFTER_S * CELLS_PER_S))
            found.append((start, stop))
    return np.array(found, np.int64).reshape(-1, 2)


def talk_curve_of(energy: Curve, talk: Runs) -> Curve:
    """The loudness of the phrase in each cell of `energy`, in LUFS; -inf where nobody talks."""
    curve = np.full(energy.size, -np.inf)
    for (start, stop), level in zip(talk.tolist(), levels_of(energy, talk), strict=True):
        curve[start:stop] = level
    return curve


def levels_of(energy: Curve, talk: Runs) -> Curve:
    """The loudness of each phrase in LUFS, its soft ends left out: shape (phrases,)."""
    return np.array([_level(energy[start:stop]) for start, stop in talk.tolist()])


def _level(energy: Curve) -> float:
    blocks = blocks_of(energy)
    heard = blocks[blocks > blocks.mean() * 10 ** (-GATE_DB / 10)]
    return to_lufs(max(float(heard.mean()) if heard.size else 0.0, 1e-12))
