"""Reading any supported sound file in blocks: libsndfile first, FFmpeg's libraries for what it cannot read."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from pampa.core.errors import UnreadableSound
from pampa.core.sound import FloatArray

BLOCK, SMALL_BLOCK = 1 << 17, 1 << 10
MOST_CHANNELS = 64


@dataclass(frozen=True)
class SoundFile:
    """An open file. `frames` is what its header says, 0 where it says nothing."""

    rate: int
    channels: int
    frames: int
    format: str
    blocks: Iterator[FloatArray]
    """Float32 blocks of shape (some frames, channels), in order."""


@contextmanager
def open_sound(path: Path) -> Iterator[SoundFile]:
    """Open a file as sound, whatever its name says it is.

    Raises UnreadableSound with what is wrong: empty, not audio, no channels, damaged from the start.
    """
    if not path.is_file():
        raise UnreadableSound(f"There is no file {path.name}. Look at its name and folder.")
    if path.stat().st_size == 0:
        raise UnreadableSound(f"{path.name} is empty: it holds no bytes. Copy it from the recorder again.")
    try:
        handle = soundfile.SoundFile(path)
    except (soundfile.LibsndfileError, RuntimeError):
        with _open_with_av(path) as sound:
            yield sound
        return
    with handle:
        yield _checked(
            path,
            SoundFile(
                handle.samplerate, handle.channels, max(handle.frames, 0),
                f"{handle.format} {handle.subtype}".replace("_", " "), _soundfile_blocks(handle),
            ),
        )  # fmt: skip


def _checked(path: Path, sound: SoundFile) -> SoundFile:
    if sound.channels < 1 or sound.channels > MOST_CHANNELS:
        raise UnreadableSound(f"{path.name} says it has {sound.channels} channels; 1 to {MOST_CHANNELS} can be read.")
    if not 4000 <= sound.rate <= 768_000:
        raise UnreadableSound(f"{path.name} says its sample rate is {sound.rate} Hz; 4 to 768 kHz can be read.")
    return sound


def _soundfile_blocks(handle: soundfile.SoundFile) -> Iterator[FloatArray]:
    done, size = 0, BLOCK
    while True:
        try:
            block = handle.read(size, dtype="float32", always_2d=True)
        except (soundfile.LibsndfileError, RuntimeError):
            if size == SMALL_BLOCK:
                return  # damaged from here on: what came before is kept, and found short by the caller
            size = SMALL_BLOCK  # come as near to the damage as can be
            try:
                handle.seek(done)
            except (soundfile.LibsndfileError, RuntimeError):
                return
            continue
        if not len(block):
            return
        done += len(block)
        yield block


@contextmanager
def _open_with_av(path: Path) -> Iterator[SoundFile]:
    import av  # here: most files need it not, and it is long in loading

    try:
        container = av.open(str(path))
    except (av.FFmpegError, ValueError, OSError) as error:
        raise UnreadableSound(
            f"{path.name} could not be read as sound. Nothing was changed. Pampa reads WAV, FLAC, MP3, Ogg, Opus, "
            "AAC, M4A and the sound of MP4; export it again in one of these."
        ) from error
    with container:
        if not container.streams.audio:
            raise UnreadableSound(f"{path.name} holds no sound. Nothing was changed; choose another file.")
        stream = container.streams.audio[0]
        seconds = float(stream.duration * stream.time_base) if stream.duration and stream.time_base else 0.0
        channels = stream.codec_context.channels
        rate = stream.codec_context.sample_rate or 0
        yield _checked(
            path,
            SoundFile(rate, channels, round(seconds * rate), f"{stream.codec_context.name}".upper(),
                      _av_blocks(container, channels, rate)),
        )  # fmt: skip


def _av_blocks(container: Any, channels: int, rate: int) -> Iterator[FloatArray]:
    import av

    stream = container.streams.audio[0]
    resampler = av.AudioResampler(format="fltp", layout=stream.codec_context.layout, rate=rate)
    gathered: list[FloatArray] = []
    frames = 0
    try:
        for frame in container.decode(stream):
            for part in resampler.resample(frame):
                gathered.append(part.to_ndarray().T[:, :channels].astype(np.float32, copy=False))
                frames += part.samples
            if frames >= BLOCK:
                yield np.ascontiguousarray(np.concatenate(gathered), np.float32)
                gathered, frames = [], 0
    except av.FFmpegError:
        pass  # damaged from here on: what came before is kept
    if frames:
        yield np.ascontiguousarray(np.concatenate(gathered), np.float32)
