"""An open sound file, whichever library reads it."""

from collections.abc import Iterator
from dataclasses import dataclass, field

from pampa.core.sound import FloatArray

BLOCK = 1 << 17
Gap = tuple[int, int]
"""First frame and number of frames that could not be read; silence stands there."""


class SoundDamaged(Exception):
    """A file cannot be read on here, or held less than it promised: read it once more, patiently."""


@dataclass(frozen=True)
class SoundFile:
    """An open file. `frames` is what its header says, 0 where it says nothing."""

    rate: int
    channels: int
    frames: int
    format: str
    blocks: Iterator[FloatArray]
    """Float32 blocks of shape (some frames, channels), in order."""
    gaps: list[Gap] = field(default_factory=list)
    """What could not be read: known when all blocks have been."""
    header_off: bool = False
    """The header tells another length than the file has: its recorder may have lost power."""
