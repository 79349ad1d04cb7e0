"""The compiled loops of mending."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def minus_sines(sound, start, step, phase, levels, first, hop, amount):  # type: ignore[no-untyped-def]
    """Sound (frames, channels), whose first frame is `start`, less sines at multiples of `step` radians a frame.

    phase, levels : at every `hop` frames from `first` hops on, joined by straight lines. levels : complex, shape
    (hops, multiples, channels).
    """
    out = np.empty_like(sound)
    hops, count, channels = levels.shape
    for i in range(sound.shape[0]):
        place = (start + i) / hop - first
        k = min(int(place), hops - 1)
        after = min(k + 1, hops - 1)
        share = place - k
        turn = step * (start + i) + phase[k] + share * (phase[after] - phase[k])
        base = complex(np.cos(turn), np.sin(turn))
        for c in range(channels):
            wave = base
            hum = 0.0
            for n in range(count):
                level = levels[k, n, c] + share * (levels[after, n, c] - levels[k, n, c])
                hum += level.real * wave.real - level.imag * wave.imag
                wave *= base
            out[i, c] = sound[i, c] - np.float32(amount * hum)
    return out
