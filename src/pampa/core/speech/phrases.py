"""Where somebody speaks, phrase by phrase, told by the energy of a recording alone; and how loud each phrase is."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from pampa.core.loudness.gating import to_lufs
from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.runs import runs_of
from pampa.core.sound import Curve
from pampa.core.speech.detector import OVER_ROOM_DB, levels_of, smoothed_db

SMOOTH_CELLS = 3
SOFTEST_DB = 28.0
"""What lies so far under the loudest talk is no soft end of a word."""
PAUSE_S, SHORTEST_S = 0.2, 0.12
BLOCK_CELLS = 10
GATE_DB = 10.0
"""Within a phrase, blocks of 200 ms that lie this far under the mean of all do not count: ends that die away."""
STEP_DB, STEP_S = 5.0, 1.2
"""Two people who follow each other without a pause: each side lasts this long, and they differ by more than this. The
soft end of a sentence is shorter: over seven voices, 1.2 to 1.6 s leave talk evener than 0.8 or 1.0."""


@dataclass(frozen=True)
class Phrase:
    """Cells `start` to `stop` of 20 ms, and the loudness of what is said in them, the room taken off, in LUFS."""

    start: int
    stop: int
    lufs: float


def phrases_of(energy: Curve) -> list[Phrase]:
    """Phrases in order of time.

    energy : float64, shape (cells,): K-weighted mean square of each 20 ms of one recording. What rises over the room is
    speech where pauses of 200 ms part it; a run in which the level steps, as where one person answers another at once,
    is parted there. Silence, or a room alone, has none.

    Where the room hides soft ends, only the loud middles of soft words rise over it: they alone would be louder than
    the phrase. So what lies within a pause of them counts, too: powers add, and with that of the room taken off it is
    speech if any is there, and nothing if none is.
    """
    levels = levels_of(smoothed_db(energy, SMOOTH_CELLS))
    room, pause = _power(levels.room_db), round(PAUSE_S * CELLS_PER_S)
    runs = runs_of(levels.talk(under_top_db=SOFTEST_DB), bridge=pause)
    runs = runs[np.diff(runs, axis=1)[:, 0] >= SHORTEST_S * CELLS_PER_S]
    hidden = pause if levels.room_db + OVER_ROOM_DB > levels.top_db - SOFTEST_DB else 0
    found = []
    befores, afters = [0, *runs[:-1, 1].tolist()], [*runs[1:, 0].tolist(), energy.size]
    for (start, stop), before, after in zip(runs.tolist(), befores, afters, strict=False):
        edges = [start, *_steps(energy[start:stop] - room, start), stop]
        around = [max(start - hidden, before), *edges[1:-1], min(stop + hidden, after)]
        lufs = [_lufs(energy[a:b] - room, room) for a, b in pairwise(around)]
        found += [Phrase(a, b, level) for (a, b), level in zip(pairwise(edges), lufs, strict=True)]
    return found


def _lufs(speech: Curve, room: float) -> float:
    """The loudness of what is said. speech : mean squares of 20 ms, the room taken off."""
    blocks = blocks_of(speech)
    heard = blocks[blocks > blocks.mean() * _power(-GATE_DB)]
    mean = float(heard.mean()) if heard.size else room
    return to_lufs(max(mean, 1e-12)) or -120.0


def blocks_of(energy: Curve) -> Curve:
    """The mean of each 200 ms; what is left over at the end counts as one."""
    edges = np.arange(0, energy.size, BLOCK_CELLS)
    sums: Curve = np.add.reduceat(energy, edges)
    return np.maximum(sums / np.diff([*edges, energy.size]), 1e-14)


def _steps(energy: Curve, at: int) -> list[int]:
    """Where the level of a run steps up or down for good: cells, none where it does not.

    The place that parts it into two even halves best, and again within each: binary segmentation (Scott and Knott,
    Biometrics 30 (1974)) on levels of 200 ms, with the mean power of either side.
    """
    least = round(STEP_S * CELLS_PER_S / BLOCK_CELLS)
    blocks = 10 * np.log10(blocks_of(energy))
    if blocks.size < 2 * least:
        return []
    sums, counts = np.cumsum(blocks), np.arange(1, blocks.size + 1)
    before = sums[:-1] / counts[:-1]
    after = (sums[-1] - sums[:-1]) / (blocks.size - counts[:-1])
    gain = np.abs(after - before) * np.sqrt(counts[:-1] * (blocks.size - counts[:-1]) / blocks.size)
    gain[: least - 1] = gain[blocks.size - least :] = 0.0
    place = int(np.argmax(gain))
    if gain[place] == 0 or abs(after[place] - before[place]) < STEP_DB:
        return []
    cell = (place + 1) * BLOCK_CELLS
    return [*_steps(energy[:cell], at), at + cell, *_steps(energy[cell:], at + cell)]


def _power(db: float) -> float:
    return float(10 ** (db / 10))
