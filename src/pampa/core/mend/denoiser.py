"""Two small networks that hear speech in noise, and speech in a room: gains for each group of bins at each moment.

Temporal convolutional networks (Bai, Kolter & Koltun 2018) with depthwise separable layers of growing dilation. They
see every group relative to the noise profile and to how loud the talk is, so that levels do not matter; the one for
noise sees the lows in longer frames too, where the harmonics of a voice give its pitch away. The weights beside this
file were trained by `training/denoiser.py` on material that the project makes.
"""

from dataclasses import dataclass
from functools import cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from pampa.core.mend import kernels
from pampa.core.mend.profile import NOTHING, Profile
from pampa.core.mend.spectra import (
    FINE,
    FINE_AROUND,
    GROUPS,
    HOP,
    Powers,
    fine_groups,
    fine_powers,
    frames_of,
    powers,
    sound_of,
)
from pampa.core.network import weights_in
from pampa.core.sound import FloatArray, Segment, Source

WIDTH = 128
DILATIONS = (1, 2, 4, 8, 16, 32)
CONTEXT = sum(DILATIONS)
"""Frames on either side of a frame that its gains depend on."""
OVER_NOISE, UNDER_TALK = (-1.0, 5.0), (-9.0, 1.0)
"""Ranges of the two kinds of input, in powers of ten."""

Task = Literal["noise", "room"]
INPUTS: dict[Task, int] = {"noise": 2 * GROUPS + FINE, "room": 2 * GROUPS}
"""How many numbers each network sees of a frame."""


@dataclass(frozen=True, eq=False)
class Heard:
    """What a network heard in some frames of a source.

    frames : shape (channels, count, BINS). power, gains : (count, GROUPS). sound : from `HOP` samples before the centre
    of the first frame on, (samples, channels).
    """

    sound: FloatArray
    frames: NDArray[np.complex64]
    power: Powers
    gains: NDArray[np.float32]


def listened(source: Source, segment: Segment, profile: Profile, task: Task, around: int) -> Heard:
    """What a network hears in the frames that a segment is made of, and in so many on either side."""
    first, last = frames_under(segment)
    wide = around + CONTEXT + FINE_AROUND
    sound = source.read((first - wide - 1) * HOP, (last + wide) * HOP)
    frames = frames_of(sound)
    seen_of = slice(FINE_AROUND, frames.shape[1] - FINE_AROUND)
    places = np.arange(first - wide, last + wide)[seen_of]
    power, noise = powers(frames[:, seen_of]), profile.at(places)
    # Before the beginning and after the end the room goes on: noise that sets in from nothing would pass for talk.
    outside = (places <= 0) | (places * HOP >= source.frames)
    power[outside] = noise[outside]
    seen = inputs(power, noise, profile.loud)
    if task == "noise":
        fine = fine_powers(frames)
        fine[outside] = noise[outside][:, fine_groups()]
        seen = np.concatenate([seen, pitch_inputs(fine, noise)], axis=1)
    known = slice(CONTEXT, len(places) - CONTEXT)
    margin = CONTEXT + FINE_AROUND
    return Heard(sound[margin * HOP :], frames[:, margin:-margin], power[known], gains(seen, task))


def sounded(frames: NDArray[np.complex64], gains: NDArray[np.float32], segment: Segment) -> FloatArray:
    """A segment from the frames it is made of under gains for every bin, shape (frames, BINS)."""
    first, _ = frames_under(segment)
    return sound_of(frames * gains)[segment.start - first * HOP :][: segment.stop - segment.start]


def frames_under(segment: Segment) -> tuple[int, int]:
    """The first frame that a segment is made of, and the one after the last."""
    return segment.start // HOP, -(-segment.stop // HOP) + 1


def inputs(power: Powers, noise: Powers, loud: float) -> NDArray[np.float32]:
    """What a network sees: each group over the noise and against the talk, shape (frames, 2 * GROUPS)."""
    log = np.log10(power + NOTHING)
    over = np.clip(log - np.log10(noise + NOTHING), *OVER_NOISE) - 1
    under = np.clip(log - np.log10(np.float32(loud) + NOTHING), *UNDER_TALK) / 2 + 1
    return np.concatenate([over, under], axis=1)


def pitch_inputs(fine: Powers, noise: Powers) -> NDArray[np.float32]:
    """What the network for noise sees beside that: fine bins over the noise of their groups, shape (frames, FINE)."""
    over = np.log10(fine + NOTHING) - np.log10(noise + NOTHING)[:, fine_groups()]
    return np.clip(over, *OVER_NOISE) - 1


def gains(seen: NDArray[np.float32], task: Task) -> NDArray[np.float32]:
    """Gains from 0 to 1 for all but the first and last `CONTEXT` frames: shape (frames - 2 * CONTEXT, GROUPS)."""
    return kernels.listen(np.ascontiguousarray(seen), *weights(task), np.array(DILATIONS))


@cache
def weights(task: Task) -> tuple[NDArray[np.float32], ...]:
    """Of the first layer, the middle ones (stacked) and the last, with their biases."""
    return weights_in("pampa.core.mend", task)
