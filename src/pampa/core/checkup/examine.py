"""The whole check-up of a recording, from its conformed sound to figures that can be drawn and told."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from pampa.core.checkup.frames import SIZE, Frames, mean_power, measure_frames
from pampa.core.checkup.hum import Hum, find_hum
from pampa.core.checkup.leaning import best_angle
from pampa.core.checkup.speech import (
    Parts,
    drop_outs,
    leaning_db,
    parts_of,
    plosives,
    reverb_s,
    steady_stretch,
)
from pampa.core.checkup.trial import Trial
from pampa.core.executor import Executor
from pampa.core.sound import RATE, FloatArray, Source

BANDS = 48
LOWEST_HZ = 40.0
SAME_DB, SILENT_SIDE_DB = -60.0, -45.0
LEVELS_DB = (-90, 0)


@dataclass(frozen=True)
class Checkup:
    """What was measured. None stands for what this recording does not let one tell.

    levels : how many 20 ms of each whole dB from -90 to -1 dBFS. spectrum_hz, floor_db, speech_db : power of the
    room and of speech in each band, dBFS. room_tone : (start_s, length_s). sides : same, left silent, right
    silent, two people, stereo, or mono. trial : what trying Mend on stretches of it came to, where it was tried.
    """

    duration_s: float
    speech_dbfs: float | None
    peak_dbfs: float | None
    floor_dbfs: float | None
    hum: Hum | None
    dc_dbfs: float | None
    leaning_db: float | None
    rotation_wins_db: float | None
    bandwidth_hz: float | None
    reverb_s: float | None
    plosives: int
    sides: str
    clipped: tuple[tuple[float, float], ...]
    drop_outs: tuple[tuple[float, float], ...]
    room_tone: tuple[float, float] | None
    levels: tuple[int, ...] = ()
    spectrum_hz: tuple[float, ...] = ()
    floor_db: tuple[float, ...] = ()
    speech_db: tuple[float, ...] = field(default=())
    trial: Trial | None = None

    @property
    def talk_dbfs(self) -> float | None:
        """How loud people speak, also where it only comes out once noise is gone; None where nobody does."""
        return self.speech_dbfs if self.speech_dbfs is not None or self.trial is None else self.trial.speech_dbfs

    @property
    def over_floor_db(self) -> float | None:
        """How far speech stands over the room."""
        known = self.speech_dbfs is not None and self.floor_dbfs is not None
        return self.speech_dbfs - self.floor_dbfs if known else None  # type: ignore[operator]


def examine(source: Source, *, clipped: NDArray[np.float64], sides_db: float | None = None,
            missing: Sequence[tuple[float, float]] = (), frames: Frames | None = None,
            executor: Executor | None = None) -> Checkup:  # fmt: skip
    """Examine a conformed recording (48 kHz, one channel or two).

    clipped : stretches in seconds that `ClipFinder` found in the file itself. sides_db : level of left minus
    right against the whole, where the file had two channels and they were settled to one. missing : from where to
    where, in seconds, the file could not be read. frames : what `measure_frames` says of it, where it was asked.
    """
    frames = measure_frames(source, executor) if frames is None else frames
    parts = parts_of(frames)
    floor, speech = mean_power(source, parts.quiet), mean_power(source, parts.active)
    edges = band_edges()
    peaks = np.maximum(frames.high_peak, frames.low_peak)
    hz = np.sqrt(edges[1:] * edges[:-1])
    return Checkup(
        duration_s=source.frames / RATE,
        speech_dbfs=_rounded(parts.speech_dbfs),
        peak_dbfs=_rounded(20 * np.log10(peaks.max())) if peaks.any() else None,
        floor_dbfs=_rounded(parts.floor_dbfs),
        hum=find_hum(source, executor),
        dc_dbfs=_rounded(20 * np.log10(abs(frames.mean))) if abs(frames.mean) > 1e-7 else None,
        leaning_db=leaning_db(frames, parts),
        rotation_wins_db=_rotation_wins(source, peaks, parts),
        bandwidth_hz=_bandwidth(speech) if parts.active.any() else None,
        reverb_s=reverb_s(frames, parts),
        plosives=plosives(frames, parts),
        sides=_sides(source, sides_db),
        clipped=tuple((float(a), float(b)) for a, b in clipped),
        drop_outs=tuple(drop_outs(frames, missing)),
        room_tone=steady_stretch(parts),
        levels=_histogram(frames),
        spectrum_hz=tuple(round(float(f), 1) for f in hz),
        floor_db=in_bands(floor),
        speech_db=in_bands(speech),
    )


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(float(value), 1)


def in_bands(power: NDArray[np.float64], size: int = SIZE) -> tuple[float, ...]:
    """Level of each band that a check-up draws, in dBFS, from the mean square in each bin of a transform of `size`.

    Narrow bands at the bottom share the bin that they lie in.
    """
    places = np.minimum(band_edges() * size / RATE, power.size - 1)
    running = np.concatenate([[0.0], np.cumsum(power)])
    sums = np.diff(np.interp(places + 0.5, np.arange(running.size), running))
    return tuple(round(float(db), 1) for db in 10 * np.log10(np.maximum(sums, 1e-16)))


def band_edges() -> NDArray[np.float64]:
    """Where the bands that a check-up draws meet, in Hz: shape (BANDS + 1,)."""
    return np.geomspace(LOWEST_HZ, RATE / 2, BANDS + 1)


def _histogram(frames: Frames) -> tuple[int, ...]:
    counts, _ = np.histogram(frames.level, bins=LEVELS_DB[1] - LEVELS_DB[0], range=LEVELS_DB)
    return tuple(int(count) for count in counts)


def _bandwidth(speech: NDArray[np.float64]) -> float:
    """Where speech ends: the highest frequency that is not 65 dB under its strongest, over 200 Hz on average."""
    smooth = np.convolve(speech, np.ones(9) / 9, "same")
    above = np.flatnonzero(10 * np.log10(np.maximum(smooth, 1e-20) / smooth.max()) > -65)
    return round(float(above[-1]) * RATE / SIZE / 50) * 50.0


def _rotation_wins(source: Source, peaks: FloatArray, parts: Parts) -> float | None:
    """Headroom in dB that turning the phase of all frequencies by one angle would win, over the loudest places."""
    if not parts.active.any():
        return None
    _, wins = best_angle(source, peaks)
    return round(wins, 1) if peaks.any() else None


def _sides(source: Source, sides_db: float | None) -> str:
    """What the two channels have to do with each other, from up to twelve places of two seconds."""
    if sides_db is not None and sides_db < SAME_DB:
        return "same"
    if source.channels == 1:
        return "mono"
    starts = np.linspace(0, max(source.frames - 2 * RATE, 0), 48).astype(int)
    levels, likeness = [], []
    for start in starts:
        left, right = source.read(int(start), int(start) + 2 * RATE).astype(np.float64).T.copy()
        power = np.array([left @ left, right @ right]) / left.size + 1e-14
        levels.append(power)
        likeness.append(abs(float(left @ right)) / left.size / float(np.sqrt(power[0] * power[1])))
    powers = np.array(levels)
    total = 10 * np.log10(powers.mean(axis=0))
    if total[0] < total[1] + SILENT_SIDE_DB:
        return "left silent"
    if total[1] < total[0] + SILENT_SIDE_DB:
        return "right silent"
    counted = powers.max(axis=1) > powers.max() * 1e-4
    # One person on each side: what one says is hardly on the other, and who is louder changes.
    apart = 10 * np.log10(powers[:, 0] / powers[:, 1])[counted]
    turns = np.percentile(apart, 85) > 6 and np.percentile(apart, 15) < -6
    return "two people" if turns and np.median(np.array(likeness)[counted]) < 0.5 else "stereo"
