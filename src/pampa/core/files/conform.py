"""Conforming: any readable file becomes 48 kHz float frames, channels settled, with its waveform pyramid."""

import json
import os
import shutil
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Literal

import numpy as np
import soxr

from pampa.core.checkup.clipping import ClipFinder
from pampa.core.errors import UnreadableSound
from pampa.core.files.decode import open_sound
from pampa.core.files.stalks import StalkWriter
from pampa.core.sound import RATE, ArraySource, FloatArray

Channels = Literal["auto", "keep", "left", "right", "sum"]
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

    @property
    def notes(self) -> list[str]:
        """What a person should know, in sentences."""
        found = []
        if self.missing_frames:
            found.append(
                f"The file breaks off {self.missing_frames / self.rate:.1f} s before the end that its header names. "
                "What is there can be used."
            )
        if self.bad_samples:
            found.append(f"{self.bad_samples} samples were not numbers; they are silent here.")
        if self.side_db is not None and self.side_db < SAME_DB:
            found.append("Both sides hold the same signal; it is used as one channel.")
        if self.channels > 2:
            found.append(f"{self.channels} channels were summed to one.")
        return found


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
    making = folder.with_name(folder.name + f".making-{os.getpid()}")
    shutil.rmtree(making, ignore_errors=True)
    making.mkdir(parents=True)
    try:
        facts = _stream(path, making, channels, progress)
        if channels == "auto" and facts.side_db is not None and facts.side_db < SAME_DB:
            facts = _stream(path, making, "left", progress, side_db=facts.side_db)
        (making / "facts.json").write_text(json.dumps(asdict(facts)))
        shutil.rmtree(folder, ignore_errors=True)
        making.rename(folder)
    finally:
        shutil.rmtree(making, ignore_errors=True)
    return facts


def _stream(
    path: Path, folder: Path, channels: Channels, progress: Callable[[float], None],
    side_db: float | None = None,
) -> Facts:  # fmt: skip
    stalks = StalkWriter()
    clips = None
    got = written = bad = width = 0
    total_energy = side_energy = 0.0
    with open_sound(path) as sound, (folder / "sound.f32").open("wb") as out:
        resampler = None
        for block in sound.blocks:
            finite = np.isfinite(block)
            if not finite.all():
                bad += int(block.size - finite.sum())
                block = np.where(finite, block, np.float32(0))
            if sound.channels == 2 and channels == "auto":
                total_energy += float(np.vdot(block, block))
                side = block[:, 0] - block[:, 1]
                side_energy += float(np.vdot(side, side))
            settled = np.ascontiguousarray(settle(block, channels))
            clips = clips or ClipFinder(sound.rate)
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
    stalks.write(folder)
    if clips:
        np.save(folder / "clipped.npy", clips.found())
    if channels == "auto" and total_energy > 0:
        side_db = float(10 * np.log10(max(side_energy / total_energy, 1e-20)))
    missing = max(sound.frames - got, 0)
    return Facts(
        sound.format, sound.rate, sound.channels, got, width, written, side_db, bad,
        missing if missing > sound.rate // 10 else 0,
    )  # fmt: skip


def _put(sound: FloatArray, out, stalks: StalkWriter) -> int:  # type: ignore[no-untyped-def]
    if sound.ndim == 1:
        sound = sound[:, None]
    np.ascontiguousarray(sound, np.float32).tofile(out)
    stalks.add(sound)
    return len(sound)


def read_facts(folder: Path) -> Facts:
    """The facts of a conformed folder."""
    return Facts(**json.loads((folder / "facts.json").read_text()))


def conformed_source(folder: Path) -> ArraySource:
    """The conformed sound, mapped from its file."""
    facts = read_facts(folder)
    if not facts.conformed_frames:
        return ArraySource(np.zeros((0, max(facts.conformed_channels, 1)), np.float32))
    data = np.memmap(folder / "sound.f32", np.float32, "r", shape=(facts.conformed_frames, facts.conformed_channels))
    return ArraySource(data)


def clipped_stretches(folder: Path) -> np.ndarray:
    """Stretches of a conformed recording that were clipped in its file: seconds, shape (stretches, 2)."""
    stretches: np.ndarray = np.load(folder / "clipped.npy")
    return stretches
