"""The waveform pyramid: peak and average of short cells as level bytes, each level eight times coarser."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from pampa.core.sound import Curve, FloatArray

CELL = 480
"""Frames of the finest cell: 10 ms at 48 kHz."""
COARSER = 8
LEVELS = 3
FLOOR_DB = -96.0

Stalks = NDArray[np.uint8]
"""Shape (cells, 2): peak and average, 0 for -96 dBFS and below, 255 for full scale."""


def level_bytes(linear: Curve) -> NDArray[np.uint8]:
    """Linear magnitudes as bytes on a scale in dB."""
    db = 20 * np.log10(np.maximum(linear, 1e-9))
    return np.clip(np.round((db - FLOOR_DB) / -FLOOR_DB * 255), 0, 255).astype(np.uint8)


class StalkWriter:
    """Gathers cells while sound streams by, in memory that is a thousandth of the sound's."""

    def __init__(self) -> None:
        self._rest: FloatArray = np.zeros((0, 1), np.float32)
        self._peaks: list[NDArray[np.float32]] = []
        self._energies: list[NDArray[np.float32]] = []

    def add(self, sound: FloatArray) -> None:
        """Take the next frames, shape (frames, channels)."""
        sound = np.concatenate([self._rest, sound]) if len(self._rest) else sound
        whole = len(sound) // CELL * CELL
        self._rest = sound[whole:].copy()
        self._reduce(sound[:whole])

    def _reduce(self, sound: FloatArray) -> None:
        if not len(sound):
            return
        # Along memory, and one channel at a time: across it, two channels take ten times as long as one.
        cells = sound.reshape(-1, CELL * sound.shape[1])
        self._peaks.append(np.maximum(cells.max(axis=1), -cells.min(axis=1)))
        channels = (np.ascontiguousarray(sound[:, n]).reshape(-1, CELL) for n in range(sound.shape[1]))
        self._energies.append(np.max([np.einsum("ij,ij->i", each, each) / CELL for each in channels], axis=0))

    def write(self, folder: Path) -> None:
        """Write one file a level into `folder`: `stalks-0` is the finest."""
        if len(self._rest):
            padded = np.zeros((CELL, self._rest.shape[1]), np.float32)
            padded[: len(self._rest)] = self._rest
            self._reduce(padded)
        peak = np.concatenate(self._peaks or [np.zeros(0, np.float32)]).astype(np.float64)
        energy = np.concatenate(self._energies or [np.zeros(0, np.float32)]).astype(np.float64)
        for level in range(LEVELS):
            stalks = np.stack([level_bytes(peak), level_bytes(np.sqrt(energy))], axis=1)
            (folder / f"stalks-{level}").write_bytes(stalks.tobytes())
            peak, energy = _coarser(peak, np.max), _coarser(energy, np.mean)


def _coarser(values: Curve, reduce) -> Curve:  # type: ignore[no-untyped-def]
    padded = np.zeros(-(-values.size // COARSER) * COARSER)
    padded[: values.size] = values
    return reduce(padded.reshape(-1, COARSER), axis=1)


def read_stalks(folder: Path, level: int, first: int, last: int) -> bytes:
    """Cells `first` to `last` of a level, two bytes each; fewer where the recording ends."""
    path = folder / f"stalks-{level}"
    last = min(last, path.stat().st_size // 2)
    if first >= last:
        return b""
    with path.open("rb") as file:
        file.seek(2 * first)
        return file.read(2 * (last - first))
