"""The loops of the voice treatment against what SciPy and NumPy work out."""

import numpy as np
import pytest
import scipy

from pampa.core.sound import RATE
from pampa.core.voice import kernels

LOW_CUT = scipy.signal.butter(2, 60, "high", fs=RATE, output="sos")
STEEP = scipy.signal.ellip(9, 0.1, 90, 6000, output="sos", fs=RATE)


def _sections(sos: np.ndarray) -> np.ndarray:
    return np.ascontiguousarray(np.delete(sos, 3, axis=1))


def _noise(frames: int, channels: int = 1) -> np.ndarray:
    return (0.1 * np.random.default_rng(frames).standard_normal((frames, channels))).astype(np.float32)


@pytest.mark.parametrize("frames", [1, 63, 6400, 6401, 20_000])
@pytest.mark.parametrize("channels", [1, 2])
@pytest.mark.parametrize("sos", [LOW_CUT, STEEP, np.concatenate([LOW_CUT, STEEP])])
def test_filters_side_by_side_are_the_filter_over_all_of_it(frames: int, channels: int, sos: np.ndarray) -> None:
    sound = _noise(frames, channels)
    filtered = sound.copy()
    kernels.filter_sections(filtered, _sections(sos), 6400, 64 * 95)
    np.testing.assert_allclose(filtered, scipy.signal.sosfilt(sos, sound.astype(float), axis=0), atol=3e-8)


def test_a_filter_gives_the_same_bits_however_long_the_sound_is() -> None:
    sound = _noise(30_000)
    whole, part = sound.copy(), sound[:17_777].copy()
    for each in (whole, part):
        kernels.filter_sections(each, _sections(STEEP), 6400, 1280)
    np.testing.assert_array_equal(part, whole[:17_777])


@pytest.mark.parametrize(("first", "cell", "start"), [(0, 960, 0), (3, 220.5, 500), (5, 960, 4000), (2, 441, 123_456)])
def test_a_ramp_goes_straight_between_the_middles_of_cells(first: int, cell: float, start: int) -> None:
    values = np.random.default_rng(1).uniform(0.5, 1, 30)
    middles = (first + np.arange(values.size) + 0.5) * cell
    wanted = np.interp(start + np.arange(20_000) + 0.5, middles, values)
    made = kernels.ramp(values, first, cell, start, 20_000)
    np.testing.assert_allclose(made, wanted, atol=1e-7)
    np.testing.assert_array_equal(kernels.ramp(values, first, cell, start + 777, 1000), made[777:1777])


def test_a_ramp_of_one_value_is_that_value() -> None:
    assert (kernels.ramp(np.array([0.25]), 0, 960, 0, 3000) == 0.25).all()


def test_powers_of_bands_are_those_of_what_the_filters_let_through() -> None:
    low, high = (scipy.signal.butter(2, hz, kind, fs=RATE, output="sos") for hz, kind in ((300, "low"), (2500, "high")))
    sound = _noise(5000)[:, 0]
    powers = kernels.band_powers(sound, tuple(_sections(low)[0]), tuple(_sections(high)[0]), 960)
    assert powers.shape == (3, 6)
    for row, sos in zip(powers, (None, np.concatenate([low, low]), np.concatenate([high, high])), strict=True):
        through = sound.astype(float) if sos is None else scipy.signal.sosfilt(sos, sound.astype(float))
        cells = np.pad(through**2, (0, 760)).reshape(6, 960).mean(axis=1)
        np.testing.assert_allclose(row, cells, rtol=1e-9)


@pytest.mark.parametrize("channels", [1, 2])
def test_peaks_are_the_largest_magnitude_of_each_step(channels: int) -> None:
    sound = _noise(100, channels)
    wanted = [np.abs(sound[at : at + 16]).max() for at in range(0, 100, 16)]
    np.testing.assert_array_equal(kernels.peaks_in_steps(sound, 16), wanted)


def test_held_bands_move_straight_between_the_middles_of_cells() -> None:
    sound = np.full((4 * 960, 1), 0.5, np.float32)  # a constant lies in the lows, but for how the filters begin
    gains = np.array([[1.0, 2.0, 0.5, 1.0], [1.0, 1, 1, 1], [1.0, 1, 1, 1]])
    held = kernels.hold_bands(sound, 0.5, 0.5, gains, 960)[200:, 0]
    wanted = 0.5 * np.interp(np.arange(200, 3840) + 0.5, (np.arange(4) + 0.5) * 960, gains[0])
    np.testing.assert_allclose(held, wanted, atol=1e-6)


def test_powers_of_differences_go_around_from_the_end() -> None:
    windows, window = _noise(40, 30)[:, :30], np.hanning(30).astype(np.float32)
    under = (windows * window).astype(float)
    wanted = ((under - np.roll(under, 1, axis=1)) ** 2).sum(axis=1)
    np.testing.assert_allclose(kernels.powers_of_differences(windows, window), wanted, rtol=1e-6)
