"""The compiled loops of the voice treatment."""

import numpy as np

from pampa.core.compiled import compiled


@compiled()
def filter_sections(sound, sections):  # type: ignore[no-untyped-def]
    """Cascade of second-order sections (transposed direct form II) over each channel, starting at rest: in place."""
    for c in range(sound.shape[1]):
        for k in range(sections.shape[0]):
            b0, b1, b2, a1, a2 = sections[k]
            s1 = s2 = 0.0
            for i in range(sound.shape[0]):
                x = np.float64(sound[i, c])
                y = b0 * x + s1
                s1 = b1 * x - a1 * y + s2
                s2 = b2 * x - a2 * y
                if abs(y) < 1e-25:
                    y = 0.0  # rings out without denormals
                    if abs(s1) < 1e-25:
                        s1 = s2 = 0.0
                sound[i, c] = y


@compiled()
def compressor_gain_db(peaks, threshold, ratio, knee, attack, release):  # type: ignore[no-untyped-def]
    """Gain in dB of a feed-forward compressor, one value for each peak.

    Soft-knee gain computer, then the smooth branching detector in the log domain. `attack` and `release` are
    one-pole coefficients at the rate of `peaks`.
    Source: Giannoulis, Massberg and Reiss, Digital dynamic range compressor design, JAES 60 (2012), eq. 4 and 17.
    """
    gain = np.empty(peaks.size, np.float64)
    state = 0.0
    for i in range(peaks.size):
        level = 20.0 * np.log10(max(peaks[i], 1e-6))
        over = level - threshold
        if 2 * over < -knee:
            wanted = 0.0
        elif 2 * over <= knee:
            wanted = (1 - 1 / ratio) * (over + knee / 2) ** 2 / (2 * knee)
        else:
            wanted = (1 - 1 / ratio) * over
        speed = attack if wanted > state else release
        state = speed * state + (1 - speed) * wanted
        if state < 1e-9:
            state = 0.0
        gain[i] = -state
    return gain
