"""Writing WAV files of any length, with what broadcasters ask for: loudness, and markers with names.

Sources: IBM and Microsoft, Multimedia Programming Interface 1.0 (1991), RIFF, `cue ` and `adtl`; ITU-R BS.2088, RF64;
EBU Tech 3285 version 2 (2011), `bext`.
"""

import struct
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

from pampa.core.deliver.chapters import Timed
from pampa.core.loudness import Loudness

PCM, FLOAT = 1, 3
SHORT = 0xFFFF_FFFF
DS64, BEXT = 28, 602
LENGTH_AT = 4
UNKNOWN = 0x7FFF
"""What a loudness field holds where nothing was measured."""


@dataclass(frozen=True)
class Broadcast:
    """What a `bext` chunk tells besides the loudness. date, time : as 2026-11-23 and 14:20:00."""

    description: str = ""
    originator: str = "Pampa"
    reference: str = ""
    date: str = ""
    time: str = "00:00:00"


def write_wave(
    path: Path, blocks: Iterable[bytes], *, rate: int, channels: int, bits: int, broadcast: bool = False
) -> None:
    """Write whole numbers of 16 or 24 bits or floats of 32, little-endian and interleaved.

    broadcast : room for a `bext` chunk is left before the sound; `write_broadcast` fills it.
    """
    frame = channels * bits // 8
    form = struct.pack("<HHIIHH", FLOAT if bits == 32 else PCM, channels, rate, rate * frame, frame, bits)
    with path.open("wb") as file:
        file.write(b"RIFF\0\0\0\0WAVE")
        file.write(b"JUNK" + struct.pack("<I", DS64) + bytes(DS64))
        if broadcast:
            file.write(b"bext" + struct.pack("<I", BEXT) + bytes(BEXT))
        file.write(b"fmt " + struct.pack("<I", len(form)) + form)
        file.write(b"data\0\0\0\0")
        start = file.tell()
        for block in blocks:
            file.write(block)
        size = file.tell() - start
        if size % 2:
            file.write(b"\0")
        _write_lengths(file, start, size, size // frame)


def _write_lengths(file, start: int, size: int, frames: int) -> None:  # type: ignore[no-untyped-def]
    """Put the lengths where the header has them; what is longer than 4 GB becomes RF64."""
    whole = file.seek(0, 2) - 8
    long = whole > SHORT
    file.seek(start - 4)
    file.write(struct.pack("<I", SHORT if long else size))
    file.seek(0)
    file.write((b"RF64" if long else b"RIFF") + struct.pack("<I", SHORT if long else whole))
    if long:
        file.seek(12)
        file.write(b"ds64" + struct.pack("<IQQQI", DS64, whole, size, frames, 0))


def write_broadcast(path: Path, told: Broadcast, loudness: Loudness) -> None:
    """Fill the `bext` chunk of a finished file."""
    figures = [_hundredths(value) for value in (
        loudness.integrated_lufs, loudness.loudness_range_lu, loudness.true_peak_dbtp, loudness.max_momentary_lufs,
        loudness.max_short_term_lufs)]  # fmt: skip
    fields = ((told.description, 256), (told.originator, 32), (told.reference, 32), (told.date, 10), (told.time, 8))
    head = b"".join(_field(text, size) for text, size in fields)
    body = head + struct.pack("<QH64x5h180x", 0, 2, *figures)
    with path.open("r+b") as file:
        file.seek(12 + 8 + DS64)
        assert file.read(8) == b"bext" + struct.pack("<I", BEXT)
        file.seek(12 + 8 + DS64 + 8)
        file.write(body)


def _field(text: str, size: int) -> bytes:
    return text.encode("ascii", "replace")[:size].ljust(size, b"\0")


def _hundredths(value: float | None) -> int:
    return UNKNOWN if value is None else min(max(round(value * 100), -32768), 32766)


def write_cues(path: Path, chapters: Sequence[Timed], rate: int) -> None:
    """Add the chapters as markers with names behind the sound of a finished file."""
    if not chapters:
        return
    points = b"".join(
        struct.pack("<II4sIII", n, round(each.start_s * rate), b"data", 0, 0, round(each.start_s * rate))
        for n, each in enumerate(chapters, 1)
    )
    labels = b"adtl" + b"".join(
        _chunk(b"labl", struct.pack("<I", n) + each.title.encode() + b"\0") for n, each in enumerate(chapters, 1)
    )
    more = _chunk(b"cue ", struct.pack("<I", len(chapters)) + points) + _chunk(b"LIST", labels)
    with path.open("r+b") as file:
        file.seek(0, 2)
        file.write(more)
        whole = file.tell() - 8
        file.seek(0)
        if file.read(4) == b"RF64":
            file.seek(20)
            file.write(struct.pack("<Q", whole))
        else:
            file.seek(LENGTH_AT)
            file.write(struct.pack("<I", whole))


def _chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + b"\0" * (len(body) % 2)
