"""What can be told from the frames of a recording: speech and floor, reverberation, thumps, gaps."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pampa.core.checkup.frames import HOP, Frames
from pampa.core.runs import runs_of
from pampa.core.sound import RATE, Curve
from pampa.core.speech.detector import SILENT_DB, SMOOTH_CELLS, levels_of, smoothed_db

FRAMES_PER_S = RATE // HOP
NEAR_LOUD_DB = 15.0
STRUCK_DB = 11.0
"""How far a thump stands over the lows of this voice: a deep voice has lows of its own."""


@dataclass(frozen=True, eq=False)
class Parts:
    """Which frames are speech and which are the room: bool, one for each 20 ms; and their levels in dBFS."""

    active: NDArray[np.bool_]
    quiet: NDArray[np.bool_]
    speech_dbfs: float | None
    floor_dbfs: float | None


def parts_of(frames: Frames) -> Parts:
    """Tell speech from room.

    In hiss or rumble as loud as the talk, it is told by the band of the voice alone.
    """
    parts = _told_by(frames.level, frames)
    in_band = parts if parts.speech_dbfs is not None else _told_by(frames.mid_band, frames)
    return parts if in_band.speech_dbfs is None else in_band


def _told_by(curve: Curve, frames: Frames) -> Parts:
    """Speech and room told by one curve of levels; their levels are those of the whole sound."""
    levels = levels_of(smoothed_db(10 ** (curve / 10), SMOOTH_CELLS))
    nothing = np.zeros(curve.size, bool)
    if (levels.level > SILENT_DB).sum() < FRAMES_PER_S:
        return Parts(nothing, nothing, None, None)
    active, quiet = levels.talk(), levels.room
    floor_dbfs = _mean_db(frames.level[quiet])
    if active.sum() < FRAMES_PER_S // 2:
        return Parts(nothing, quiet, None, floor_dbfs)
    return Parts(active, quiet, _mean_db(frames.level[active]), floor_dbfs)


def steady_stretch(parts: Parts, *, longest_s: float = 20.0, shortest_s: float = 1.5) -> tuple[float, float] | None:
    """The longest stretch of nothing but room, (start_s, length_s): a proposal for room tone."""
    runs = runs_of(parts.quiet, bridge=1)
    if not len(runs):
        return None
    first, last = runs[np.argmax(runs[:, 1] - runs[:, 0])].tolist()
    # Its edges lie beside words: a little of it on either side is left out.
    start, length = first + SMOOTH_CELLS, (last - first - 2 * SMOOTH_CELLS) / FRAMES_PER_S
    return (start / FRAMES_PER_S, min(length, longest_s)) if length >= shortest_s else None


def reverb_s(frames: Frames, parts: Parts) -> float | None:
    """Seconds for a fall of 60 dB after words, from how fast sound dies away where talk stops; None if unknown.

    Each free decay is a straight line in dB; a low share of them is taken, because voices that fade by
    themselves only make decays longer. Source: Ratnam et al., Blind estimation of reverberation time, JASA 114
    (2003), simplified to a least-squares line.
    """
    if parts.floor_dbfs is None or parts.speech_dbfs is None:
        return None
    level = frames.level
    times = []
    for _, stop in runs_of(parts.active, bridge=3):
        peak = stop - 1 - int(np.argmax(level[max(stop - 12, 0) : stop][::-1]))
        fall = level[peak : peak + FRAMES_PER_S]
        end = int(np.argmax(fall < parts.floor_dbfs + 6)) if (fall < parts.floor_dbfs + 6).any() else 0
        if end < 4 or fall[0] - fall[end - 1] < 12:
            continue
        slope = np.polyfit(np.arange(end) / FRAMES_PER_S, fall[:end], 1)[0]
        if slope < -20:
            times.append(-60 / slope)
    return round(float(np.percentile(times, 25)), 2) if len(times) >= 6 else None


def plosives(frames: Frames, parts: Parts) -> int:
    """How often a breath struck the microphone: short bursts under 110 Hz that stand over all speech there."""
    if parts.speech_dbfs is None:
        return 0
    burst = (frames.low_band > frames.mid_band + 6) & (frames.low_band > parts.speech_dbfs - 4)
    runs = runs_of(burst, bridge=1)
    runs = runs[np.diff(runs, axis=1)[:, 0] <= 0.16 * FRAMES_PER_S]
    return _reaching(runs, frames.low_band, usual_low_db(frames, parts) + STRUCK_DB)


def usual_low_db(frames: Frames, parts: Parts) -> float:
    """How strong the band under the voice usually is where somebody speaks, in dBFS."""
    return float(np.median(frames.low_band[parts.active]))


def drop_outs(frames: Frames, missing: Sequence[tuple[float, float]] = ()) -> list[tuple[float, float]]:
    """Gaps of digital zero in the middle of sound, and what could not be read of the file: (start_s, stop_s).

    Sound is there right before and after the former. A recorder that gates goes to zero from what is soft already.
    missing : the latter, wherever it lies.
    """
    found = [gap for gap in _zeros_in_sound(frames) if not any(gap[0] < b and a < gap[1] for a, b in missing)]
    return sorted([*missing, *found])


def _zeros_in_sound(frames: Frames) -> list[tuple[float, float]]:
    sounding = frames.level[frames.level > SILENT_DB]
    if not sounding.size:
        return []
    loud = np.percentile(sounding, 90) - NEAR_LOUD_DB
    found = []
    for start, stop in frames.zeros.tolist():
        before = frames.level[max(start // HOP - 1, 0) : start // HOP]
        after = frames.level[-(-stop // HOP) : -(-stop // HOP) + 1]
        if before.size and after.size and min(before[0], after[0]) > loud:
            found.append((start / RATE, stop / RATE))
    return found


def leaning_db(frames: Frames, parts: Parts) -> float | None:
    """By how much the positive half of the wave is higher than the negative, in speech: dB, less than 0 if lower."""
    if not parts.active.any():
        return None
    up, down = (np.maximum(peak[parts.active], 1e-6) for peak in (frames.high_peak, frames.low_peak))
    return round(float(np.median(20 * np.log10(up / down))), 1)


def _reaching(runs: NDArray[np.int64], band: Curve, level_db: float) -> int:
    """How many runs reach a level in some frame."""
    return sum(bool(band[start:stop].max() >= level_db) for start, stop in runs.tolist())


def _mean_db(level: Curve) -> float:
    return float(10 * np.log10(np.mean(10 ** (level / 10))))
