"""Drift taken out: by exact resampling, any stretch by itself, for sound and for curves about it."""

import numpy as np
import pytest

from pampa.core.sound import RATE, ArraySource
from pampa.core.sync.clocked import Clocked, clocked, clocked_curve, clocked_frames


def tone(hz, seconds, rate=RATE):
    return np.sin(2 * np.pi * hz * np.arange(round(seconds * rate)) / rate).astype(np.float32)[:, None]


@pytest.mark.parametrize("drift_ppm", [-80.0, 38.0, 300.0])
@pytest.mark.parametrize("hz", [100.0, 5_000.0, 16_000.0, 20_000.0])
def test_a_tone_comes_out_at_its_true_pitch_and_nothing_else_is_heard(hz, drift_ppm):
    """Against the tone computed at the exact places: the error lies 95 dB under it, up to 20 kHz."""
    source = Clocked(ArraySource(tone(hz, 6)), drift_ppm)
    made = source.read(RATE, 5 * RATE)[:, 0]
    places = np.arange(RATE, 5 * RATE) / (1 + drift_ppm * 1e-6)
    error = made - np.sin(2 * np.pi * hz * places / RATE)
    assert 20 * np.log10(np.sqrt(np.mean(error**2)) / np.sqrt(0.5)) < -95


def test_a_click_stands_where_the_reference_has_it():
    """A clock 50 ppm fast counts 50 frames too many in a million."""
    local = np.zeros((40 * RATE, 1), np.float32)
    local[round(38 * RATE * (1 + 50e-6))] = 0.9
    assert int(np.argmax(np.abs(Clocked(ArraySource(local), -50.0).read(0, 40 * RATE)))) == 38 * RATE


def test_any_division_into_ranges_gives_the_same_bits():
    noise = np.random.default_rng(1).standard_normal((3 * RATE, 2)).astype(np.float32)
    source = Clocked(ArraySource(noise), 61.7)
    whole = source.read(-100, source.frames + 100)
    pieces = [source.read(at, min(at + 7_001, source.frames + 100)) for at in range(-100, source.frames + 100, 7_001)]
    assert np.array_equal(np.concatenate(pieces), whole)
    assert not whole[:100].any()
    assert not whole[-100:].any()


def test_without_drift_it_is_the_recording_itself():
    source = ArraySource(tone(440, 1))
    assert clocked(source, 0.0) is source


def test_lengths_and_curves_follow_the_clock():
    assert clocked_frames(RATE * 3600, 100.0) == RATE * 3600 + 17_280
    curve = np.arange(200_000.0)
    moved = clocked_curve(curve, 100.0)
    assert moved.size == 200_020
    assert moved[150_015] == pytest.approx(150_000, abs=1)
    assert clocked_curve(curve, 0.0) is curve
