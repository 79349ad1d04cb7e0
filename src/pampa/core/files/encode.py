"""Writing sound files from blocks of float frames. The file must not exist under its final name before it is whole."""

from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path

import numpy as np
import soundfile

from pampa.core.deliver.chapters import Timed
from pampa.core.deliver.formats import USUAL_QUALITY, Format
from pampa.core.errors import DiskFull
from pampa.core.files.wave_writing import write_wave
from pampa.core.sound import FloatArray

AT_ONCE = 1 << 14
"""Frames that the Vorbis encoder is given: it lays what it gets on the stack, and a minute is more than that holds."""


def encode(
    path: Path, blocks: Iterable[FloatArray], fmt: Format, *, rate: int, channels: int, chapters: Sequence[Timed] = ()
) -> None:
    """Write blocks of shape (frames, channels), full scale 1.0, to `path`. Raises DiskFull, or OSError.

    chapters : for containers that want to know them from the beginning; the others get them with their tags.
    """
    if fmt.kind == "wav":
        raw = _quantised(blocks, fmt.bits)
        write_wave(path, raw, rate=rate, channels=channels, bits=fmt.bits, broadcast=fmt.broadcast)
    elif fmt.kind in ("flac", "ogg"):
        path.open("wb").close()  # says why, where it cannot be written at all
        try:
            _encode_with_soundfile(path, blocks, fmt, rate, channels)
        except soundfile.LibsndfileError as error:
            raise DiskFull from error
    else:
        from pampa.core.files.encode_av import encode_with_av  # here: it is long in loading

        encode_with_av(path, blocks, fmt, rate, channels, chapters)


def _quantised(blocks: Iterable[FloatArray], bits: int) -> Iterator[bytes]:
    place = 0
    for block in blocks:
        if bits == 32:
            yield block.astype("<f4").tobytes()
        else:
            wide = quantise(block, bits, place).astype("<i4")
            packed = (wide >> 16).astype("<i2") if bits == 16 else wide.view(np.uint8).reshape(-1, 4)[:, 1:]
            yield packed.tobytes()
        place += len(block)


def _encode_with_soundfile(path: Path, blocks: Iterable[FloatArray], fmt: Format, rate: int, channels: int) -> None:
    if fmt.kind == "ogg":
        quality = USUAL_QUALITY if fmt.quality is None else fmt.quality
        options = {"subtype": "VORBIS", "format": "OGG", "compression_level": 1 - quality / 10}
    else:
        options = {"subtype": f"PCM_{fmt.bits}", "format": "FLAC"}
    with soundfile.SoundFile(path, "w", rate, channels, **options) as file:
        place = 0
        for block in blocks:
            if fmt.kind == "ogg":
                for at in range(0, len(block), AT_ONCE):
                    file.write(block[at : at + AT_ONCE])
            else:
                file.write(quantise(block, fmt.bits, place))
            place += len(block)


def quantise(sound: FloatArray, bits: int, place: int) -> np.ndarray:
    """Whole numbers of `bits` bits, left-justified in int32.

    16 bits are dithered with triangular noise of two least significant bits, peak to peak, so that what is
    lost sounds as steady hiss and not as distortion. The noise follows from the place, so the same sound
    always gives the same file. Source: Lipshitz, Wannamaker and Vanderkooy, Quantization and dither, JAES 40 (1992).
    """
    scale = 2 ** (bits - 1)
    wide = sound.astype(np.float64) * scale
    if bits == 16:
        random = np.random.default_rng([place, sound.shape[1]])
        wide += random.random(sound.shape) - random.random(sound.shape)
    whole = np.clip(np.round(wide), -scale, scale - 1).astype(np.int64)
    return (whole << (32 - bits)).astype(np.int32)
