"""A damaged FLAC file, read on behind the damage: every one of its frames names its place.

Source: RFC 9639 (Free Lossless Audio Codec), section 9.1: the frame header.
"""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile

from pampa.core.sound import FloatArray

FINE, COARSE = 256, 4096
"""Steps in frames: the smaller is a common divisor of the block sizes in use, the larger the usual block."""
FINE_TRIES, MOST_STEP = 200, 48_000
BLOCK = 1 << 15


def patient_flac_blocks(path: Path, frames: int, gaps: list[tuple[int, int]]) -> Iterator[FloatArray]:
    """Blocks of a FLAC file of `frames` frames, float32 of shape (some frames, channels).

    Silence stands where nothing can be read, and is told in `gaps`; what is missing at the end is not.
    """
    at = 0
    while at < frames:
        size = BLOCK
        with soundfile.SoundFile(path) as handle:
            try:
                handle.seek(at)
                while size:
                    try:
                        block = handle.read(size, dtype="float32", always_2d=True)
                    except (soundfile.LibsndfileError, RuntimeError):
                        size //= 4  # come as near to the damage as can be, from a fresh start
                        break
                    if not len(block):
                        break
                    yield block
                    at += len(block)
            except (soundfile.LibsndfileError, RuntimeError):
                pass
        if at >= frames:
            return
        yield from (near := list(_near(path, at, size)))
        at += sum(map(len, near))
        behind = _behind(path, at, frames)
        if behind is None:
            return
        with soundfile.SoundFile(path) as handle:
            channels = handle.channels
        gaps.append((at, behind - at))
        for start in range(at, behind, BLOCK):
            yield np.zeros((min(BLOCK, behind - start), channels), np.float32)
        at = behind


def _near(path: Path, at: int, size: int) -> Iterator[FloatArray]:
    """What can be read from `at` on in ever smaller blocks."""
    while size >= 16:
        with soundfile.SoundFile(path) as handle:
            try:
                handle.seek(at)
                block = handle.read(size, dtype="float32", always_2d=True)
            except (soundfile.LibsndfileError, RuntimeError):
                size //= 4
                continue
        if not len(block):
            return
        yield block
        at += len(block)


def _behind(path: Path, at: int, frames: int) -> int | None:
    """The first place after `at` from which a file can be read again; None where there is none."""
    place, step, tries = at, FINE, 0
    while (place := place + step) < frames:
        if _readable(path, place, frames):
            return next((near for near in range(place - step + 16, place, 16) if _readable(path, near, frames)), place)
        tries += 1
        if tries % FINE_TRIES == 0:
            step = min(max(COARSE, 2 * step), MOST_STEP)
    return None


def _readable(path: Path, place: int, frames: int) -> bool:
    with soundfile.SoundFile(path) as handle:
        try:
            handle.seek(place)
            return len(handle.read(min(COARSE, frames - place), dtype="float32")) > 0
        except (soundfile.LibsndfileError, RuntimeError):
            return False
