"""A long chain of work done once and held in a nameless file, for those who will read all of it several times."""

import tempfile
from functools import partial
from pathlib import Path

import numpy as np

from pampa.core.errors import DiskFull
from pampa.core.executor import Executor, Inline
from pampa.core.files.room import require_room
from pampa.core.sound import ArraySource, Source, read_segment, segments


def held(source: Source, folder: Path | None = None, executor: Executor | None = None) -> Source:
    """The same sound, read from a file that nobody else sees and that goes with the last who holds it.

    folder : on which disk; the system's for temporary files where None. Without room there it is `source` itself.
    """
    where = folder or Path(tempfile.gettempdir())
    try:
        require_room(where, source.frames * source.channels * 4)
        with tempfile.TemporaryFile(dir=where) as file:
            for part in (executor or Inline()).map(partial(read_segment, source), segments(source.frames)):
                file.write(np.ascontiguousarray(part, np.float32).data)
            file.flush()
            sound = np.memmap(file, np.float32, "r", shape=(source.frames, source.channels))
    except (DiskFull, OSError):
        return source
    return ArraySource(sound, source.rate)
