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
from pampa.core.sound import RATE, FloatArray, Segment, Source

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
        changed = _changed(source, spot, (start, stop), (first, last), room)
        ramp = np.minimum(np.arange(first, last) - start + 1, stop - np.arange(first, last)) / EDGE
        share = np.clip(ramp, 0, 1).astype(np.float32)[:, None]
        sound = sound.copy()
        here = sound[first - segment.start : last - segment.start]
        here += share * changed
    return sound


def _changed(source: Source, spot: Spot, place: tuple[int, int], wanted: tuple[int, int], room: NDArray[np.int64]
             ) -> FloatArray:  # fmt: skip
    """What the spot adds to `wanted`, a part of its `place`, both in frames: shape (wanted frames, channels).

    Only the spectra about that part are computed: a place may be an hour long, and is read in segments.
    """
    begin, end = _about(*place)
    first, last = _about(*wanted)
    frames = spectra(source, first, last)
    hz = np.arange(BINS) * RATE / SIZE
    band = (hz >= spot.low_hz) & (hz <= spot.high_hz)
    if spot.how == "room" and room[1] - room[0] > 2 * CROSSING:
        alone = spectra(_Tone(source.read(int(room[0]), int(room[1]))), first - begin + 1, last - begin + 1)
        return _between(np.where(band, alone - frames, np.complex64(0)), *wanted)
    if spot.how == "lower":
        gain: NDArray[np.float32] = np.full(frames.shape, 10 ** (-spot.db / 20), np.float32)
    else:
        reach = round(AROUND_S * RATE / HOP)
        around = [spectra(source, begin - reach - 1, begin - 1), spectra(source, end + 1, end + reach + 1)]
        usual = np.mean([np.mean(np.abs(part) ** 2, axis=1) for part in around], axis=0)[:, None, :]
        gain = np.sqrt(usual / np.maximum(np.abs(frames) ** 2, 1e-20)).astype(np.float32)
        gain = np.clip(gain, LEAST_GAIN, 1)
    gain = np.where(band, gain, np.float32(1))
    return _between(frames * (gain - 1), *wanted)


def _about(start: int, stop: int) -> tuple[int, int]:
    """The spectra, first and last, that the sound between two frames is made of."""
    return start // HOP, -(-stop // HOP) + 1


def _between(frames: NDArray[np.complex64], start: int, stop: int) -> FloatArray:
    """Frames `start` to `stop` of the sound of spectra that begin at the one about `start`."""
    return sound_of(frames)[start - start // HOP * HOP :][: stop - start]


class _Tone:
    """Room tone of any length: a stretch over and over, with cross-fades that keep its power."""

    rate = RATE

    def __init__(self, tone: FloatArray) -> None:
        slope = np.sin(np.linspace(0, np.pi / 2, CROSSING, dtype=np.float32))[:, None]
        self._piece = tone.copy()
        self._piece[:CROSSING] *= slope
        self._piece[-CROSSING:] *= slope[::-1]
        self._step = len(tone) - CROSSING
        self.channels, self.frames = tone.shape[1], 1 << 40

    def read(self, start: int, stop: int) -> FloatArray:
        places = (np.arange(start, stop) + CROSSING) % self._step
        out = self._piece[places]
        crossing = places < CROSSING
        out[crossing] += self._piece[places[crossing] + self._step]
        return out
