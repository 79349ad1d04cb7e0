"""Reading files for commands: decoded once onto disk, so that memory does not grow with length."""

import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

import numpy as np
import soxr

from pampa.core.errors import SignalError, UnreadableSound, disk_errors
from pampa.core.files.conform import HIGHEST
from pampa.core.files.decode import read_sound
from pampa.core.files.opened import SoundFile
from pampa.core.sound import ArraySource


@contextmanager
def decoded(path: Path, *, rate: Callable[[int, int], int] = lambda rate, channels: rate) -> Iterator[ArraySource]:
    """The sound of a file. `rate` is given the file's rate and channels, and says at which rate it is wanted."""
    with tempfile.TemporaryFile() as gathered, disk_errors():
        yield read_sound(path, lambda sound: _gather(path, sound, gathered, rate(sound.rate, sound.channels)))


def _gather(path: Path, sound: SoundFile, gathered: IO[bytes], wanted: int) -> ArraySource:
    resampler = None
    if wanted != sound.rate:
        resampler = soxr.ResampleStream(sound.rate, wanted, sound.channels, dtype="float32", quality="VHQ")
    gathered.seek(0)
    frames = 0
    for block in sound.blocks:
        if not (np.abs(block) < HIGHEST).all():
            raise SignalError(
                f"{path.name} holds samples that are no numbers, or far beyond full scale. Nothing was written; "
                "export it again."
            )
        block = resampler.resample_chunk(block) if resampler else block
        frames += len(block)
        block.tofile(gathered)
    if resampler:
        block = resampler.resample_chunk(np.zeros((0, sound.channels), np.float32), last=True)
        frames += len(block)
        block.tofile(gathered)
    if not frames:
        raise UnreadableSound(f"{path.name} holds no sound, only a header. Nothing was written.")
    gathered.flush()
    return ArraySource(np.memmap(gathered, np.float32, "r", shape=(frames, sound.channels)), wanted)
