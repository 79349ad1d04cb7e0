"""Conforming: any readable file becomes 48 kHz float frames, channels settled, with its waveform pyramid."""

import json
import os
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np
import soxr

from pampa.core.arrays import array_in
from pampa.core.checkup.clipping import ClipFinder
from pampa.core.errors import UnreadableSound
from pampa.core.files.decode import read_sound
from pampa.core.files.opened import SoundFile
from pampa.core.files.room import require_room
from pampa.core.files.source import FileSource
from pampa.core.files.stalks import StalkWriter
from pampa.core.files.whole import whole_folder
from pampa.core.sound import RATE, FloatArray

Channels = Literal["auto", "keep", "left", "right", "sum"]
PLACES_TOLD = 4
LEAST_MISSING_S = 0.03
"""An encoder's own delay may lack at the end of a compressed file."""
HIGHEST = 1000.0
"""Samples beyond this, 60 dB over full scale, are no sound: a float file may go over it, but not so far."""
MOST_BAD = 0.01
SAME_DB = -60.0
"""A stereo file whose sides differ by less than this is one signal twice."""


@dataclass(frozen=True)
class Facts:
    """What was learned of a recording while it was conformed."""

    format: str
    rate: int
    channels: int
    frames: int
    conformed_channels: int
    conformed_frames: int
    side_db: float | None
    """Level of left minus right against the whole, in dB; None for mono and silence."""
    bad_samples: int
    missing_frames: int
    """Frames that the header promises and the file does not hold."""
    gaps: tuple[tuple[float, float], ...] = ()
    """Places that could not be read, where silence stands: start and length in seconds."""
    header_off: bool = False
    """The header names another length than the file has."""

    @property
    def missing(self) -> tuple[tuple[float, float], ...]:
        """From where to where the file could not be read, in seconds."""
        return tuple((start, start + length) for start, length in self.gaps)

    @property
    def notes(self) -> list[str]:
        """What a person should know, in sentences."""
        found = []
        if self.missing_frames:
            found.append(
                f"The file breaks off {self.missing_frames / self.rate:.1f} s before the end that its header names. "
                "What is there can be used."
            )
        elif self.header_off:
            found.append(
                "Its header names less than the file holds, as when a recorder loses power; it was read to its real "
                "end."
            )
        if self.gaps:
            places = ", ".join(f"{length:.2f} s at {_clock(start)}" for start, length in self.gaps[:PLACES_TOLD])
            more = f", and {len(self.gaps) - PLACES_TOLD} more" if len(self.gaps) > PLACES_TOLD else ""
            found.append(
                f"The file is damaged: {places}{more} could not be read. Silence stands there, and all else is in step."
            )
        if self.bad_samples:
            found.append(
                f"{self.bad_samples} samples were not numbers, or far beyond full scale; they are silent here."
            )
        if self.side_db is not None and self.side_db < SAME_DB:
            found.append("Both sides hold the same signal; it is used as one channel.")
        if self.channels > 2:
            found.append(f"{self.channels} channels were summed to one.")
        return found


def _clock(seconds: float) -> str:
    return f"{int(seconds // 3600)}:{int(seconds // 60 % 60):02d}:{seconds % 60:04.1f}"


def settle(sound: FloatArray, channels: Channels) -> FloatArray:
    """Choose channels. More than two are summed, unless left or right asks for the first or second."""
    if channels == "left":
        return sound[:, :1]
    if channels == "right":
        return sound[:, -1:] if sound.shape[1] == 1 else sound[:, 1:2]
    if channels == "sum" or sound.shape[1] > 2:
        return sound.mean(axis=1, keepdims=True, dtype=np.float32)
    return sound


def conform(
    path: Path, folder: Path, *, channels: Channels = "auto", progress: Callable[[float], None] = lambda share: None,
) -> Facts:  # fmt: skip
    """Write `folder` with `sound.f32`, the pyramid and `facts.json`; it appears whole or not at all.

    Parameters
    ----------
    channels : `auto` keeps mono and stereo, but takes a stereo file with the same signal twice as one.

    Raises UnreadableSound where no sound is in the file. Memory does not grow with length.
    """
    with whole_folder(folder) as making:
        return conform_into(path, making, channels=channels, progress=progress)


