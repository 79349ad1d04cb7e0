"""The compiled loops of the voice treatment."""

import numpy as np

from pampa.core.compiled import compiled


@compiled()
def filter_sections(sound, sections):  # type: ignore[no-untyped-def]
    """Cascade of second-order sections (transposed direct form II) over each channel, starting at rest: in place.

    Every sample goes through all sections before the next one comes: a processor works on several at once.
    """
    one, two = np.zeros(sections.shape[0]), np.zeros(sections.shape[0])
    for c in range(sound.shape[1]):
        one[:] = 0.0
        two[:] = 0.0
        for first in range(0, sound.shape[0], 256):
            for i in range(first, min(first + 256, sound.shape[0])):
                y = np.float64(sound[i, c])
                for k in range(sections.shape[0]):
                    x = y
                    y = sections[k, 0] * x + one[k]
                    one[k] = sections[k, 1] * x - sections[k, 3] * y + two[k]
                    two[k] = sections[k, 2] * x - sections[k, 4] * y
                sound[i, c] = y
            for k in range(sections.shape[0]):  # what rings out ends without denormal numbers
                if abs(one[k]) + abs(two[k]) < 1e-25:
                    one[k] = two[k] = 0.0


@compiled()
def compressor_gain_db(peaks, threshold, ratio, knee, speeds):  # type: ignore[no-untyped-def]
    """Gain in dB of a feed-forward compressor, one value for each peak.

    Soft-knee gain computer, then two smooth branching detectors in the log domain, of which the deeper one counts.
    speeds : attack and release of the fast one, then of the slow one: one-pole coefficients at the rate of `peaks`.
    Source: Giannoulis, Massberg and Reiss, Digital dynamic range compressor design, JAES 60 (2012), eq. 4 and 17.
    """
    gain = np.empty(peaks.size, np.float64)
    fast = slow = 0.0
    for i in range(peaks.size):
        level = 20.0 * np.log10(max(peaks[i], 1e-6))
        over = level - threshold
        if 2 * over < -knee:
            wanted = 0.0
        elif 2 * over <= knee:
            wanted = (1 - 1 / ratio) * (over + knee / 2) ** 2 / (2 * knee)
        else:
            wanted = (1 - 1 / ratio) * over
        speed = speeds[0] if wanted > fast else speeds[1]
        fast = speed * fast + (1 - speed) * wanted
        speed = speeds[2] if wanted > slow else speeds[3]
        slow = speed * slow + (1 - speed) * wanted
        if fast < 1e-9:
            fast = 0.0
        if slow < 1e-9:
            slow = 0.0
        gain[i] = -max(fast, slow)
    return gain


@compiled()
def ramp(values, first, cell, start, frames):  # type: ignore[no-untyped-def]
    """`frames` values from frame `start` on, on straight lines between those in the middles of cells.

    values[0] is that of cell number `first`; a cell has `cell` frames, which need not be a whole number.
    """
    out = np.empty(frames, np.float32)
    last = values.size - 1
    for i in range(frames):
        place = min(max((start + i + 0.5) / cell - 0.5 - first, 0.0), np.float64(last))
        left = min(int(place), max(last - 1, 0))
        right = min(left + 1, last)
        out[i] = values[left] + (place - left) * (values[right] - values[left])
    return out


@compiled()
def hold_bands(sound, low_pole, high_pole, gains, cell):  # type: ignore[no-untyped-def]
    """The sound with the gains of its three bands, straight between the middles of cells: where all are 1, as it is.

    Filters of the first order, starting at rest: the highs are what a low pass leaves, the middle what both leave.
    """
    out = np.empty_like(sound)
    last = gains.shape[1] - 1
    for c in range(sound.shape[1]):
        a = b = 0.0
        for i in range(sound.shape[0]):
            x = np.float64(sound[i, c])
            a = x + low_pole * (a - x)
            b = x + high_pole * (b - x)
            if abs(a) < 1e-25:
                a = 0.0
            if abs(b) < 1e-25:
                b = 0.0
            place = min(max((i + 0.5) / cell - 0.5, 0.0), np.float64(last))
            left = min(int(place), max(last - 1, 0))
            right = min(left + 1, last)
            share = place - left
            low = gains[0, left] + share * (gains[0, right] - gains[0, left])
            middle = gains[1, left] + share * (gains[1, right] - gains[1, left])
            high = gains[2, left] + share * (gains[2, right] - gains[2, left])
            out[i, c] = x * middle + a * (low - middle) + (x - b) * (high - middle)
    return out


@compiled()
def add_harmonics(sound, driven, held, block, even, odd, reference, pole):  # type: ignore[no-untyped-def]
    """The sound with the square and the cube of `driven` added, without what would stand off the middle.

    held : what `driven` is divided by so that it stays within 1, in the middle of every `block` frames, never under 1.
    """
    out = np.empty_like(sound)
    last = held.size - 1
    for c in range(sound.shape[1]):
        slow = 0.0
        for i in range(sound.shape[0]):
            place = min(max((i + 0.5) / block - 0.5, 0.0), np.float64(last))
            left = min(int(place), max(last - 1, 0))
            right = min(left + 1, last)
            scale = held[left] + (place - left) * (held[right] - held[left])
            u = driven[i, c] / (reference * scale)
            made = (even * u * u + odd * u * u * u) * scale * reference
            slow = made + pole * (slow - made)
            if abs(slow) < 1e-25:
                slow = 0.0
            out[i, c] = sound[i, c] + made - slow
    return out
