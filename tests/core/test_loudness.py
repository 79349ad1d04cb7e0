"""The meter against the minimum requirements of EBU Tech 3341 and 3342 and the properties of BS.1770-5."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pampa.core.errors import SignalError
from pampa.core.executor import Inline, Threads
from pampa.core.loudness import measure, measure_source, merge, summarise
from pampa.core.loudness.gating import MOMENTARY_CELLS, SHORT_TERM_CELLS, loudest, to_lufs, windows
from pampa.core.loudness.measure import measure_segment
from pampa.core.loudness.weighting import k_weighting
from pampa.core.sound import RATE, ArraySource, segments
from tests.signals import noise, silence, sine, talk


def tones(*steps, channels=2, hz=1000):
    return np.concatenate([sine(hz, dbfs=level, seconds=seconds, channels=channels) for level, seconds in steps])


@pytest.mark.parametrize(
    ("steps", "expected"),
    [
        pytest.param([(-23, 20)], -23.0, id="signal-1"),
        pytest.param([(-33, 20)], -33.0, id="signal-2"),
        pytest.param([(-36, 10), (-23, 60), (-36, 10)], -23.0, id="signal-3"),
        pytest.param([(-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)], -23.0, id="signal-4"),
        pytest.param([(-26, 20), (-20, 20.1), (-26, 20)], -23.0, id="signal-5"),
    ],
)
def test_stereo_tones_read_their_integrated_loudness(steps, expected):
    """EBU Tech 3341, signals 1 to 5: within 0.1 LU."""
    assert measure(tones(*steps)).integrated_lufs == pytest.approx(expected, abs=0.1)


@pytest.mark.parametrize("rate", [8000, 22050, 44100, 48000, 96000, 192000])
def test_a_tone_reads_the_same_at_every_sample_rate(rate):
    """EBU Tech 3341, signal 1, at rates for which the standard tabulates no filter."""
    reading = measure(sine(1000, dbfs=-23, seconds=20, channels=2, rate=rate), rate)
    assert reading.integrated_lufs == pytest.approx(-23.0, abs=0.1)


def test_five_channels_are_weighted_and_summed():
    """EBU Tech 3341, signal 6: -28 dBFS left and right, -24 centre, -30 surround reads -23.0 LUFS."""
    sound = np.concatenate([sine(1000, dbfs=level, seconds=20) for level in (-28, -28, -24, -30, -30)], axis=1)
    assert measure(sound).integrated_lufs == pytest.approx(-23.0, abs=0.1)


def test_the_low_frequency_channel_does_not_count():
    sound = np.concatenate([sine(1000, dbfs=level, seconds=5) for level in (-28, -28, -24, 0, -30, -30)], axis=1)
    assert measure(sound).integrated_lufs == pytest.approx(-23.0, abs=0.1)


def test_mono_counts_as_one_channel():
    """The same tone in one channel reads 3.01 LU under the tone in two."""
    assert measure(sine(1000, dbfs=-23, seconds=5)).integrated_lufs == pytest.approx(-26.01, abs=0.02)


def test_short_term_is_steady_over_alternating_tones():
    """EBU Tech 3341, signal 9: S = -23.0 +-0.1 LUFS, constant after 3 s."""
    energy = measure_source(ArraySource(tones(*[(-20, 1.34), (-30, 1.66)] * 5))).energy
    values = [to_lufs(value) for value in windows(energy, SHORT_TERM_CELLS)]
    assert min(values) == pytest.approx(-23.0, abs=0.1)
    assert max(values) == pytest.approx(-23.0, abs=0.1)


def test_momentary_is_steady_over_alternating_tones():
    """EBU Tech 3341, signal 12: M = -23.0 +-0.1 LUFS, constant after 1 s."""
    energy = measure_source(ArraySource(tones(*[(-20, 0.18), (-30, 0.22)] * 25))).energy
    values = [to_lufs(value) for value in windows(energy[50:], MOMENTARY_CELLS)]
    assert min(values) == pytest.approx(-23.0, abs=0.1)
    assert max(values) == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize("index", range(20))
def test_a_tone_of_three_seconds_is_found_wherever_it_starts(index):
    """EBU Tech 3341, signal 10: maximum short-term loudness -23.0 +-0.1 LUFS."""
    sound = np.concatenate([silence(index * 0.15, channels=2), tones((-23, 3)), silence(1, channels=2)])
    assert measure(sound).max_short_term_lufs == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize("index", range(20))
def test_a_tone_of_400_ms_is_found_wherever_it_starts(index):
    """EBU Tech 3341, signal 13: maximum momentary loudness -23.0 +-0.1 LUFS."""
    sound = np.concatenate([silence(index * 0.02, channels=2), tones((-23, 0.4)), silence(1, channels=2)])
    assert measure(sound).max_momentary_lufs == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize(("seconds", "cells"), [(3.0, SHORT_TERM_CELLS), (0.4, MOMENTARY_CELLS)])
def test_rising_bursts_are_each_read(seconds, cells):
    """EBU Tech 3341, signals 11 and 14: bursts from -38 to -19 dBFS, the maximum so far follows each."""
    sound, maxima = np.zeros((0, 2), np.float32), []
    for level in range(-38, -18):
        sound = np.concatenate([sound, tones((level, seconds)), silence(seconds, channels=2)])
        maxima.append(loudest(measure_source(ArraySource(sound)).energy, cells))
    assert maxima == pytest.approx(list(range(-38, -18)), abs=0.1)


@pytest.mark.parametrize(
    ("divisor", "amplitude", "phase", "expected"),
    [(4, 0.5, 0, -6.0), (4, 0.5, 45, -6.0), (6, 0.5, 60, -6.0), (8, 0.5, 67.5, -6.0), (4, 1.41, 45, 3.0)],
)
def test_true_peak_of_tones_between_samples(divisor, amplitude, phase, expected):
    """EBU Tech 3341, signals 15 to 19: +0.2, -0.4 dB. Faded, as an abrupt start would overshoot by itself."""
    sound = sine(RATE / divisor, dbfs=20 * np.log10(amplitude), channels=2, phase_deg=phase)
    sound[:480] *= np.linspace(0, 1, 480, dtype=np.float32)[:, None]
    sound[-480:] *= np.linspace(1, 0, 480, dtype=np.float32)[:, None]
    reading = measure(sound).true_peak_dbtp
    assert expected - 0.4 <= reading <= expected + 0.2


@pytest.mark.parametrize("offset", range(4))
def test_true_peak_of_a_single_loud_period(offset):
    """EBU Tech 3341, signals 20 to 23: one period of full scale in a half-scale tone, at each sub-sample offset."""
    from scipy.signal import resample_poly

    t = np.arange(4 * RATE)
    tone = np.sin(2 * np.pi * t / 24)
    tone *= np.where((t >= 2 * RATE) & (t < 2 * RATE + 24), 1.0, 0.5)
    sound = resample_poly(tone[offset:], 1, 4, window=("kaiser", 8.0))
    reading = measure(sound[:, None].astype(np.float32)).true_peak_dbtp
    assert -0.4 <= reading <= 0.2


@pytest.mark.parametrize(
    ("levels", "expected"),
    [((-20, -30), 10), ((-20, -15), 5), ((-40, -20), 20), ((-50, -35, -20, -35, -50), 15)],
)
def test_loudness_range_of_steps(levels, expected):
    """EBU Tech 3342, signals 1 to 4: within 1 LU."""
    reading = measure(tones(*[(level, 20) for level in levels])).loudness_range_lu
    assert reading == pytest.approx(expected, abs=1.0)


def test_the_derived_filter_is_the_tabulated_one():
    """BS.1770-5, annex 1, tables 1 and 2."""
    shelf, low_cut = k_weighting(48000)
    assert shelf == pytest.approx([1.53512485958697, -2.69169618940638, 1.19839281085285, -1.69065929318241,
                                   0.73248077421585], abs=1e-6)  # fmt: skip
    assert low_cut == pytest.approx([1, -2, 1, -1.99004745483398, 0.99007225036621], abs=1e-6)


def test_silence_has_no_figures():
    reading = measure(silence(5, channels=2))
    assert set(vars(reading).values()) == {None}


def test_under_400_ms_has_a_peak_but_no_loudness():
    reading = measure(sine(1000, dbfs=-6, seconds=0.39))
    assert reading.integrated_lufs is None
    assert reading.max_momentary_lufs is None
    assert reading.sample_peak_dbfs == pytest.approx(-6, abs=0.01)


def test_samples_that_are_no_numbers_are_refused():
    sound = noise(1)
    sound[1000] = np.nan
    with pytest.raises(SignalError, match="not numbers"):
        measure(sound)


@pytest.mark.parametrize("executor", [Inline(), Threads(2), Threads(5)])
def test_every_executor_gives_identical_bits(executor):
    source = ArraySource(talk(65))
    whole = measure_source(source, Inline())
    other = measure_source(source, executor)
    assert np.array_equal(whole.energy, other.energy)
    assert (whole.true_peak, whole.sample_peak) == (other.true_peak, other.sample_peak)


def test_parts_measured_in_any_order_merge_to_the_whole():
    source = ArraySource(talk(70, seed=3))
    grid = list(segments(source.frames))
    backwards = [measure_segment(source, segment) for segment in reversed(grid)][::-1]
    assert summarise(merge(backwards)) == summarise(measure_source(source))


def test_a_segmented_reading_is_that_of_one_pass():
    """The run-in leaves nothing of the cut: the energies agree with one pass to 1e-9."""
    from pampa.core.loudness import measure_part

    sound = talk(45, seed=5)
    whole = measure_part(sound, RATE)
    assert measure_source(ArraySource(sound)).energy == pytest.approx(whole.energy, rel=1e-9, abs=1e-18)


@given(gain_db=st.floats(-40, 20), seed=st.integers(0, 9))
def test_gain_moves_loudness_by_itself(gain_db, seed):
    sound = noise(1, dbfs=-25, seed=seed)
    louder = sound * np.float32(10 ** (gain_db / 20))
    assert measure(louder).integrated_lufs == pytest.approx(measure(sound).integrated_lufs + gain_db, abs=0.001)


def test_true_peak_is_never_under_the_sample_peak():
    for seed in range(5):
        reading = measure(noise(2, seed=seed))
        assert reading.true_peak_dbtp >= reading.sample_peak_dbfs
