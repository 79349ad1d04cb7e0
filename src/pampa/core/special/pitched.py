"""A voice higher or lower: its periods laid nearer together or further apart, its formants kept or moved along.

Each period of the voice is cut out around its pulse and laid down again at another distance (TD-PSOLA: Moulines and
Charpentier, Pitch-synchronous waveform processing techniques for text-to-speech synthesis using diphones, Speech
Communication 9, 1990). What is cut out holds the formants; read faster or slower, they move too. Sound without pitch
is laid down where it was. The pulses of a run of voice are counted from its beginning, so that two stretches that
both reach back to it go on with each other.
"""

from collections.abc import Iterator
from itertools import pairwise

import numpy as np
import scipy

from pampa.core.sound import RATE, Curve, FloatArray

SLOWER = 8
"""Pitch is looked for in sound at 6 kHz, which holds all harmonics that tell of it."""
SLOW_RATE = RATE // SLOWER
TAPS, HEARD_TO_HZ = 4 * SLOWER, 900
HOP, SPAN = 60, 240
"""Slow samples between moments at which pitch is looked for, and how many are looked at: 10 and 40 ms."""
SHORTEST, LONGEST = SLOW_RATE // 420, SLOW_RATE // 60
"""Periods, in slow samples."""
VOICED, SILENT = 0.55, 1e-4
"""How alike two periods are in a voice, and the level under which nothing is one."""
SHORTER = 0.1
"""How much less alike a period may be than one an octave longer, and still be the one."""
UNVOICED = RATE // 200
"""Frames from one cut to the next where there is no pitch."""
LOUD_OVER = RATE // 20
QUIET = np.float32(1e-9)
"""What is laid down is as loud as what it is made of, over so many frames, and in silence stays silent."""
REACH = 0.2
"""Of a period, in which the next pulse is looked for around where it should be."""


def pitched(sound: FloatArray, at: int, octaves: float, *, formants: bool) -> FloatArray:
    """Sound with its pitch moved, as long as before.

    sound : shape (frames, channels), at 48 kHz. at : its first frame on the recording's time. octaves : up, or down
    where negative. formants : whether they move along, as if whoever speaks were smaller or bigger.
    """
    higher = 2.0**octaves
    shift = higher if formants else 1.0
    slow, first = _slow(sound, at)
    out = np.zeros_like(sound)
    for centre, taken, period in _laid(_marks(slow, first, len(sound)), higher, shift):
        _lay(out, sound, centre, taken, period, shift)
    return out * np.sqrt((_power(sound) + QUIET) / (_power(out) + QUIET))


def _power(sound: FloatArray) -> FloatArray:
    """How loud it is around each frame, shape (frames, 1)."""
    power = (sound**2).mean(axis=1, keepdims=True, dtype=np.float64)
    smooth = scipy.ndimage.uniform_filter1d(power, LOUD_OVER, axis=0, mode="constant")
    return np.asarray(np.maximum(smooth, 0), np.float32)


