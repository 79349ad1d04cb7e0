"""Spot work: a place in time, or in time and frequency, lowered, made as soft as what is around it, or put to silence
with the recording's own room tone.

On short-time spectra: what lies outside a place, and frequencies outside its band, stay as they are.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from annotated_types import Ge, Le
from numpy.typing import NDArray

from pampa.core.mend.spectra import BINS, HOP, SIZE, sound_of, spectra
from pampa.core.sound import RATE, ArraySource, FloatArray, Segment, Source

How = Literal["lower", "fill", "room"]
Seconds = Annotated[float, Ge(0), Le(1_000_000)]
Hz = Annotated[float, Ge(0), Le(RATE / 2)]

AROUND_S = 0.25
EDGE = RATE // 200
LEAST_GAIN = 10 ** (-60 / 20)
CROSSING = RATE // 20
NO_ROOM: NDArray[np.int64] = np.zeros(2, np.int64)


@dataclass(frozen=True)
class Spot:
    """A place from `start_s` to `stop_s` of the recording, and from `low_hz` to `high_hz`.

    how : lower by `db`; fill, where each frequency is made no louder than it is around the place; or room, where only
    the room tone of the recording is left.
    """

    start_s: Seconds
    stop_s: Seconds
    how: How = "lower"
    db: Annotated[float, Ge(-12), Le(60)] = 12.0
    low_hz: Hz = 0.0
    high_hz: Hz = RATE / 2


def with_spots(source: Source, segment: Segment, spots: Sequence[Spot], room: NDArray[np.int64] = NO_ROOM
               ) -> FloatArray:  # fmt: skip
    """One segment with its spots, one laid over the other.

    room : frames from where to where nothing but the room is heard; without, a place is filled from around instead.
    """
    sound = source.read(segment.start, segment.stop)
    for spot in spots:
        start, stop = round(spot.start_s * RATE), round(spot.stop_s * RATE)
        first, last = max(start, segment.start), min(stop, segment.stop)
        if first >= last:
            continue
        changed = _changed(source, spot, start, stop, room)[first - start : last - start]
        ramp = np.minimum(np.arange(first, last) - start + 1, stop - np.arange(first, last)) / EDGE
        share = np.clip(ramp, 0, 1).astype(np.float32)[:, None]
        sound = sound.copy()
        here = sound[first - segment.start : last - segment.start]
        here += share * changed
    return sound


def _changed(source: Source, spot: Spot, start: int, stop: int, room: NDArray[np.int64]) -> FloatArray:
    """What the spot adds to the whole of its place: shape (stop - start, channels)."""
    begin, end = start // HOP, -(-stop // HOP) + 1
    frames = spectra(source, begin, end)
    hz = np.arange(BINS) * RATE / SIZE
    band = (hz >= spot.low_hz) & (hz <= spot.high_hz)
    if spot.how == "room" and room[1] - room[0] > 2 * CROSSING:
        alone = spectra(ArraySource(_tone(source, room, (end - begin + 1) * HOP)), 1, end - begin + 1)
        return _between(np.where(band, alone - frames, np.complex64(0)), start, stop)
    if spot.how == "lower":
        gain: NDArray[np.float32] = np.full(frames.shape, 10 ** (-spot.db / 20), np.float32)
    else:
        reach = round(AROUND_S * RATE / HOP)
        around = [spectra(source, begin - reach - 1, begin - 1), spectra(source, end + 1, end + reach + 1)]
        usual = np.mean([np.mean(np.abs(part) ** 2, axis=1) for part in around], axis=0)[:, None, :]
        gain = np.sqrt(usual / np.maximum(np.abs(frames) ** 2, 1e-20)).astype(np.float32)
        gain = np.clip(gain, LEAST_GAIN, 1)
    gain = np.where(band, gain, np.float32(1))
    return _between(frames * (gain - 1), start, stop)


def _between(frames: NDArray[np.complex64], start: int, stop: int) -> FloatArray:
    """Frames `start` to `stop` of the sound of spectra that begin at the one about `start`."""
    return sound_of(frames)[start - start // HOP * HOP :][: stop - start]


def _tone(source: Source, room: NDArray[np.int64], frames: int) -> FloatArray:
    """Room tone of any length, over and over with cross-fades that keep its power."""
    tone = source.read(int(room[0]), int(room[1]))
    slope = np.sin(np.linspace(0, np.pi / 2, CROSSING, dtype=np.float32))[:, None]
    piece = tone.copy()
    piece[:CROSSING] *= slope
    piece[-CROSSING:] *= slope[::-1]
    step = len(tone) - CROSSING
    out = np.zeros((frames + CROSSING + len(tone), source.channels), np.float32)
    for at in range(0, frames + CROSSING, step):
        out[at : at + len(tone)] += piece
    return out[CROSSING : CROSSING + frames]
