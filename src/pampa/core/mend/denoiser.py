"""Two small networks that hear speech in noise, and speech in a room: gains for each group of bins at each moment.

Temporal convolutional networks (Bai, Kolter & Koltun 2018) with depthwise separable layers of growing dilation. They
see every group relative to the noise profile and to how loud the talk is, so that levels do not matter. The weights
beside this file were trained by `training/denoiser.py` on material that the project makes.
"""

from functools import cache
from importlib.resources import files
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from pampa.core.mend import kernels, shaping
from pampa.core.mend.profile import NOTHING, Profile
from pampa.core.mend.spectra import HOP, Powers, per_bin, powers, sound_of, spectra
from pampa.core.sound import FloatArray, Segment, Source

WIDTH = 128
DILATIONS = (1, 2, 4, 8, 16, 32)
CONTEXT = sum(DILATIONS)
"""Frames on either side of a frame that its gains depend on."""
OVER_NOISE, UNDER_TALK = (-1.0, 5.0), (-9.0, 1.0)
"""Ranges of the two kinds of input, in powers of ten."""
LAYERS = ("into", "into_bias", "taps", "taps_bias", "mix", "mix_bias", "out", "out_bias")

Task = Literal["noise", "room"]


def filtered(source: Source, segment: Segment, profile: Profile, task: Task, least: NDArray[np.float32]) -> FloatArray:
    """One segment under the gains of a network. A sample depends on the two seconds around it and on its place.

    least : the lowest gain of each bin, shape (BINS,).
    """
    around = CONTEXT + (shaping.AROUND if task == "noise" else 0)
    first, last = segment.start // HOP, -(-segment.stop // HOP) + 1
    frames = spectra(source, first - around, last + around)
    places = np.arange(first - around, last + around)
    power, noise = powers(frames), profile.at(places)
    # Before the beginning and after the end the room goes on: noise that sets in from nothing would pass for talk.
    outside = (places <= 0) | (places * HOP >= source.frames)
    power[outside] = noise[outside]
    heard = gains(inputs(power, noise, profile.loud), task)
    if task == "noise":
        heard = shaping.shaped(heard, power[CONTEXT:-CONTEXT], -20 * float(np.log10(least.min())))
    kept = np.maximum(per_bin(heard), least)
    sound = sound_of(frames[:, around:-around] * kept)
    return sound[segment.start - first * HOP :][: segment.stop - segment.start]


def inputs(power: Powers, noise: Powers, loud: float) -> NDArray[np.float32]:
    """What a network sees: each group over the noise and against the talk, shape (frames, 2 * GROUPS)."""
    log = np.log10(power + NOTHING)
    over = np.clip(log - np.log10(noise + NOTHING), *OVER_NOISE) - 1
    under = np.clip(log - np.log10(np.float32(loud) + NOTHING), *UNDER_TALK) / 2 + 1
    return np.concatenate([over, under], axis=1)


def gains(seen: NDArray[np.float32], task: Task) -> NDArray[np.float32]:
    """Gains from 0 to 1 for all but the first and last `CONTEXT` frames: shape (frames - 2 * CONTEXT, GROUPS)."""
    return kernels.listen(np.ascontiguousarray(seen), *weights(task), np.array(DILATIONS))


@cache
def weights(task: Task) -> tuple[NDArray[np.float32], ...]:
    """Of the first layer, the middle ones (stacked) and the last, with their biases."""
    with np.load(str(files("pampa.core.mend") / f"{task}.npz")) as kept:
        return tuple(np.ascontiguousarray(kept[name], np.float32) for name in LAYERS)