def _slow(sound: FloatArray, at: int) -> tuple[Curve, int]:
    """One channel at 6 kHz on the recording's own grid, and the frame of `sound` that its first sample is of."""
    first = -at % (SLOWER * HOP)
    taps = scipy.signal.firwin(2 * TAPS + 1, HEARD_TO_HZ, fs=RATE)
    # Not through a transform of the whole: a sample is the same whatever lies further away.
    padded = np.pad(sound.mean(axis=1, dtype=np.float64), TAPS)[first:]
    return np.asarray(scipy.signal.upfirdn(taps, padded, down=SLOWER)[2 * TAPS // SLOWER :], np.float64), first


def _periods(slow: Curve) -> tuple[Curve, Curve]:
    """The period at every hop in slow samples, and how alike it is to the next: 0 where nothing sounds."""
    padded = np.concatenate([np.zeros(SPAN), slow, np.zeros(SPAN + LONGEST)])
    count = len(slow) // HOP + 1
    wide = np.lib.stride_tricks.sliding_window_view(padded, SPAN + LONGEST + 1)[SPAN // 2 :: HOP][:count]
    size = scipy.fft.next_fast_len(2 * SPAN + LONGEST, real=True)
    spectrum = scipy.fft.rfft(wide, size) * scipy.fft.rfft(wide[:, :SPAN], size).conj()
    likeness = scipy.fft.irfft(spectrum, size)[:, : LONGEST + 1]
    power = np.cumsum(np.pad(wide**2, ((0, 0), (1, 0))), axis=1)
    energy = power[:, SPAN : SPAN + LONGEST + 1] - power[:, : LONGEST + 1]
    likeness /= np.sqrt(energy * energy[:, :1]) + SPAN * SILENT**2
    likeness[:, :SHORTEST] = 0
    weighed = likeness - SHORTER * np.log2(np.maximum(np.arange(LONGEST + 1), 1) / SHORTEST)
    best = np.clip(weighed[:, SHORTEST:LONGEST].argmax(axis=1) + SHORTEST, 1, LONGEST - 1)
    rows = np.arange(len(best))
    before, peak, after = (likeness[rows, best + step] for step in (-1, 0, 1))
    bend = np.minimum(before - 2 * peak + after, -1e-9)
    return best + np.clip(0.5 * (before - after) / bend, -0.5, 0.5), peak


def _marks(slow: Curve, first: int, frames: int) -> list[tuple[int, int, bool]]:
    """Where to cut: frame, distance to the next, and whether it is a pulse of a voice; in order of time."""
    periods, alike = _periods(slow)
    voiced = scipy.ndimage.median_filter(alike > VOICED, 3)
    periods = scipy.ndimage.median_filter(periods, 5)
    edges = np.flatnonzero(np.diff(np.pad(voiced.astype(np.int8), 1)))
    marks: list[tuple[int, int, bool]] = []
    reached = first - UNVOICED * (first // UNVOICED + 1)
    for start, stop in edges.reshape(-1, 2):
        pulses = _pulses(slow, periods, start * HOP, min(stop * HOP, len(slow)))
        if len(pulses) < 3:
            continue
        places = [first + SLOWER * pulse for pulse in pulses]
        marks += [(at, UNVOICED, False) for at in range(reached, places[0] - UNVOICED // 2, UNVOICED)]
        marks += [(a, b - a, True) for a, b in pairwise(places)]
        reached = places[-1]
    return marks + [(at, UNVOICED, False) for at in range(reached, frames + UNVOICED, UNVOICED)]


def _pulses(slow: Curve, periods: Curve, start: int, stop: int) -> list[int]:
    """One place in each period of a run of voice, the same in each: its first is where the sound is strongest."""
    period = round(periods[start // HOP])
    pulse = start + int(np.argmax(np.abs(slow[start : start + period + 1])))
    found = [pulse]
    while True:
        period = round(periods[min(pulse // HOP, len(periods) - 1)])
        most = max(round(REACH * period), 1)
        here = slow[max(pulse - period // 2, 0) : pulse + period // 2]
        low = pulse + period - most - (pulse - max(pulse - period // 2, 0))
        there = slow[low : low + len(here) + 2 * most]
        if pulse + period >= stop or len(there) < len(here) + 2 * most or low < 0:
            return found
        pulse += period - most + int(np.argmax(np.correlate(there, here, "valid")))
        found.append(pulse)


def _laid(marks: list[tuple[int, int, bool]], higher: float, shift: float) -> Iterator[tuple[float, int, int]]:
    """What is laid down: where its middle comes to lie, what it is cut around, and its period."""
    index = 0
    while index < len(marks):
        at, step, voiced = marks[index]
        if not voiced:
            for place in np.arange(at, at + step - step / shift / 2, step / shift):
                yield place, round(place), step
            index += 1
            continue
        last = index
        while last < len(marks) and marks[last][2]:
            last += 1
        place = float(at)
        while index < last:
            while index + 1 < last and marks[index + 1][0] <= place:
                index += 1
            at, step, _ = marks[index]
            if place >= at + step:
                break
            near = index + 1 if index + 1 < last and marks[index + 1][0] - place < place - at else index
            yield place, marks[near][0], marks[near][1]
            place += step / higher
        index = last


def _lay(out: FloatArray, sound: FloatArray, centre: float, taken: int, period: int, shift: float) -> None:
    """Add two periods around `taken` at `centre`, read `shift` times as fast."""
    half = max(int(period / shift), 1)
    first = max(round(centre) - half + 1, 0)
    last = min(round(centre) + half, len(out))
    if last <= first:
        return
    away = np.arange(first, last) - round(centre)
    window = (0.5 + 0.5 * np.cos(np.pi * away / half)).astype(np.float32)
    if shift == 1:
        source = away + taken
        inside = (source >= 0) & (source < len(sound))
        grain = np.where(inside[:, None], sound[np.clip(source, 0, len(sound) - 1)], np.float32(0))
    else:
        places = away * shift + taken
        grain = np.stack([np.interp(places, np.arange(a, b), sound[a:b, channel], left=0, right=0)
                          for channel in range(sound.shape[1])
                          for a, b in [(max(taken - 2 * period, 0), min(taken + 2 * period, len(sound)))]
                          ], axis=1).astype(np.float32)  # fmt: skip
    out[first:last] += grain * window[:, None]
