"""Sound that is computed once, segment by segment, and kept in a folder until room is needed there."""

import contextlib
import os
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from cachetools import LRUCache

from pampa.core.errors import DiskFull
from pampa.core.files.room import require_room
from pampa.core.files.whole import MAKING
from pampa.core.locks import Locks
from pampa.core.sound import RATE, SEGMENT_S, FloatArray, Segment

SEGMENT = SEGMENT_S * RATE
SPARE = RATE // 2
"""Frames after a beginning that are computed and dropped: at its end, a stretch may lack what lies beyond."""
USE_NOTED_S = 60.0
OPEN = 64
_open: "LRUCache[tuple[Path, int], FloatArray]" = LRUCache(OPEN)
_lock = threading.Lock()
_making = Locks()


@dataclass(frozen=True, eq=False)
class Kept:
    """A source over segments in `folder`. compute : gives a segment that is not there."""

    folder: Path
    channels: int
    frames: int
    compute: Callable[[Segment], FloatArray]
    rate: int = RATE

    def read(self, start: int, stop: int) -> FloatArray:
        """Frames `start` to `stop`; silence outside."""
        first, last = max(start, 0), min(stop, self.frames)
        if last <= first:
            return np.zeros((stop - start, self.channels), np.float32)
        if first == start and last == stop and start // SEGMENT == (stop - 1) // SEGMENT:
            begin = start // SEGMENT * SEGMENT
            return self.segment(self._at(start // SEGMENT), stop - begin)[start - begin : stop - begin]
        out = np.zeros((stop - start, self.channels), np.float32)
        for index in range(first // SEGMENT, (last - 1) // SEGMENT + 1):
            begin = index * SEGMENT
            a, b = max(first, begin), min(last, begin + SEGMENT)
            out[a - start : b - start] = self.segment(self._at(index), b - begin)[a - begin : b - begin]
        return out

    def hurry(self, start: int, stop: int) -> None:
        """Have frames `start` to `stop` ready for whoever waits for them: what is not there of the last segment is
        computed up to there, and the whole of it when more is read. They are the same frames, bit by bit."""
        first, last = max(start, 0), min(stop, self.frames)
        if last <= first:
            return
        segment = self._at((last - 1) // SEGMENT)
        if first < segment.start:
            self.read(first, segment.start)
        if last + SPARE >= segment.stop:
            self.segment(segment)
            return
        place = (self.folder, segment.index)
        with _making.of(place):
            if _held(place, 1) is None and not self._path(segment).exists():
                beginning = self.compute(Segment(segment.index, segment.start, last + SPARE))
                with _lock:
                    _open[place] = beginning[: last - segment.start]

    def _at(self, index: int) -> Segment:
        return Segment(index, index * SEGMENT, min((index + 1) * SEGMENT, self.frames))

    def segment(self, segment: Segment, enough: int | None = None) -> FloatArray:
        """One segment: from memory, from the folder, or computed now.

        enough : so many frames of it will do, where those are in memory; never fewer come.
        """
        place = (self.folder, segment.index)
        if enough is None:
            enough = segment.stop - segment.start
        if (held := _held(place, enough)) is not None:
            return held
        with _making.of(place):  # of two that want the same one, one computes it
            if (held := _held(place, enough)) is not None:
                return held
            sound = self._found(segment)
            with _lock:
                _open[place] = sound
        return sound

    def _found(self, segment: Segment) -> FloatArray:
        self._note_use()
        path = self._path(segment)
        shape = (segment.stop - segment.start, self.channels)
        try:
            sound: FloatArray = np.memmap(path, np.float32, "r", shape=shape)
        except (FileNotFoundError, ValueError):
            sound = self.compute(segment)
            keep_whole(path, sound.tobytes())
        return sound

    def _path(self, segment: Segment) -> Path:
        return self.folder / f"{segment.index}.f32"

    def _note_use(self) -> None:
        """What was used longest ago is deleted first where the cache grows too large."""
        with contextlib.suppress(OSError):
            if time.time() - self.folder.stat().st_mtime > USE_NOTED_S:
                os.utime(self.folder)


def _held(place: tuple[Path, int], enough: int) -> FloatArray | None:
    with _lock:
        sound = _open.get(place)
    return None if sound is None or len(sound) < enough else sound


def keep_whole(path: Path, data: bytes) -> None:
    """Write a cache file so that it is there whole or not at all. A full disk only means it is not kept."""
    making = path.with_name(f"{path.name}{MAKING}-{os.getpid()}-{threading.get_ident()}")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        require_room(path.parent)
        making.write_bytes(data)
        making.replace(path)
    except (OSError, DiskFull):
        making.unlink(missing_ok=True)
