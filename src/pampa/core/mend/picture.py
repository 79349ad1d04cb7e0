"""A spectrogram in tiles: for each column and each of a number of bands, how strong the sound is."""

from functools import cache
from itertools import pairwise

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.sound import RATE, Source, to_mono

SIZE = 2048
COLUMNS, ROWS = 256, 160
FINEST = 128
"""Frames of one column at zoom 0; each zoom has twice as many."""
MOST_ZOOM = 16
LOOKS = 3
"""Spectra that one wide column is the mean of."""
LOWEST_HZ, HIGHEST_HZ = 50.0, 20_000.0
LOWEST_DB = -110.0


def tile(source: Source, zoom: int, number: int) -> NDArray[np.uint8]:
    """One tile: shape (COLUMNS, ROWS), from 0 for -110 dBFS to 255 for full scale, the lowest band first.

    Column c of tile n stands for `FINEST * 2**zoom` frames from `(n * COLUMNS + c)` times as many on.
    """
    hop = FINEST << zoom
    begin = number * COLUMNS * hop
    looks = min(LOOKS, max(hop // SIZE, 1))
    power = np.zeros((COLUMNS, SIZE // 2 + 1), np.float32)
    if hop <= SIZE:
        sound = source.read(begin + hop // 2 - SIZE // 2, begin + (COLUMNS - 1) * hop + hop // 2 + SIZE // 2)
        mono = to_mono(sound)
        power[:] = _power(np.lib.stride_tricks.sliding_window_view(mono, SIZE)[::hop])
    else:
        for column in range(COLUMNS):
            first = begin + column * hop
            if first >= source.frames:
                break
            starts = first + (np.arange(looks) + 0.5) * hop / looks - SIZE / 2
            rows = [to_mono(source.read(int(start), int(start) + SIZE)) for start in starts]
            power[column] = _power(np.array(rows, np.float32)).mean(axis=0)
    bands = power @ _bands()
    db = 10 * np.log10(np.maximum(bands, 1e-12))
    return np.clip((db / -LOWEST_DB + 1) * 255, 0, 255).astype(np.uint8)


def halved(left: NDArray[np.uint8], right: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The tile of the next zoom over two that lie side by side: of each two columns the mean power."""
    db = (np.concatenate([left, right]).astype(np.float32) / 255 - 1) * -LOWEST_DB
    power = (10 ** (db / 10)).reshape(COLUMNS, 2, ROWS).mean(axis=1)
    return np.clip(np.round((10 * np.log10(power) / -LOWEST_DB + 1) * 255), 0, 255).astype(np.uint8)


def _power(rows: NDArray[np.float32]) -> NDArray[np.float32]:
    spectra = scipy.fft.rfft(rows * _window(), axis=1)
    power: NDArray[np.float32] = spectra.real**2 + spectra.imag**2
    return power


@cache
def _window() -> NDArray[np.float32]:
    window = np.hanning(SIZE + 1)[:-1]
    return (window * 2 / window.sum()).astype(np.float32)


@cache
def _bands() -> NDArray[np.float32]:
    """Mean power over each band, the bands evenly spaced in pitch; narrow ones are read between two bins."""
    edges = np.geomspace(LOWEST_HZ, HIGHEST_HZ, ROWS + 1) * SIZE / RATE
    out = np.zeros((SIZE // 2 + 1, ROWS), np.float32)
    for row, (low, high) in enumerate(pairwise(edges)):
        bins = np.arange(int(np.floor(low)), int(np.ceil(high)) + 1)
        share = np.clip(1 - np.maximum(np.abs(bins - (low + high) / 2) - (high - low) / 2, 0), 0, 1)
        out[bins, row] = share / share.sum()
    return out
