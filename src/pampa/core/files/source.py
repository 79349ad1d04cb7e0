"""Sound in a file of plain frames, read when it is asked for: no file stays open, no memory stays taken."""

import os
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from pampa.core.sound import RATE, FloatArray

BYTES = 4


@dataclass(frozen=True)
class FileSource:
    """Interleaved little-endian float32 frames. As small as its name, so it can be sent to another process.

    Opening takes some microseconds, a mapped file takes a descriptor for as long as it is known: with a larder of two
    thousand pieces, more than a process may have.
    """

    path: Path
    channels: int
    frames: int
    rate: int = RATE

    def read(self, start: int, stop: int) -> FloatArray:
        """Frames `start` to `stop`, shape (stop - start, channels); silence outside the file."""
        first, last = max(start, 0), min(stop, self.frames)
        out = np.empty((max(stop - start, 0), self.channels), np.float32)
        if last <= first:
            out[:] = 0
            return out
        out[: first - start] = 0
        out[last - start :] = 0
        self._fill(out[first - start : last - start], first)
        return out

    def _fill(self, wanted: FloatArray, first: int) -> None:
        place, bytes_left = first * self.channels * BYTES, memoryview(wanted.reshape(-1).view(np.uint8))  # type: ignore[arg-type]
        handle = os.open(self.path, os.O_RDONLY)
        try:
            while len(bytes_left):
                got = os.preadv(handle, [bytes_left], place)
                if not got:
                    bytes_left[:] = bytes(len(bytes_left))  # shorter than it should be: silent there
                    return
                bytes_left, place = bytes_left[got:], place + got
        finally:
            os.close(handle)
