"""Pictures of long stretches of mended sound: mending takes its time, so each minute and a half is drawn once."""

import io
import threading
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from pampa.core.arrays import arrays_in
from pampa.core.files.kept import keep_whole
from pampa.core.mend.picture import COLUMNS, FINEST, ROWS, halved, tile
from pampa.core.sound import ArraySource, Source, extents

ZOOM = 7
"""What is kept is the tile of this zoom; wider ones are put together from several."""
STRETCH = (FINEST << ZOOM) * COLUMNS
"""Frames of one: 87 s."""
CELL = 2048
"""Frames that the wave's lowest and highest sample are kept for: 43 ms."""

Tile = NDArray[np.uint8]
Extents = NDArray[np.int16]


class Overlooks:
    """Tiles and waves over any length of sound. Only one is drawn at a time: listening comes first."""

    def __init__(self) -> None:
        self._drawing = threading.RLock()

    def tile(self, source: Source, folder: Path, zoom: int, number: int) -> Tile:
        """A tile of a zoom of at least `ZOOM`, from what is kept in `folder`, which is for exactly this sound."""
        if (number << zoom - ZOOM) * STRETCH >= source.frames:
            return np.zeros((COLUMNS, ROWS), np.uint8)
        with self._drawing:
            if zoom == ZOOM:
                return self._stretch(source, folder, number)[0]
            left, right = (self.tile(source, folder, zoom - 1, 2 * number + side) for side in (0, 1))
        return halved(left, right)

    def wave(self, source: Source, folder: Path, start: int, stop: int, points: int) -> Extents:
        """Lowest and highest sample of `points` equal stretches, exact to a cell: shape (points, 2)."""
        first, last = start // STRETCH, max(stop - 1, start) // STRETCH
        with self._drawing:
            kept = np.concatenate([self._stretch(source, folder, number)[1] for number in range(first, last + 1)])
        cells = np.linspace(start, stop, points + 1) / CELL - first * (STRETCH // CELL)
        edges = np.minimum(cells[:-1].astype(np.int64), len(kept) - 1)
        kept = kept[: max(int(np.ceil(cells[-1])), 1)]
        return np.stack(
            [np.minimum.reduceat(kept[:, 0], edges), np.maximum.reduceat(kept[:, 1], edges)], axis=1
        )  # fmt: skip

    def _stretch(self, source: Source, folder: Path, number: int) -> tuple[Tile, Extents]:
        path = folder / f"overlook-{number}.npz"
        if path.exists():
            kept = arrays_in(path)
            return kept["picture"], kept["wave"]
        sound = source.read(number * STRETCH, (number + 1) * STRETCH)
        picture, wave = tile(ArraySource(sound), ZOOM, 0), extents(sound, STRETCH // CELL)
        kept_in = io.BytesIO()
        np.savez(kept_in, picture=picture, wave=wave)
        keep_whole(path, kept_in.getvalue())
        return picture, wave