def conform_into(path: Path, folder: Path, *, channels: Channels, progress: Callable[[float], None]) -> Facts:
    """The same into an empty folder, which is of no use if this fails."""
    facts = _stream(path, folder, channels, progress)
    if channels == "auto" and facts.side_db is not None and facts.side_db < SAME_DB:
        facts = _stream(path, folder, "left", progress, side_db=facts.side_db)
    (folder / "facts.json").write_text(json.dumps(asdict(facts)))
    return facts


def _stream(
    path: Path, folder: Path, channels: Channels, progress: Callable[[float], None],
    side_db: float | None = None,
) -> Facts:  # fmt: skip
    return read_sound(path, lambda sound: _write(path, sound, folder, channels, progress, side_db))


def _write(
    path: Path, sound: SoundFile, folder: Path, channels: Channels, progress: Callable[[float], None],
    side_db: float | None,
) -> Facts:  # fmt: skip
    stalks, clips = StalkWriter(), ClipFinder(sound.rate)
    got = written = bad = width = 0
    total_energy = side_energy = 0.0
    with (folder / "sound.f32").open("wb") as out:
        resampler = None
        for block in sound.blocks:
            require_room(folder)
            if not (block.max(initial=0) < HIGHEST and block.min(initial=0) > -HIGHEST):  # so too for what is no number
                usable = np.abs(block) < HIGHEST
                bad += int(block.size - usable.sum())
                block = np.where(usable, block, np.float32(0))
            if sound.channels == 2 and channels == "auto":
                total_energy += float(np.vdot(block, block))
                side = block[:, 0] - block[:, 1]
                side_energy += float(np.vdot(side, side))
            settled = np.ascontiguousarray(settle(block, channels))
            clips.add(block)
            if not width:
                width = settled.shape[1]
                if sound.rate != RATE:
                    resampler = soxr.ResampleStream(sound.rate, RATE, width, dtype="float32", quality="VHQ")
            got += len(block)
            if resampler:
                settled = resampler.resample_chunk(settled)
            written += _put(settled, out, stalks)
            progress(min(got / sound.frames, 1.0) if sound.frames else 0.0)
        if resampler:
            tail = resampler.resample_chunk(np.zeros((0, width), np.float32), last=True)
            written += _put(tail, out, stalks)
        out.flush()
        os.fsync(out.fileno())
    if not got:
        raise UnreadableSound(f"{path.name} holds no sound, only a header. Copy it from the recorder again.")
    if bad > MOST_BAD * got * sound.channels:
        raise UnreadableSound(
            f"{path.name} holds samples that are no numbers, or far beyond full scale (1.0). Nothing was changed. "
            "Export it again, as 24-bit, or as float with its full scale at 1.0."
        )
    stalks.write(folder)
    np.save(folder / "clipped.npy", clips.found())
    if channels == "auto" and total_energy > 0:
        side_db = float(10 * np.log10(max(side_energy / total_energy, 1e-20)))
    missing = max(sound.frames - got, 0)
    gaps = tuple((start / sound.rate, length / sound.rate) for start, length in sound.gaps)
    return Facts(
        sound.format, sound.rate, sound.channels, got, width, written, side_db, bad,
        missing if missing > sound.rate * LEAST_MISSING_S else 0, gaps, sound.header_off,
    )  # fmt: skip


def _put(sound: FloatArray, out, stalks: StalkWriter) -> int:  # type: ignore[no-untyped-def]
    if sound.ndim == 1:
        sound = sound[:, None]
    np.ascontiguousarray(sound, np.float32).tofile(out)
    stalks.add(sound)
    return len(sound)


def read_facts(folder: Path) -> Facts:
    """The facts of a conformed folder."""
    return facts_of(json.loads((folder / "facts.json").read_text()))


def facts_of(told: dict[str, Any]) -> Facts:
    """Facts from their JSON. Those of older releases know no gaps."""
    return Facts(**{**told, "gaps": tuple(map(tuple, told.get("gaps", ())))})


def conformed_source(folder: Path) -> FileSource:
    """The conformed sound, read from its file when it is asked for."""
    facts = read_facts(folder)
    return FileSource(folder / "sound.f32", max(facts.conformed_channels, 1), facts.conformed_frames)


def clipped_stretches(folder: Path) -> np.ndarray:
    """Stretches of a conformed recording that were clipped in its file: seconds, shape (stretches, 2)."""
    stretches: np.ndarray = array_in(folder / "clipped.npy")
    return stretches
