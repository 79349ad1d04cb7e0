"""The compiled loops of the voice treatment."""

import numpy as np

from pampa.core.compiled import compiled


@compiled()
def filter_sections(sound, sections, block, lead):  # type: ignore[no-untyped-def]
    """Cascade of second-order sections (transposed direct form II) over each channel, in place, starting at rest.

    Blocks of so many frames go through side by side, since a processor does the same to several numbers in one step.
    Each starts at rest `lead` frames before its own first, in which the filters settle. Both are multiples of 64.
    """
    frames = sound.shape[0]
    count = -(-frames // block)
    rows = np.empty((64, count))
    one, two = np.zeros((sections.shape[0], count)), np.zeros((sections.shape[0], count))
    ends = np.zeros((count, lead), sound.dtype)
    for c in range(sound.shape[1]):
        for k in range(1, count):  # what lies before a block, which the block before it writes over
            for i in range(lead):
                ends[k, i] = sound[k * block - lead + i, c]
        one[:] = 0.0
        two[:] = 0.0
        for first in range(-lead, block, 64):
            for k in range(count):
                for i in range(64):
                    at = k * block + first + i
                    if first < 0:
                        rows[i, k] = ends[k, lead + first + i]
                    else:
                        rows[i, k] = sound[at, c] if at < frames else np.float32(0)
            for s in range(sections.shape[0]):
                _one_section(rows, sections[s], one[s], two[s])
            if first >= 0:
                for k in range(count):
                    for i in range(min(64, frames - k * block - first)):
                        sound[k * block + first + i, c] = rows[i, k]
            for s in range(sections.shape[0]):  # what rings out ends without denormal numbers
                for k in range(count):
                    if abs(one[s, k]) + abs(two[s, k]) < 1e-25:
                        one[s, k] = two[s, k] = 0.0


@compiled()
def _one_section(rows, section, one, two):  # type: ignore[no-untyped-def]
    """One section over all blocks at once: rows of shape (frames, blocks), in place."""
    b0, b1, b2, a1, a2 = section[0], section[1], section[2], section[3], section[4]
    for i in range(rows.shape[0]):
        row = rows[i]
        for k in range(row.size):
            x = row[k]
            y = b0 * x + one[k]
            one[k] = b1 * x - a1 * y + two[k]
            two[k] = b2 * x - a2 * y
            row[k] = y


@compiled()
def peaks_in_steps(sound, step):  # type: ignore[no-untyped-def]
    """The largest magnitude over all channels in every `step` frames; after the end there is silence."""
    peaks = np.zeros(-(-sound.shape[0] // step))
    for at in range(peaks.size):
        peak = np.float32(0)
        for i in range(at * step, min((at + 1) * step, sound.shape[0])):
            for c in range(sound.shape[1]):
                peak = max(peak, abs(sound[i, c]))
        peaks[at] = peak
    return peaks


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
    left = max(int(np.floor((start + 0.5) / cell - 0.5)) - first, -1)
    done = 0
    while done < frames:
        stop, value, step, middle = frames, values[min(max(left, 0), last)], 0.0, 0.0
        if left < last:
            stop = min(max(int(np.ceil((first + left + 1.5) * cell - 0.5)) - start, done), frames)
            if left >= 0:
                step = (values[left + 1] - value) / cell
                middle = (first + left + 0.5) * cell - 0.5 - start
        for i in range(done, stop):
            out[i] = value + (i - middle) * step
        left, done = left + 1, stop
    return out


@compiled()
def band_powers(sound, low, high, cell):  # type: ignore[no-untyped-def]
    """Mean square of each cell of a sound of shape (frames,): of all, and through a filter twice, which starts at rest.

    low, high : sections as of `filter_sections`. Returns all, what the one lets through and what the other does: shape
    (3, cells); a last cell that is not whole counts as if silence followed.
    """
    a0, a1, a2, a3, a4 = low
    b0, b1, b2, b3, b4 = high
    powers = np.zeros((3, -(-sound.size // cell)))
    p = pp = q = qq = r = rr = s = ss = 0.0
    for at in range(powers.shape[1]):
        whole = lows = highs = 0.0
        for i in range(at * cell, min((at + 1) * cell, sound.size)):
            x = np.float64(sound[i])
            y = a0 * x + p
            p = a1 * x - a3 * y + pp
            pp = a2 * x - a4 * y
            z = a0 * y + q
            q = a1 * y - a3 * z + qq
            qq = a2 * y - a4 * z
            v = b0 * x + r
            r = b1 * x - b3 * v + rr
            rr = b2 * x - b4 * v
            w = b0 * v + s
            s = b1 * v - b3 * w + ss
            ss = b2 * v - b4 * w
            whole += x * x
            lows += z * z
            highs += w * w
        powers[0, at], powers[1, at], powers[2, at] = whole / cell, lows / cell, highs / cell
        if abs(p) + abs(q) + abs(r) + abs(s) < 1e-25:  # what rings out ends without denormal numbers
            p = pp = q = qq = r = rr = s = ss = 0.0
    return powers


@compiled()
def hold_bands(sound, low_pole, high_pole, gains, cell):  # type: ignore[no-untyped-def]
    """The sound with the gains of its three bands, straight between the middles of cells: where all are 1, as it is.

    Filters of the first order, starting at rest: the highs are what a low pass leaves, the middle what both leave.
    """
    out = np.empty_like(sound)
    last = gains.shape[1] - 1
    for c in range(sound.shape[1]):
        a = b = 0.0
        for left in range(-1, last + 1):
            here, there = max(left, 0), min(left + 1, last)
            middle, low, high = gains[1, here], gains[0, here] - gains[1, here], gains[2, here] - gains[1, here]
            by_middle = (gains[1, there] - middle) / cell
            by_low = (gains[0, there] - gains[1, there] - low) / cell
            by_high = (gains[2, there] - gains[1, there] - high) / cell
            first = left * cell + cell // 2
            stop = sound.shape[0] if left == last else min(first + cell, sound.shape[0])
            for i in range(max(first, 0), stop):
                x = np.float64(sound[i, c])
                a = x + low_pole * (a - x)
                b = x + high_pole * (b - x)
                t = i - first + 0.5
                out[i, c] = x * (middle + by_middle * t) + a * (low + by_low * t) + (x - b) * (high + by_high * t)
            if abs(a) + abs(b) < 1e-25:
                a = b = 0.0
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
        for left in range(-1, last + 1):
            scale = held[max(left, 0)]
            step = (held[min(left + 1, last)] - scale) / block
            first = left * block + block // 2
            stop = sound.shape[0] if left == last else min(first + block, sound.shape[0])
            for i in range(max(first, 0), stop):
                x = np.float64(driven[i, c])
                u = x / (reference * (scale + step * (i - first + 0.5)))
                made = x * u * (even + odd * u)
                slow = made + pole * (slow - made)
                out[i, c] = sound[i, c] + made - slow
            if abs(slow) < 1e-25:
                slow = 0.0
    return out


@compiled()
def powers_of_differences(windows, window):  # type: ignore[no-untyped-def]
    """Of each row under a window, the sum of squares of differences from sample to sample, around from its end.

    windows : shape (rows, size). Returns shape (rows,).
    """
    out = np.empty(windows.shape[0])
    for row in range(windows.shape[0]):
        here = windows[row]
        before = np.float64(here[here.size - 1] * window[here.size - 1])
        total = 0.0
        for i in range(here.size):
            value = np.float64(here[i] * window[i])
            total += (value - before) ** 2
            before = value
        out[row] = total
    return out
