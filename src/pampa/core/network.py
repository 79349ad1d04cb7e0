"""Small networks that listen to sound frame by frame."""

from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

from pampa.core.arrays import arrays_in
from pampa.core.compiled import compiled

LAYERS = ("into", "into_bias", "taps", "taps_bias", "mix", "mix_bias", "out", "out_bias")


def weights_in(package: str, name: str) -> tuple[NDArray[np.float32], ...]:
    """The weights of a network that lie beside a package's code, in the order in which `convolved` takes them."""
    kept = arrays_in(str(files(package) / f"{name}.npz"))
    return tuple(np.ascontiguousarray(kept[layer], np.float32) for layer in LAYERS)


@compiled()
def convolved(seen, into, into_bias, taps, taps_bias, mix, mix_bias, out, out_bias, dilations):  # type: ignore[no-untyped-def]
    """A temporal convolutional network. Each frame is summed by itself and in one order: the same bits in any stretch.

    seen : float32, shape (frames, inputs). Returns one row less for every dilation on either side, before any last
    function: shape (frames - 2 * sum(dilations), outputs). Source: Bai, Kolter & Koltun, arXiv:1803.01271 (2018),
    with layers that are separable by depth.
    """
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
    return _dense(np.maximum(x[first:last], np.float32(0)), out, out_bias)


@compiled()
def _dense(rows, weights, bias):  # type: ignore[no-untyped-def]
    """Rows times weights and a bias, in the order of the inputs. What a ReLU has set to zero is passed over.

    Four inputs at a time: the sums are fetched and put back a quarter as often, which takes less than half as long.
    """
    out = np.empty((rows.shape[0], weights.shape[1]), np.float32)
    there = np.empty(rows.shape[1], np.int64)
    for t in range(rows.shape[0]):
        sums, row = out[t], rows[t]
        sums[:] = bias
        count = 0
        for i in range(row.size):
            there[count] = i
            count += row[i] != 0
        fours = count // 4 * 4
        for k in range(0, fours, 4):
            a, b, c, d = there[k], there[k + 1], there[k + 2], there[k + 3]
            by_a, by_b, by_c, by_d = weights[a], weights[b], weights[c], weights[d]
            for o in range(sums.size):
                sums[o] = (((sums[o] + row[a] * by_a[o]) + row[b] * by_b[o]) + row[c] * by_c[o]) + row[d] * by_d[o]
        for k in range(fours, count):
            by_a, value = weights[there[k]], row[there[k]]
            for o in range(sums.size):
                sums[o] += value * by_a[o]
    return out
