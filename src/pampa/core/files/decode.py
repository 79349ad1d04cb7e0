"""Reading any supported sound file in blocks: libsndfile first, FFmpeg's libraries for what it cannot read.

A file that is damaged somewhere is read on behind the damage, with silence in the place of what is lost, so that
everything after it stays in step.
"""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TypeVar

import soundfile

from pampa.core.errors import UnreadableSound
from pampa.core.files.flac import patient_flac_blocks
from pampa.core.files.opened import BLOCK, Gap, SoundDamaged, SoundFile
from pampa.core.files.wave import pcm_blocks, read_wave_header
from pampa.core.sound import FloatArray

MOST_CHANNELS = 64
MOST_FRAMES = 1 << 40
"""Some headers stand for "not known" by a number that no file has."""

Result = TypeVar("Result")


def read_sound(path: Path, take: Callable[[SoundFile], Result]) -> Result:
    """Have `take` read a file; where it turns out to be damaged, once more from the beginning.

    Raises UnreadableSound with what is wrong: empty, not audio, no channels, damaged from the start.
    """
    try:
        with open_sound(path) as sound:
            return take(sound)
    except SoundDamaged:
        with open_sound(path, patient=True) as sound:
            return take(sound)


@contextmanager
def open_sound(path: Path, *, patient: bool = False) -> Iterator[SoundFile]:
    """Open a file as sound, whatever its name says it is.

    patient : put up with damage. Without it the blocks raise SoundDamaged where there is some; see `read_sound`.
    """
    if not path.is_file():
        raise UnreadableSound(f"There is no file {path.name}. Look at its name and folder.")
    if path.stat().st_size == 0:
        raise UnreadableSound(f"{path.name} is empty: it holds no bytes. Copy it from the recorder again.")
    wave = read_wave_header(path)
    if wave is not None and wave.is_off:
        yield checked(path, SoundFile(wave.rate, wave.channels, wave.promised_frames, f"WAV {wave.subtype}",
                                      pcm_blocks(path, wave, BLOCK), header_off=True))  # fmt: skip
        return
    handle = _opened(path)
    if handle is None:
        from pampa.core.files.decode_av import open_with_av

        with open_with_av(path, patient=patient) as sound:
            yield checked(path, sound)
        return
    with handle:
        frames = handle.frames if 0 <= handle.frames < MOST_FRAMES else 0
        told = (handle.samplerate, handle.channels, frames, f"{handle.format} {handle.subtype}".replace("_", " "))
        gaps: list[Gap] = []
        if not patient:
            yield checked(path, SoundFile(*told, _blocks(handle, frames), gaps))
            return
        if handle.format == "FLAC":
            yield checked(path, SoundFile(*told, patient_flac_blocks(path, frames, gaps), gaps))
            return
        if handle.format not in ("MP3", "MPEG"):  # plain frames: whatever is there is in its place
            yield checked(path, SoundFile(*told, _blocks(handle, frames, to_the_end=True), gaps))
            return
    from pampa.core.files.decode_av import open_with_av

    with open_with_av(path, patient=True, frames=frames) as sound:
        yield checked(path, sound)


def _opened(path: Path) -> soundfile.SoundFile | None:
    """The file in libsndfile, if that reads it well: of Ogg files it passes over lost pages without a word."""
    with path.open("rb") as file:
        if file.read(4) == b"OggS":
            return None
    try:
        return soundfile.SoundFile(path)
    except (soundfile.LibsndfileError, RuntimeError):
        return None


def checked(path: Path, sound: SoundFile) -> SoundFile:
    """The file as it is, or UnreadableSound if nothing can be done with such sound."""
    if sound.channels < 1 or sound.channels > MOST_CHANNELS:
        raise UnreadableSound(f"{path.name} says it has {sound.channels} channels; 1 to {MOST_CHANNELS} can be read.")
    if not 4000 <= sound.rate <= 768_000:
        raise UnreadableSound(f"{path.name} says its sample rate is {sound.rate} Hz; 4 to 768 kHz can be read.")
    return sound


def _blocks(handle: soundfile.SoundFile, frames: int, *, to_the_end: bool = False) -> Iterator[FloatArray]:
    """Blocks of a file. to_the_end : a damage or a short end is taken for the end, instead of raising SoundDamaged."""
    done = 0
    while True:
        try:
            block = handle.read(BLOCK, dtype="float32", always_2d=True)
        except (soundfile.LibsndfileError, RuntimeError) as error:
            if to_the_end:
                return
            raise SoundDamaged from error
        if not len(block):
            break
        done += len(block)
        yield block
    if done < frames and not to_the_end:
        raise SoundDamaged  # what is lost may lie anywhere, and all after it would be out of step
