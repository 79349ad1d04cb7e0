"""Faster or slower with the pitch kept: waveform similarity overlap-add, one hop at a time.

Source: Verhelst and Roelands, An overlap-add technique based on waveform similarity (WSOLA) for high quality
time-scale modification of speech, ICASSP 1993.
"""

import numpy as np

from pampa.core.sound import FloatArray, Source, to_mono

HOP = 960
"""Frames of one output hop: 20 ms. Two hops make a window."""
REACH = 480
"""How far from its even place a window may be taken, in frames: 10 ms, half a period of 50 Hz."""
MOST_BEHIND = 4 * HOP
"""A window is taken at most so far from where the next one begins, at twice the speed and more."""
THINNED = 4

_RISING = (np.sin(np.linspace(0, np.pi / 2, HOP, endpoint=False)) ** 2).astype(np.float32)[:, None]


def stretch(source: Source, *, start: int, hops: int, speed: float, tail: int | None) -> tuple[FloatArray, int, int]:
    """`hops` hops of sound from `start`, played `speed` times as fast.

    Parameters
    ----------
    tail : where the window before this range was taken, as returned by the call before; None to begin anew.
        It is the only memory, and the caller's: the same arguments give the same sound.

    Returns
    -------
    sound, shape (hops * HOP, channels); where to go on (`start` of the next call); its `tail`.
    """
    if tail is not None and abs(start - tail) > MOST_BEHIND:
        tail = None  # from elsewhere: nothing follows from there
    ideal = start + np.round(np.arange(hops) * HOP * speed).astype(np.int64)
    lowest = min(int(ideal[0]), tail if tail is not None else start) - REACH
    highest = max(int(ideal[-1]), (tail or 0) + HOP) + REACH + 2 * HOP
    held = source.read(lowest, highest)
    mono = to_mono(held)
    out = np.empty((hops * HOP, source.channels), np.float32)
    for index, place in enumerate(ideal):
        if tail is None:
            taken = int(place)
            out[index * HOP : (index + 1) * HOP] = held[taken - lowest : taken - lowest + HOP]
        else:
            taken = _most_alike(mono, tail + HOP - lowest, int(place) - lowest) + lowest
            going = held[tail + HOP - lowest : tail + 2 * HOP - lowest]
            coming = held[taken - lowest : taken - lowest + HOP]
            out[index * HOP : (index + 1) * HOP] = going * (1 - _RISING) + coming * _RISING
        tail = taken
    return out, start + round(hops * HOP * speed), int(tail or 0)


def _most_alike(mono: FloatArray, natural: int, ideal: int) -> int:
    """The place near `ideal` whose sound is most like what would naturally follow, at `natural`."""
    if abs(natural - ideal) <= 1:
        return natural
    wanted = mono[natural : natural + HOP : THINNED]
    field = mono[ideal - REACH : ideal + REACH + HOP]
    starts = np.lib.stride_tricks.sliding_window_view(field, HOP)[::THINNED, ::THINNED]
    energy = np.einsum("ij,ij->i", starts, starts) + 1e-9
    return ideal - REACH + THINNED * int(np.argmax((starts @ wanted) / np.sqrt(energy)))
