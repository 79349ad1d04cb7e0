"""The pitch of a voice under noise, and what neighbouring periods of the voice tell of the one between them.

Pitch is where the sound, made clean as well as the gains can, is most like itself a period later (normalised
cross-correlation: Talkin 1995). A comb that averages a moment with the moments one and two periods before and after
keeps what repeats, the voice, and lowers what does not (Lim, Oppenheim & Braida 1978). Each bin is combed as much as
noise covers it there: what is clean already stays as it was.
"""

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.mend.kernels import periods
from pampa.core.mend.spectra import HOP, SIZE, SLOW_HOP, SLOW_SIZE, SLOWER, slow_sound, window
from pampa.core.sound import RATE, FloatArray

LOW_HZ, HIGH_HZ, NOTHING_HZ = 70.0, 1_000.0, 1_500.0
"""What is listened to lies between the first two; above, it goes down to nothing at the third."""
SHORTEST, LONGEST = 11, 60
"""Periods in slow samples, from 409 down to 75 Hz."""
SPAN = 144
"""Slow samples that are compared: 32 ms."""
UNHEARD = 3e-5
"""Sound so far under the loudness of the talk has no pitch."""
AROUND = -(-(SPAN // 2 + LONGEST) // SLOW_HOP) + 1
"""Frames on either side that the pitch of a frame depends on."""
LIKELY, CERTAIN = 0.6, 0.8
"""How alike periods are where a voice is first believed, and where it is fully."""
COMBED_TO_HZ, FADING_FROM_HZ = 1_500.0, 750.0
"""Higher harmonics of a voice waver too much from one period to the next."""
COMBED = round(COMBED_TO_HZ * SIZE / RATE)
"""So many bins are combed. Each is a group by itself."""
CHANGES = np.float32(0.001)
"""How much of the power of a voice is another after a period. Less than it is: smooth sounds clean."""
SECOND = np.float32(0.5)
"""What the periods after next weigh against the next."""
OTHERS = 2 * (1 + SECOND)
"""What all four weigh together, if each of the next weighs one."""
ALONE = 2 * (1 + SECOND**2) / OTHERS**2
"""The power of noise in their mean, against that in one of them."""
REACH = 2 * round((LONGEST + 0.5) * SLOWER) + SIZE // 2
"""Samples on either side of a frame's centre that are combed into it."""


@dataclass(frozen=True, eq=False)
class Pitch:
    """The period of a voice in each frame, in samples, and how surely there is one, from 0 to 1: both (frames,)."""

    period: NDArray[np.int64]
    strength: NDArray[np.float32]

    def within(self, inside: slice) -> "Pitch":
        """That of some of the frames."""
        return Pitch(self.period[inside], self.strength[inside])


def followed(frames: NDArray[np.complex64], gains: NDArray[np.float32], loud: float) -> Pitch:
    """The pitch in all but the first and last `AROUND` frames.

    frames : shape (channels, frames, BINS). gains : of noise, (frames, GROUPS). loud : as a profile has it.
    """
    hz = np.arange(SLOW_SIZE // 2 + 1) * RATE / SIZE
    band = np.where(hz < LOW_HZ, 0, np.clip((NOTHING_HZ - hz) / (NOTHING_HZ - HIGH_HZ), 0, 1)).astype(np.float32)
    cleaned = frames[:, :, : hz.size].mean(axis=0, keepdims=True) * (gains[:, : hz.size] * band)
    low = slow_sound(cleaned)[0]
    count = len(frames[0]) - 2 * AROUND
    lag, strength = periods(
        low, AROUND * SLOW_HOP, count, SLOW_HOP, SHORTEST, LONGEST, SPAN, np.float32(UNHEARD * loud)
    )
    return Pitch(np.round(lag * SLOWER).astype(np.int64), np.clip((strength - LIKELY) / (CERTAIN - LIKELY), 0, 1))


def shares(voice: Pitch, gains: NDArray[np.float32], asked: float) -> NDArray[np.float32]:
    """How much each neighbour weighs against the moment itself, in the lowest bins: shape (frames, COMBED).

    asked : how much of it, from 0 to 1. At 1 the weight of the neighbours together is the one that least is wrong with:
    the more they weigh, the less noise is left, and the more the voice changes.
    """
    hz = np.arange(COMBED) * RATE / SIZE
    fading = np.clip((COMBED_TO_HZ - hz) / (COMBED_TO_HZ - FADING_FROM_HZ), 0, 1).astype(np.float32)
    talk_over_noise = (gains[:, :COMBED] / np.maximum(1 - gains[:, :COMBED], np.float32(1e-6))) ** 2
    weight = 1 / (1 + ALONE + CHANGES * talk_over_noise)
    share = asked * fading * weight / (OTHERS * (1 - weight)) * voice.strength[:, None]
    return np.asarray(share, np.float32)


def relieved(gains: NDArray[np.float32], share: NDArray[np.float32]) -> NDArray[np.float32]:
    """Gains for combed sound: less noise in it asks for less to be taken. Shapes (frames, GROUPS), (frames, COMBED)."""
    noise = np.sqrt(1 + ALONE * (OTHERS * share) ** 2) / (1 + OTHERS * share)
    own = gains[:, :COMBED]
    out = gains.copy()
    out[:, :COMBED] = own / np.maximum(own + (1 - own) * noise, np.float32(1e-6))
    return out


def combed(
    frames: NDArray[np.complex64], sound: FloatArray, voice: Pitch, share: NDArray[np.float32]
) -> NDArray[np.complex64]:
    """Frames (channels, frames, BINS) with their lowest bins combed.

    sound : what the frames are of, from `REACH` samples before the centre of the first on, shape (samples, channels).
    """
    out, voiced = frames.copy(), np.flatnonzero(share.any(axis=1))
    at = voiced * HOP + REACH - SIZE // 2
    step, share = voice.period[voiced], share[voiced]
    for kept, each in zip(out, sound.T, strict=True):
        starting = np.lib.stride_tricks.sliding_window_view(each, SIZE)
        beside = starting[at - step] + starting[at + step]
        beside += SECOND * (starting[at - 2 * step] + starting[at + 2 * step])
        others = scipy.fft.rfft(beside * window(), axis=1)[:, :COMBED]
        kept[voiced, :COMBED] = (kept[voiced, :COMBED] + share * others) / (1 + OTHERS * share)
    return out
