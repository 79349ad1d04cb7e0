"""Room tone: where one track was cleared and its room left, the room it was recorded in goes on.

Digital silence in the middle of a recorded room is heard as a hole. It is filled from the recording's own quietest
place, over and over with cross-fades, as one would lay it by hand.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import scipy
from numpy.lib.stride_tricks import sliding_window_view

from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import RATE, Curve
from pampa.core.timeline.document import JOIN, Clip, Seam, Track

LENGTHS_S = (3.0, 1.5, 0.6)
STEADY_DB = 4.0
SMOOTH_CELLS = 3
NOTHING = 1e-13
CROSSING = RATE // 20
AROUND_S, PAUSE_CELLS = 4.0, 10
"""So far around a place its room is looked for, in pauses of 200 ms at least."""
MOST_DB = 6.0


@dataclass(frozen=True, eq=False)
class Tone:
    """Frames `start` to `stop` of a recording in which nothing but the room is heard.

    energy : K-weighted mean square of each 20 ms of the recording, if known: rooms get louder and softer.
    """

    start: int
    stop: int
    energy: Curve | None = None

    def gain_db(self, start: int, stop: int) -> float:
        """What brings the tone to the level of the room around frames `start` to `stop` of the recording."""
        if self.energy is None:
            return 0.0
        cell = RATE // CELLS_PER_S
        around = round(AROUND_S * CELLS_PER_S)
        there = _in_pauses(self.energy[max(start // cell - around, 0) : stop // cell + around])
        own = self.energy[self.start // cell : self.stop // cell].mean()
        if there is None or own <= NOTHING:
            return 0.0
        return float(np.clip(10 * np.log10(there / own), -MOST_DB, MOST_DB))


def _in_pauses(energy: Curve) -> float | None:
    """Level of the room in a stretch that may hold talk as well: that of its quietest pause."""
    if energy.size < PAUSE_CELLS:
        return None
    stretches = sliding_window_view(energy, PAUSE_CELLS)
    pauses = stretches[(stretches > NOTHING).all(axis=1)].mean(axis=1)  # a recorder's own silence is no room
    return float(pauses.min()) if pauses.size else None


def quiet_place(energy: Curve) -> tuple[float, float] | None:
    """Where a recording is quietest, (start_s, stop_s): as long as it is steady there. None if it is too short.

    energy : K-weighted mean square of each 20 ms, shape (cells,).
    """
    if energy.size < LENGTHS_S[-1] * CELLS_PER_S or not (energy > NOTHING).any():
        return None
    smooth = scipy.ndimage.uniform_filter1d(energy, SMOOTH_CELLS)
    smooth = np.where(smooth > NOTHING, smooth, np.inf)  # a recorder's own silence is no room
    steady = np.percentile(smooth[np.isfinite(smooth)], 10) * 10 ** (STEADY_DB / 10)
    for length_s in LENGTHS_S:
        cells = round(length_s * CELLS_PER_S)
        if energy.size < cells:
            continue
        loudest = scipy.ndimage.maximum_filter1d(smooth, cells)[cells // 2 : energy.size - (cells - 1) // 2]
        first = int(np.argmin(loudest))
        if loudest[first] <= steady or (length_s == LENGTHS_S[-1] and np.isfinite(loudest[first])):
            return first / CELLS_PER_S, (first + cells) / CELLS_PER_S
    return None


@dataclass(frozen=True)
class Patch:
    """A stretch of tone on the timeline, `[start, stop)`, that crosses over into what is around it.

    clip : what had been there: whose recording, and how loud it was.
    """

    clip: Clip
    start: int
    stop: int
    source: int
    fade_in: int
    fade_out: int
    gain_db: float = 0.0


def patches(track: Track, seams: Sequence[Seam], tones: Mapping[int, Tone]) -> Iterator[Patch]:
    """Tone for all that was cleared or muted on a track and where nothing else sounds, in order of time."""
    cleared = [
        clip.moved(seam.at)
        for seam in seams if not seam.closed
        for piece in seam.pieces if piece.track == track.id
        for clip in piece.clips
    ]  # fmt: skip
    cleared += [clip for clip in track.clips if clip.muted]
    for clip in sorted(cleared, key=lambda clip: clip.start):
        tone = tones.get(clip.recording)
        if tone is None or tone.stop - tone.start < 4 * CROSSING:
            continue
        gain_db = tone.gain_db(clip.source, clip.source_end)
        for start, stop in _free(track, clip):
            for patch in _laid(clip, tone, start - JOIN // 2, stop + JOIN // 2):
                yield replace(patch, gain_db=gain_db)


def _free(track: Track, clip: Clip) -> Iterator[tuple[int, int]]:
    """What of a cleared clip's room nothing else lies in."""
    at = clip.start
    for other in track.clips:
        if not other.muted and other.end > at and other.start < clip.end:
            if other.start > at:
                yield at, other.start
            at = other.end
    if at < clip.end:
        yield at, clip.end


def _laid(clip: Clip, tone: Tone, start: int, stop: int) -> Iterator[Patch]:
    at, length = start, tone.stop - tone.start
    while at < stop:
        end = min(at + length, stop)
        # A last piece too short to cross into is not begun: the one before it ends where the room does.
        fade_in = min(JOIN if at == start else CROSSING, (end - at) // 2)
        fade_out = min(JOIN if end == stop else CROSSING, (end - at) // 2)
        yield Patch(clip, max(at, 0), end, tone.start + max(-at, 0), fade_in, fade_out)
        if end == stop:
            return
        at = end - CROSSING
