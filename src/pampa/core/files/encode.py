"""Writing sound files from blocks of float frames. The file must not exist under its final name before it is whole."""

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path

import numpy as np
import soundfile

from pampa.core.deliver.formats import Format
from pampa.core.errors import DiskFull
from pampa.core.sound import FloatArray

MP3_FRAME = 1152


def expected_shift_db(fmt: Format) -> float:
    """What the encoder adds to the level by itself, in dB: measured over speech, and corrected beforehand.

    The decoded file is measured anyway; knowing this saves a second encoding.
    """
    if fmt.kind != "mp3" or not fmt.kbit or fmt.kbit >= 256:
        return 0.0
    return -0.265 if fmt.kbit >= 192 else -0.445


def encode(path: Path, blocks: Iterable[FloatArray], fmt: Format, *, rate: int, channels: int) -> None:
    """Write blocks of shape (frames, channels), full scale 1.0, to `path`. Raises DiskFull, or OSError."""
    if fmt.kind == "mp3":
        _encode_mp3(path, blocks, fmt, rate, channels)
        return
    path.open("wb").close()  # says why, where it cannot be written at all
    try:
        _encode_plain(path, blocks, fmt, rate, channels)
    except soundfile.LibsndfileError as error:
        raise DiskFull from error


def _encode_plain(path: Path, blocks: Iterable[FloatArray], fmt: Format, rate: int, channels: int) -> None:
    subtype = f"PCM_{fmt.bits}"
    with soundfile.SoundFile(path, "w", rate, channels, subtype, format=fmt.kind.upper()) as file:
        place = 0
        for block in blocks:
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


def _encode_mp3(path: Path, blocks: Iterable[FloatArray], fmt: Format, rate: int, channels: int) -> None:
    import av  # here: it is long in loading

    with av.open(str(path), "w", format="mp3", options={"id3v2_version": "0", "write_xing": "1"}) as container:
        stream = container.add_stream("libmp3lame", rate=rate)
        stream.bit_rate = (fmt.kbit or 160) * 1000
        stream.codec_context.layout = "mono" if channels == 1 else "stereo"
        stream.codec_context.format = "fltp"
        stream.codec_context.time_base = Fraction(1, rate)
        place = 0
        for block in _rebatched(blocks, MP3_FRAME * 64):
            frame = av.AudioFrame.from_ndarray(
                np.ascontiguousarray(block.T), format="fltp", layout="mono" if channels == 1 else "stereo"
            )
            frame.sample_rate, frame.pts, frame.time_base = rate, place, Fraction(1, rate)
            place += len(block)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


def _rebatched(blocks: Iterable[FloatArray], size: int) -> Iterable[FloatArray]:
    """The same frames in blocks of `size`, the last one shorter: encoders want whole frames until the end."""
    rest: FloatArray | None = None
    for block in blocks:
        joined = block if rest is None else np.concatenate([rest, block])
        whole = len(joined) // size * size
        for at in range(0, whole, size):
            yield joined[at : at + size]
        rest = joined[whole:]
    if rest is not None and len(rest):
        yield rest
