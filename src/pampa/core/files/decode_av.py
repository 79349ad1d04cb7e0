"""Reading with FFmpeg's libraries: every decoded frame is put where its time stamp says, or where its bytes lay."""

import math
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

import av
import numpy as np

from pampa.core.errors import UnreadableSound
from pampa.core.files.opened import BLOCK, SoundDamaged, SoundFile
from pampa.core.sound import FloatArray

CONTAINERS = ("mov,mp4,m4a,3gp,3g2,mj2", "aac", "mp3", "ogg", "flac", "wav", "matroska,webm", "aiff", "au",
              "caf", "w64")  # fmt: skip
"""All that is read. A playlist, for one, would have other files of the machine read."""
COUNTED = ("mp3", "aac")
"""Here time stamps are counted from frames found, so that a stretch without any is not seen in them."""
JITTER, ROUNDING = 2048, 128
"""Frames by which time stamps may be off without anything missing: windows of two sizes, or clocks of telephones, and
rounding. Behind a packet that could not be decoded something is missing for certain, and only rounding counts."""
READABLE = "WAV, FLAC, MP3, Ogg, Opus, AAC, M4A and the sound of MP4, MOV and WebM"


@dataclass(frozen=True)
class _Scan:
    """What a first reading of a counted file found.

    frames : decoded. lost_bytes : in no packet that could be decoded. junk_bytes : in packets that could not; of AAC
    these are a part only, since more is passed over in silence. mean_packet : size of the others, in bytes.
    """

    frames: int
    lost_bytes: int
    junk_bytes: int
    mean_packet: float


@contextmanager
def open_with_av(path: Path, *, patient: bool, frames: int = 0) -> Iterator[SoundFile]:
    """Open a file of one of `CONTAINERS`. frames : its length, where that is known better than here."""
    with path.open("rb") as file, open_container(path, file) as container:
        if not container.streams.audio:
            raise UnreadableSound(f"{path.name} holds no sound. Nothing was changed; choose another file.")
        stream = container.streams.audio[0]
        seconds = float(stream.duration * stream.time_base) if stream.duration and stream.time_base else 0.0
        channels, rate = stream.codec_context.channels, stream.codec_context.sample_rate or 0
        frames = frames or round(seconds * rate)
        scan = _scanned(path) if patient and container.format.name in COUNTED else None
        gaps: list[tuple[int, int]] = []
        blocks = _placed(container, channels, rate, frames, gaps, scan, patient)
        yield SoundFile(rate, channels, frames, f"{stream.codec_context.name}".upper(), blocks, gaps)


def open_container(path: Path, file: BinaryIO) -> Any:
    """A container that is read by its open file."""
    # By its open file, not its name: nothing that stands inside can ask for another one.
    try:
        return av.open(file, options={"format_whitelist": ",".join(CONTAINERS), "protocol_whitelist": "none"})
    except (av.FFmpegError, ValueError, OSError) as error:
        raise UnreadableSound(
            f"{path.name} could not be read as sound. Nothing was changed. Pampa reads {READABLE}; export it again "
            "in one of these."
        ) from error


def _scanned(path: Path) -> _Scan:
    frames = junk = good = count = 0
    with path.open("rb") as file, open_container(path, file) as container:
        for packet, decoded in _decoded(container):
            if decoded is None:
                junk += packet.size
            elif packet.size:
                good, count = good + packet.size, count + 1
                frames += sum(frame.samples for frame in decoded)
    lost = path.stat().st_size - good if container.format.name == "aac" else junk
    return _Scan(frames, lost, junk, good / max(count, 1))


def _decoded(container: Any) -> Iterator[tuple[Any, list[Any] | None]]:
    """Packets with what they hold; None where a packet cannot be decoded."""
    packets = container.demux(container.streams.audio[0])
    while True:
        try:
            packet = next(packets, None)
        except (av.FFmpegError, OSError):
            return  # cut off in the middle of a structure: nothing can be found behind it
        if packet is None:
            return
        try:
            yield packet, packet.decode()
        except (av.FFmpegError, OSError):
            yield packet, None


def _placed(container: Any, channels: int, rate: int, frames: int, gaps: list[tuple[int, int]], scan: _Scan | None,
            patient: bool) -> Iterator[FloatArray]:  # fmt: skip
    """Blocks of the stream, with silence where something is missing between two frames."""
    layout = container.streams.audio[0].codec_context.layout
    resampler = av.AudioResampler(format="fltp", layout=layout, rate=rate)
    counted = container.format.name in COUNTED
    jitter = JITTER if container.streams.audio[0].codec_context.name != "opus" else ROUNDING
    held: list[FloatArray] = []
    written = waiting = 0  # frames given away, and frames held
    first: float | None = None
    junk = 0  # bytes without a frame since the last one

    def silence(count: int) -> None:
        nonlocal waiting
        gaps.append((written + waiting, count))
        held.append(np.zeros((count, channels), np.float32))
        waiting += count

    for packet, decoded in _decoded(container):
        if decoded is None:
            junk += packet.size
            continue
        for frame in decoded:
            if junk and counted:
                if not patient or scan is None:
                    raise SoundDamaged
                if lost := _lost(scan, junk, frame.samples, frames if container.format.name == "mp3" else 0):
                    silence(lost)
            elif not counted and frame.pts is not None:
                place = float(frame.pts * frame.time_base) * rate
                first = place if first is None else first
                lost = round(place - first) - written - waiting
                if lost > (ROUNDING if junk else jitter):
                    silence(min(lost, frames - written - waiting) if frames else lost)
            junk = 0
            for part in resampler.resample(frame):
                sound = part.to_ndarray().T[:, :channels].astype(np.float32, copy=False)
                if gaps and frames and container.format.name == "mp3":
                    sound = sound[: max(frames - written - waiting, 0)]
                held.append(sound)
                waiting += len(sound)
            if waiting >= BLOCK:
                yield _joined(held)
                written, held, waiting = written + waiting, [], 0
    if held:
        yield _joined(held)


def _joined(held: list[FloatArray]) -> FloatArray:
    return np.ascontiguousarray(np.concatenate(held), np.float32)


def _lost(scan: _Scan, junk: int, samples: int, frames: int) -> int:
    """Frames that bytes without any stand for, whole packets of `samples`: their share of all that is missing.

    What is missing of `frames`, or, where the header does not tell those, as many packets as usually fit in.
    """
    if frames > scan.frames:
        packets = math.ceil((frames - scan.frames) / samples)  # an encoder's padding is not cut off behind damage
    else:
        packets = round(scan.lost_bytes / max(scan.mean_packet, 1.0))
    return round(packets * junk / max(scan.junk_bytes, 1)) * samples
