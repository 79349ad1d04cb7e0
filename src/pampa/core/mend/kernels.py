"""The compiled loops of mending."""

import numpy as np

from pampa.core.compiled import compiled
from pampa.core.network import convolved

TILE = 64
"""Frames that are worked side by side, on a grid of the recording's own, which divides a hop: the same bits in any
stretch."""


@compiled()
def minus_sines(sound, start, step, phase, levels, first, hop, amount):  # type: ignore[no-untyped-def]
    """Sound (frames, channels), whose first frame is `start`, less sines at multiples of `step` radians a frame.

    phase, levels : at every `hop` frames from `first` hops on, joined by straight lines. levels : complex, shape
    (hops, multiples, channels). Within a hop the fundamental turns evenly, so that its turns are a table, and one
    sine and cosine tell a whole tile.
    """
    out = np.empty_like(sound)
    hops, count, channels = levels.shape
    table, base, wave, hum = np.empty((2, TILE)), np.empty((2, TILE)), np.empty((2, TILE)), np.empty(TILE)
    known = -1
    for tile in range(start // TILE, (start + sound.shape[0] - 1) // TILE + 1):
        begin = tile * TILE
        k = min(begin // hop - first, hops - 1)
        after = min(k + 1, hops - 1)
        ahead = phase[after] - phase[k]
        if k != known:
            for m in range(TILE):
                table[0, m], table[1, m] = np.cos((step + ahead / hop) * m), np.sin((step + ahead / hop) * m)
            known = k
        along = begin - (first + k) * hop
        turn = step * begin + phase[k] + along / hop * ahead
        cosine, sine = np.cos(turn), np.sin(turn)
        for m in range(TILE):
            base[0, m] = cosine * table[0, m] - sine * table[1, m]
            base[1, m] = cosine * table[1, m] + sine * table[0, m]
        for c in range(channels):
            wave[:] = base
            hum[:] = 0.0
            for n in range(count):
                level, more = levels[k, n, c], levels[after, n, c] - levels[k, n, c]
                for m in range(TILE):
                    share = (along + m) / hop
                    real, imag = wave[0, m], wave[1, m]
                    hum[m] += (level.real + share * more.real) * real - (level.imag + share * more.imag) * imag
                    wave[0, m] = real * base[0, m] - imag * base[1, m]
                    wave[1, m] = real * base[1, m] + imag * base[0, m]
            for m in range(max(start - begin, 0), min(TILE, start + sound.shape[0] - begin)):
                out[begin + m - start, c] = sound[begin + m - start, c] - np.float32(amount * hum[m])
    return out


@compiled()
def listen(seen, into, into_bias, taps, taps_bias, mix, mix_bias, out, out_bias, dilations):  # type: ignore[no-untyped-def]
    """The network of `denoiser`: gains from 0 to 1."""
    gains = convolved(seen, into, into_bias, taps, taps_bias, mix, mix_bias, out, out_bias, dilations)
    return np.float32(1) / (np.float32(1) + np.exp(-gains))


@compiled(fastmath={"reassoc", "contract"})
def periods(low, first, count, hop, shortest, longest, span, unheard):  # type: ignore[no-untyped-def]
    """After how many samples sound (float32) is most like itself around places `hop` apart, and how alike it is.

    Of lags that are nearly as good the shortest is taken: twice a period is as much alike. A lag is told to a part of
    a sample by a parabola. unheard : mean square of what does not count. Returns two float32 arrays, (count,).
    """
    lags, alike = np.zeros(count, np.float32), np.zeros(count, np.float32)
    likeness = np.zeros(longest + 2, np.float32)
    before = np.zeros(span + longest + 2)
    for k in range(count):
        begin = first + k * hop - span // 2 - (longest + 1) // 2
        for i in range(before.size - 1):
            before[i + 1] = before[i] + low[begin + i] * low[begin + i]
        best = np.float32(0)
        for lag in range(shortest - 1, longest + 2):
            a = (longest + 1) // 2 - lag // 2
            one, two = low[begin + a : begin + a + span], low[begin + a + lag : begin + a + lag + span]
            total = np.float32(0)
            for i in range(span):
                total += one[i] * two[i]
            power = (before[a + span] - before[a]) * (before[a + lag + span] - before[a + lag])
            likeness[lag] = total / np.sqrt(max(power, 1e-300) + (span * unheard) ** 2)
            if shortest <= lag <= longest:
                best = max(best, likeness[lag])
        for lag in range(shortest, longest + 1):
            here, sooner, later = likeness[lag], likeness[lag - 1], likeness[lag + 1]
            if here > np.float32(0.9) * best and here >= sooner and here >= later:
                bend = min(sooner - 2 * here + later, np.float32(-1e-9))
                lags[k] = lag + min(max(np.float32(0.5) * (sooner - later) / bend, np.float32(-0.5)), np.float32(0.5))
                alike[k] = here
                break
    return lags, alike


@compiled(fastmath={"reassoc", "contract"})
def prediction_error(wave, block, order):  # type: ignore[no-untyped-def]
    """What is left of a wave (float64) after prediction, by blocks, each with a model of itself and its neighbours.

    The model is Levinson's, of the stretch with its tops softened: a click must not teach it how to foretell clicks.
    """
    out = np.zeros(wave.size)
    likeness, model, before = np.empty(order + 1), np.empty(order + 1), np.empty(order + 1)
    for start in range(0, wave.size, block):
        first, last = max(start - block, 0), min(start + 2 * block, wave.size)
        near = wave[first:last].copy()
        limit = 3 * np.abs(near).mean()
        if limit == 0:
            continue
        for i in range(near.size):
            share = (i + 0.5) / near.size
            near[i] = min(max(near[i], -limit), limit) * np.sin(np.pi * share)
        # Both loops over samples run on views: an index that might be negative would not be vectorised.
        for lag in range(order + 1):
            later, sooner = near[lag:], near[: near.size - lag]
            total = 0.0
            for i in range(later.size):
                total += later[i] * sooner[i]
            likeness[lag] = total
        error = likeness[0] * (1 + 1e-6)
        model[:] = 0
        model[0] = 1
        for k in range(1, order + 1):
            pull = likeness[k]
            for j in range(1, k):
                pull += model[j] * likeness[k - j]
            turn = -pull / error
            before[:k] = model[:k]
            for j in range(1, k):
                model[j] = before[j] + turn * before[k - j]
            model[k] = turn
            error *= 1 - turn * turn
        begin, end = max(start, order), min(start + block, wave.size)
        left = out[begin:end]
        for j in range(order + 1):
            part, weight = wave[begin - j : end - j], model[j]
            for i in range(left.size):
                left[i] += weight * part[i]
    return out
