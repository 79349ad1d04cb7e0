"""The compiled loops of mending."""

import numpy as np

from pampa.core.compiled import compiled


@compiled()
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


@compiled()
def listen(seen, into, into_bias, taps, taps_bias, mix, mix_bias, out, out_bias, dilations):  # type: ignore[no-untyped-def]
    """The network of `denoiser`. Each frame is summed by itself and in one order: the same bits in any stretch."""
    first, last = 0, seen.shape[0]
    x = _dense(seen, into, into_bias)
    x = np.maximum(x, np.float32(0))
    for layer in range(dilations.size):
        dilation = dilations[layer]
        first, last = first + dilation, last - dilation
        y = np.empty((last - first, x.shape[1]), np.float32)
        for t in range(first, last):
            for c in range(x.shape[1]):
                value = (
                    x[t - dilation, c] * taps[layer, 0, c] + x[t, c] * taps[layer, 1, c]
                    + x[t + dilation, c] * taps[layer, 2, c] + taps_bias[layer, c]
                )  # fmt: skip
                y[t - first, c] = max(value, np.float32(0))
        added = _dense(y, mix[layer], mix_bias[layer])
        for t in range(first, last):
            for c in range(x.shape[1]):
                x[t, c] += added[t - first, c]
    gains = _dense(np.maximum(x[first:last], np.float32(0)), out, out_bias)
    return np.float32(1) / (np.float32(1) + np.exp(-gains))


@compiled()
def _dense(rows, weights, bias):  # type: ignore[no-untyped-def]
    """Rows times weights and a bias. What a ReLU has set to zero is passed over."""
    out = np.empty((rows.shape[0], weights.shape[1]), np.float32)
    for t in range(rows.shape[0]):
        sums = out[t]
        for o in range(sums.size):
            sums[o] = bias[o]
        for i in range(rows.shape[1]):
            value = rows[t, i]
            if value != 0:
                row = weights[i]
                for o in range(sums.size):
                    sums[o] += value * row[o]
    return out


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
