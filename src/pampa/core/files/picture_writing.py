"""The picture cut as the talk was cut, with the finished sound under it: H.264 and AAC in MP4."""

from collections.abc import Callable, Mapping, Sequence
from contextlib import ExitStack
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

from pampa.core.files.picture import FrameReader, PictureFile, pixels_of
from pampa.core.files.room import require_room
from pampa.core.files.whole import whole
from pampa.core.picture.seen import Stretch
from pampa.core.sound import RATE

CODEC = "libx264"
OPTIONS = {"preset": "veryfast", "crf": "20", "bf": "2"}
"""Constant quality; players of every age read it."""


def write_picture(path: Path, stretches: Sequence[Stretch], files: Mapping[int, Path], sound: Path, *, frames: int,
                  size: tuple[int, int], fps: Fraction, progress: Callable[[float], None] = lambda share: None
                  ) -> None:  # fmt: skip
    """Write `path` whole, or not at all.

    stretches : what is seen when; black where nothing is. files : of the recordings in them. sound : the finished sound
    in M4A, which is copied as it is. frames : how long it lasts, in frames of sound. size : width and height, even.

    Each frame shows what was seen in the middle of its time, so that no rounding adds up: after an hour it lies where
    it lay in the first second.
    """
    with ExitStack() as held:
        making = held.enter_context(whole(path))
        readers = {
            number: FrameReader(held.enter_context(PictureFile(files[number])))
            for number in {stretch.recording for stretch in stretches}
        }
        heard: Any = held.enter_context(av.open(str(sound)))
        with av.open(str(making), "w", format="mp4", options={"movflags": "+faststart"}) as out:
            out.metadata.update(heard.metadata)
            if chapters := heard.chapters():
                out.set_chapters(chapters)
            stream: Any = out.add_stream(CODEC, rate=fps, options=OPTIONS)
            stream.width, stream.height, stream.pix_fmt = *size, "yuv420p"
            stream.codec_context.time_base = 1 / fps
            audio = out.add_stream_from_template(heard.streams.audio[0])
            packets = _Ahead(heard, audio, out)
            show = _Shown(readers, size)
            count = int(np.ceil(frames / RATE * fps))
            queue = list(stretches)
            for n in range(count):
                middle = float((n + Fraction(1, 2)) / fps)
                while queue and queue[0].stop <= middle * RATE:
                    queue.pop(0)
                here = queue[0] if queue and queue[0].start <= middle * RATE else None
                frame = show.frame(here, middle)
                frame.pts, frame.time_base = n, 1 / fps
                out.mux(stream.encode(frame))
                packets.until(float((n + 1) / fps))
                if n % 100 == 0:
                    require_room(path.parent)
                    progress(n / count)
            out.mux(stream.encode(None))
            packets.until(float("inf"))


class _Ahead:
    """The packets of the sound, muxed as far as the picture has come."""

    def __init__(self, heard: Any, stream: Any, out: Any) -> None:
        self._packets, self._stream, self._out = heard.demux(heard.streams.audio[0]), stream, out
        self._waiting: Any = None

    def until(self, seconds: float) -> None:
        while True:
            packet = self._waiting or next(self._packets, None)
            self._waiting = None
            if packet is None:
                return
            if packet.dts is None:
                continue
            if float(packet.dts * packet.time_base) > seconds:
                self._waiting = packet
                return
            packet.stream = self._stream
            self._out.mux(packet)


class _Shown:
    """Frames of the size that is wanted."""

    def __init__(self, readers: Mapping[int, FrameReader], size: tuple[int, int]) -> None:
        self._readers, self._size = readers, size
        self._black = np.zeros((size[1], size[0], 3), np.uint8)

    def frame(self, stretch: Stretch | None, seconds: float) -> Any:
        found = self._readers[stretch.recording].at(stretch.source_at(seconds)) if stretch else None
        if found is None:
            pixels = self._black
        elif found.rotation % 360 == 0 and (found.width, found.height) == self._size:
            made = found.reformat(format="yuv420p")
            made.pict_type = 0
            return made
        else:
            pixels = pixels_of(found, *self._size)
        return av.VideoFrame.from_ndarray(pixels, format="rgb24").reformat(format="yuv420p")
