"""The picture of a file: what it is, and its frames one after the other or at a moment, with FFmpeg's libraries."""

from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from pampa.core.errors import UnreadableSound
from pampa.core.files.decode_av import open_container
from pampa.core.picture.facts import PictureFacts

Pixels = NDArray[np.uint8]
SEEK_OVER_S = 3.0
"""Moments further on than this are sought; nearer ones are decoded on to."""
PROBED = 300
"""Packets that tell whether the rate is even."""
UNEVEN, MANY = 0.1, 0.02
"""Where more than so many frames differ in length by more than this share of the mean, the rate is variable."""


class PictureFile:
    """A file with a picture, open for reading. Times are in seconds from where its sound begins."""

    def __init__(self, path: Path) -> None:
        self._held = ExitStack()
        file = self._held.enter_context(path.open("rb"))
        try:
            self._container: Any = self._held.enter_context(open_container(path, file))
            streams = [stream for stream in self._container.streams.video if not _is_cover(stream)]
            if not streams:
                raise UnreadableSound(f"{path.name} has no picture.")
            self._stream = streams[0]
            self._stream.thread_type = "AUTO"
            self._zero = _sound_begins(path)
        except BaseException:
            self._held.close()
            raise
        self.broken = 0
        """Packets that could not be decoded so far; the frame before stays for them."""

    def __enter__(self) -> "PictureFile":
        return self

    def __exit__(self, *_: object) -> None:
        self._held.close()

    def facts(self) -> PictureFacts:
        """What the picture is. Raises UnreadableSound where no frame of it can be decoded."""
        first = next(self.frames(), None)
        if first is None:
            raise UnreadableSound("No frame of the picture could be read.")
        starts_s, frame = first
        context, rotation = self._stream.codec_context, int(frame.rotation) % 360
        width, height = (frame.height, frame.width) if rotation in (90, 270) else (frame.width, frame.height)
        length = self._stream.duration or 0
        duration_s = (
            float(length * self._stream.time_base) if length else (self._container.duration or 0) / av.time_base
        )
        fps = float(self._stream.average_rate or self._stream.base_rate or 25)
        return PictureFacts(
            width, height, rotation, round(fps, 4), self._is_uneven(), round(duration_s, 3), round(starts_s, 4),
            context.name,
        )  # fmt: skip

    def frames(self, start_s: float | None = None) -> Iterator[tuple[float, Any]]:
        """Frames in order, each with its time; from the one that is seen at `start_s` on."""
        at = self._stream.start_time or 0
        if start_s is not None:
            at = max(at, int((start_s + self._zero) / self._stream.time_base))
        self._container.seek(at, stream=self._stream, backward=True)
        packets = self._container.demux(self._stream)
        while True:
            try:
                packet = next(packets, None)
            except (av.FFmpegError, OSError):
                return
            if packet is None:
                return
            try:
                decoded = packet.decode()
            except (av.FFmpegError, OSError):
                self.broken += 1
                continue
            for frame in decoded:
                if frame.pts is not None:
                    yield float(frame.pts * frame.time_base) - self._zero, frame

    def _is_uneven(self) -> bool:
        self._container.seek(self._stream.start_time or 0, stream=self._stream, backward=True)
        times = []
        for packet in self._container.demux(self._stream):
            if packet.pts is not None:
                times.append(packet.pts)
            if len(times) >= PROBED:
                break
        steps = np.diff(np.sort(np.array(times, np.float64)))[1:-1]
        if not steps.size or steps.mean() <= 0:
            return False
        return bool((np.abs(steps - steps.mean()) > UNEVEN * steps.mean()).mean() > MANY)


class FrameReader:
    """The frame that is seen at a moment; quick where moments follow one another."""

    def __init__(self, picture: PictureFile) -> None:
        self._picture = picture
        self._frames: Iterator[tuple[float, Any]] = iter(())
        self._now: tuple[float, Any] | None = None
        self._next: tuple[float, Any] | None = None

    def at(self, seconds: float) -> Any | None:
        """A frame, or None before the first one and where none can be read."""
        ahead = self._next[0] if self._next else None
        if self._now is None or seconds < self._now[0] or (ahead is not None and seconds > ahead + SEEK_OVER_S):
            self._frames = self._picture.frames(seconds)
            self._now, self._next = None, next(self._frames, None)
        while self._next is not None and self._next[0] <= seconds:
            self._now, self._next = self._next, next(self._frames, None)
        return self._now[1] if self._now else None


def picture_facts(path: Path) -> PictureFacts | None:
    """What the picture of a file is; None where it has none that can be read."""
    try:
        with PictureFile(path) as picture:
            return picture.facts()
    except (UnreadableSound, av.FFmpegError, OSError, ValueError):
        return None


def has_picture(path: Path) -> bool:
    """Whether a file says that it has a picture, whether that can be read or not."""
    try:
        with path.open("rb") as file, open_container(path, file) as container:
            return any(not _is_cover(stream) for stream in container.streams.video)
    except (UnreadableSound, av.FFmpegError, OSError, ValueError):
        return False


def pixels_of(frame: Any, width: int, height: int) -> Pixels:
    """A frame as it is seen, `width` by `height` pixels in red, green and blue; black beside it if it is narrower."""
    rotation = int(frame.rotation) % 360
    across, down = (frame.height, frame.width) if rotation in (90, 270) else (frame.width, frame.height)
    scale = min(width / across, height / down)
    wide, high = (max(round(side * scale / 2) * 2, 2) for side in (across, down))
    wide, high = min(wide, width), min(high, height)
    size = (high, wide) if rotation in (90, 270) else (wide, high)
    plain: Pixels = frame.reformat(width=size[0], height=size[1], format="rgb24", interpolation="AREA").to_ndarray()
    turned = np.rot90(plain, rotation // 90)
    if turned.shape == (height, width, 3):
        return np.ascontiguousarray(turned)
    out = np.zeros((height, width, 3), np.uint8)
    top, left = (height - high) // 2, (width - wide) // 2
    out[top : top + high, left : left + wide] = turned
    return out


def _is_cover(stream: Any) -> bool:
    return bool(stream.disposition & av.stream.Disposition.attached_pic)


def _sound_begins(path: Path) -> float:
    """The time stamp of the first frame of sound: where the recording's own time is 0."""
    with path.open("rb") as file, open_container(path, file) as container:
        if not container.streams.audio:
            return 0.0
        try:
            for frame in container.decode(container.streams.audio[0]):
                return float(frame.pts * frame.time_base) if frame.pts is not None else 0.0
        except (av.FFmpegError, OSError):
            return 0.0
    return 0.0
