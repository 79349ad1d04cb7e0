"""WAV files whose header is off, as of a recorder that lost power: their sound is read to its real end.

Sources: IBM and Microsoft, Multimedia Programming Interface 1.0 (1991), RIFF; ITU-R BS.2088 (RF64, BW64).
"""

import os
import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import numpy as np

from pampa.core.sound import FloatArray

PCM, FLOAT, EXTENSIBLE = 1, 3, 0xFFFE
UNFINISHED = 0x7FFF_F000
"""A length from here on is a place-holder that a recorder writes until it is stopped."""
STRAY = 4096
"""Fewer bytes behind the sound than this are something that a program has left there, not sound."""


@dataclass(frozen=True)
class WaveHeader:
    """What a header says of its sound, and where that really lies. is_off : the two are not the same."""

    rate: int
    channels: int
    bits: int
    is_float: bool
    start: int
    promised_bytes: int
    bytes: int
    is_off: bool

    @property
    def subtype(self) -> str:
        return "FLOAT" if self.is_float else f"PCM {self.bits}"

    @property
    def promised_frames(self) -> int:
        """Frames that the header names, if it names more than there are; else what there is."""
        return max(self.promised_bytes, self.bytes) // (self.channels * self.bits // 8)


def read_wave_header(path: Path) -> WaveHeader | None:
    """The header of a WAV file of whole numbers or floats; None for all other files."""
    size = path.stat().st_size
    with path.open("rb") as file:
        start = file.read(12)
        if len(start) < 12 or start[:4] not in (b"RIFF", b"RF64", b"BW64") or start[8:] != b"WAVE":
            return None
        form: tuple[int, int, int, int] | None = None
        long_bytes = 0
        while len(head := file.read(8)) == 8:
            kind, length = head[:4], struct.unpack("<I", head[4:])[0]
            if kind == b"data":
                return None if form is None else _with_data(file, form, length, long_bytes, size)
            body = file.read(min(length, 64))
            if kind == b"fmt " and len(body) >= 16:
                form = _form(body)
            if kind == b"ds64" and len(body) >= 16:
                long_bytes = struct.unpack("<Q", body[8:16])[0]
            file.seek(length - len(body) + (length & 1), os.SEEK_CUR)
    return None


def _form(body: bytes) -> tuple[int, int, int, int]:
    """Kind, channels, rate and bits of a format chunk."""
    kind, channels, rate, _, _, bits = struct.unpack("<HHIIHH", body[:16])
    if kind == EXTENSIBLE and len(body) >= 26:
        kind = struct.unpack("<H", body[24:26])[0]
    return kind, channels, rate, bits


def _with_data(file: BinaryIO, form: tuple[int, int, int, int], length: int, long_bytes: int, size: int
               ) -> WaveHeader | None:  # fmt: skip
    kind, channels, rate, bits = form
    if kind not in (PCM, FLOAT) or not channels or bits not in ((32, 64) if kind == FLOAT else (16, 24, 32)):
        return None
    start = file.tell()
    there = size - start
    if length == 0xFFFF_FFFF and long_bytes:
        length = long_bytes
    promised = 0 if length >= UNFINISHED and length > there else length
    off = promised > there or (there - promised >= STRAY and not _chunks_follow(file, start + promised, size))
    whole = channels * bits // 8
    real = (there if off else promised) // whole * whole
    return WaveHeader(rate, channels, bits, kind == FLOAT, start, promised, real, off)


def _chunks_follow(file: BinaryIO, place: int, size: int) -> bool:
    """Whether what lies behind the sound is chunks, one after another, to the end of the file."""
    place += place & 1
    while size - place >= STRAY:
        file.seek(place)
        head = file.read(8)
        if len(head) < 8 or not all(0x20 <= byte < 0x7F for byte in head[:4]):
            return False
        place += 8 + struct.unpack("<I", head[4:])[0]
        place += place & 1
        if place > size:
            return False
    return True


def pcm_blocks(path: Path, wave: WaveHeader, block: int) -> Iterator[FloatArray]:
    """The sound of a WAV file from where it starts to where it really ends, full scale 1.0."""
    width = wave.channels * wave.bits // 8
    with path.open("rb") as file:
        file.seek(wave.start)
        left = wave.bytes
        while left > 0 and (data := file.read(min(block * width, left))):
            left -= len(data)
            frames = len(data) // width
            yield _as_float(data[: frames * width], wave).reshape(frames, wave.channels)


def _as_float(data: bytes, wave: WaveHeader) -> FloatArray:
    if wave.is_float:
        return np.frombuffer(data, f"<f{wave.bits // 8}").astype(np.float32)
    if wave.bits == 24:
        wide = np.zeros((len(data) // 3, 4), np.uint8)
        wide[:, 1:] = np.frombuffer(data, np.uint8).reshape(-1, 3)
        return wide.view("<i4")[:, 0].astype(np.float32) / np.float32(2**31)
    return np.frombuffer(data, f"<i{wave.bits // 8}").astype(np.float32) / np.float32(2 ** (wave.bits - 1))
