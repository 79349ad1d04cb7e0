"""Writing MP3, AAC in M4A, and Opus, with what players need to know of the encoder's delay and the exact length.

MP3 carries it in its LAME header, M4A in its edit list, Opus in its pre-skip and last granule position (RFC 7845): all
are written by FFmpeg's muxers, and read back in the tests.
"""

from collections.abc import Iterable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

from pampa.core.deliver.chapters import Timed
from pampa.core.deliver.formats import Format, Kind
from pampa.core.sound import FloatArray

CODECS: dict[Kind, tuple[str, str, str]] = {
    "mp3": ("mp3", "libmp3lame", "fltp"), "m4a": ("ipod", "aac", "fltp"), "opus": ("opus", "libopus", "flt"),
}  # fmt: skip
"""The container, encoder and sample format of each kind."""
OPTIONS: dict[Kind, dict[str, str]] = {
    "mp3": {"id3v2_version": "0", "write_xing": "1"}, "m4a": {"movflags": "+faststart"}, "opus": {},
}  # fmt: skip
FRAMES: dict[Kind, int] = {"mp3": 1152, "m4a": 1024, "opus": 960}
AT_ONCE = 64
LAMBDA = 118
"""FFmpeg's unit of quality."""


def encode_with_av(
    path: Path, blocks: Iterable[FloatArray], fmt: Format, rate: int, channels: int, chapters: Sequence[Timed]
) -> None:
    """Write a finished file. Raises OSError where the disk is full."""
    container_name, codec, sample_format = CODECS[fmt.kind]
    layout = "mono" if channels == 1 else "stereo"
    with av.open(str(path), "w", format=container_name, options=OPTIONS[fmt.kind]) as container:
        stream: Any = container.add_stream(codec, rate=rate, options=_settings(fmt))
        if fmt.kbit:
            stream.bit_rate = fmt.kbit * 1000
        stream.codec_context.layout = layout
        stream.codec_context.format = sample_format
        stream.codec_context.time_base = Fraction(1, rate)
        if fmt.kind == "m4a" and chapters:
            container.set_chapters([_told(n, chapter) for n, chapter in enumerate(chapters)])
        place = 0
        for block in rebatched(blocks, FRAMES[fmt.kind] * AT_ONCE):
            packed = block.T if sample_format == "fltp" else block.reshape(1, -1)
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(packed), format=sample_format, layout=layout)
            frame.sample_rate, frame.pts, frame.time_base = rate, place, Fraction(1, rate)
            place += len(block)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


def _settings(fmt: Format) -> dict[str, str]:
    if fmt.kind == "mp3" and fmt.quality is not None:
        return {"flags": "+qscale", "global_quality": str(fmt.quality * LAMBDA)}
    return {"vbr": "on", "application": "audio"} if fmt.kind == "opus" else {}


def _told(number: int, chapter: Timed) -> Any:
    return {"id": number, "start": round(chapter.start_s * 1000), "end": round(chapter.end_s * 1000),
            "time_base": Fraction(1, 1000), "metadata": {"title": chapter.title}}  # fmt: skip


def rebatched(blocks: Iterable[FloatArray], size: int) -> Iterator[FloatArray]:
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
