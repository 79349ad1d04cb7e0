"""A voice as the sheet draws it by loudness: curves over a recording's time, tile by tile."""

from functools import partial

import numpy as np
from numpy.typing import NDArray

from pampa.core.executor import Executor, Urgency, urgent
from pampa.core.files.kept import keep_whole
from pampa.core.files.shelf import Opened
from pampa.core.loudness import measure_energy
from pampa.core.loudness.gating import to_lufs
from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import RATE, SEGMENT_S, Curve, Segment, segments
from pampa.core.sync.clocked import clocked_curve
from pampa.core.timeline.mending import amounts_in
from pampa.studio.editing import Editing
from pampa.studio.sounds import Sounds

TILE_SEGMENTS = 4
COLUMN_CELLS = 5
COLUMN = COLUMN_CELLS * RATE // CELLS_PER_S
"""A column is 100 ms."""
COLUMNS = TILE_SEGMENTS * SEGMENT_S * CELLS_PER_S // COLUMN_CELLS
ROWS = ("before", "after", "level", "compressor", "sibilance")
LOWEST_LUFS, STEPS_PER_DB, RESTING = -70.0, 4, 128
"""A loudness is told in quarters of a LU over the lowest; a gain in quarters of a dB around `RESTING`; what is taken in
quarters of a dB."""


class VoiceCurves:
    """Curves of all voices."""

    def __init__(self, editing: Editing, sounds: Sounds, executor: Executor) -> None:
        self._editing, self._sounds, self._executor = editing, sounds, executor

    def tile(self, episode_id: int, track_id: int, recording: int, tile: int) -> bytes:
        """One byte for each of `ROWS` and each 100 ms of 80 s, row by row; 0 of a loudness is silence.

        Before and after are as loud as they come into the mix, before the gain of their track.
        """
        document = self._editing.state(episode_id).document
        track = document.track(track_id)
        drift_ppm, amounts = document.drift_ppm(recording), amounts_in(document, recording)
        plain = self._sounds.rendition(recording, drift_ppm=drift_ppm)
        heard = plain
        if track.treated and track.linked:
            heard = self._sounds.rendition(recording, recipe=track.recipe, drift_ppm=drift_ppm, amounts=amounts)
        path = self._sounds.drawn(heard, "loudness") / f"{tile}.bin"
        try:
            return path.read_bytes()
        except FileNotFoundError:
            with urgent(Urgency.SEEN):
                made = self._made(recording, self._sounds.opened(plain), self._sounds.opened(heard), tile)
            keep_whole(path, made)
            return made

    def _made(self, recording: int, plain: Opened, heard: Opened, tile: int) -> bytes:
        rows = np.zeros((len(ROWS), COLUMNS), np.uint8)
        rows[2] = RESTING
        energy = clocked_curve(self._sounds.analysis(recording).energy, plain.rendition.drift_ppm)
        first = tile * COLUMNS * COLUMN_CELLS
        _put(rows[0], energy[first : first + COLUMNS * COLUMN_CELLS], self._sounds.level_db(recording, plain.rendition))
        grid = [s for s in segments(heard.frames) if s.index // TILE_SEGMENTS == tile]
        gain_db = self._sounds.level_db(recording, heard.rendition)
        for segment, (after, taken) in zip(grid, self._executor.map(partial(_curves, heard), grid), strict=True):
            columns = SEGMENT_S * CELLS_PER_S // COLUMN_CELLS
            at = segment.index % TILE_SEGMENTS * columns
            _put(rows[1, at : at + columns], after, gain_db)
            for row, name in enumerate(ROWS[2:], 2):
                if name in taken:
                    steps = _columns(taken[name]) * STEPS_PER_DB
                    told = RESTING - steps if name == "level" else steps
                    rows[row, at : at + told.size] = np.clip(np.round(told), 0, 255)
        return rows.tobytes()


def _curves(heard: Opened, segment: Segment) -> tuple[Curve, dict[str, Curve]]:
    sound = heard.read(segment.start, segment.stop)
    return measure_energy(sound, RATE), dict(heard.taken(segment))


def _put(row: NDArray[np.uint8], energy: Curve, gain_db: float) -> None:
    """The loudness of each column, its 400 ms around it, into a row."""
    smooth = np.convolve(energy, np.full(CELLS_PER_S * 2 // 5, 2.5 / CELLS_PER_S), "same") if energy.size else energy
    lufs = [to_lufs(float(value)) for value in _columns(smooth)]
    told = [0 if value is None else (value + gain_db - LOWEST_LUFS) * STEPS_PER_DB for value in lufs]
    count = min(len(told), row.size)
    row[:count] = np.clip(np.round(told[:count]), 0, 255)


def _columns(curve: Curve) -> Curve:
    """The mean of each 100 ms; what is left over at the end counts as one."""
    if not curve.size:
        return curve
    edges = np.arange(0, curve.size, COLUMN_CELLS)
    return np.asarray(np.add.reduceat(curve, edges) / np.diff([*edges, curve.size]))
