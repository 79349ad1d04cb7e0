"""Noise and reverberation lowered by what a network hears for each moment, never by more than the amount asked for.

What is left in pauses is the room as it was, softer: the same gain for every bin and moment, so nothing warbles.
"""

import math
from functools import cache

import numpy as np
from numpy.typing import NDArray

from pampa.core.mend import pitch, shaping
from pampa.core.mend.denoiser import listened, sounded
from pampa.core.mend.profile import Profile
from pampa.core.mend.spectra import BINS, HOP, SIZE, per_bin
from pampa.core.sound import RATE, FloatArray, Segment, Source

DEEPEST_DB, DRIEST_DB = 60.0, 24.0
"""What amount 1 takes from noise, and from what a room adds."""
HALF_DB = 20.0
"""What amount 0.5 takes from noise: small amounts, which are the usual ones, can be set more finely."""
BEND_DB = 2 * DEEPEST_DB - 4 * HALF_DB
HISS_FROM_HZ, HISS_FULL_HZ = 4_000.0, 8_000.0


def without_noise(source: Source, segment: Segment, profile: Profile, amount: float, hiss: float) -> FloatArray:
    """One segment with its noise lowered.

    amount : 0 to 1, as `depth_db` says, below 4 kHz. hiss : the same above 8 kHz; in between one goes over into the
    other.
    """
    if amount <= 0 and hiss <= 0:
        return source.read(segment.start, segment.stop)
    heard = listened(source, segment, profile, "noise", shaping.AROUND + pitch.AROUND)
    voice = pitch.followed(heard.frames, heard.gains, profile.loud)
    near = slice(pitch.AROUND, -pitch.AROUND)
    share = pitch.shares(voice, heard.gains[near], depth_db(amount) / DEEPEST_DB)
    relieved = pitch.relieved(heard.gains[near], share)
    shaped = shaping.shaped(relieved, heard.power[near], max(depth_db(amount), depth_db(hiss)))
    inside = slice(shaping.AROUND, -shaping.AROUND)
    sound = heard.sound[(shaping.AROUND + pitch.AROUND + 1) * HOP - pitch.REACH :]
    frames = pitch.combed(heard.frames[:, near][:, inside], sound, voice.within(inside), share[inside])
    return sounded(frames, np.maximum(per_bin(shaped), _least(amount, hiss)), segment)


def without_room(source: Source, segment: Segment, profile: Profile, amount: float) -> FloatArray:
    """One segment with late reverberation lowered. amount : 0 to 1, of 24 dB."""
    if amount <= 0:
        return source.read(segment.start, segment.stop)
    least = np.full(BINS, 10 ** (-DRIEST_DB * amount / 20), np.float32)
    heard = listened(source, segment, profile, "room", 0)
    return sounded(heard.frames, np.maximum(per_bin(heard.gains), least), segment)


def depth_db(amount: float) -> float:
    """By how much an amount from 0 to 1 lowers noise: 0, 20 dB in the middle, 60 dB at the end."""
    return (DEEPEST_DB - BEND_DB) * amount + BEND_DB * amount**2


def amount_for(depth: float) -> float:
    """The amount from 0 to 1 that lowers noise by so many dB: what `depth_db` gives, the other way round."""
    straight = DEEPEST_DB - BEND_DB
    return (math.sqrt(straight**2 + 4 * BEND_DB * depth) - straight) / (2 * BEND_DB)


@cache
def _least(amount: float, hiss: float) -> NDArray[np.float32]:
    """The lowest gain of each bin: shape (BINS,)."""
    hz = np.arange(BINS) * RATE / SIZE
    high = np.clip((hz - HISS_FROM_HZ) / (HISS_FULL_HZ - HISS_FROM_HZ), 0, 1)
    depth = depth_db(amount) * (1 - high) + depth_db(hiss) * high
    return (10 ** (-depth / 20)).astype(np.float32)
