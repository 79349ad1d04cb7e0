"""Filters that are designed here, held against SciPy's of the same kind."""

import numpy as np
import pytest
import scipy.signal

from pampa.core.mend.fir import windowed_sinc
from pampa.core.sound import RATE
from pampa.core.voice.steadying import SPLITS_HZ, _second


@pytest.mark.parametrize(
    ("reach", "hz", "low"), [(512, 3000.0, False), (960, 110.0, True), (384, (200.0, 3000.0), False)]
)
def test_a_windowed_sinc_is_that_of_the_textbook(reach, hz, low):
    expected = scipy.signal.firwin(2 * reach + 1, hz, pass_zero=low, fs=RATE)
    assert np.abs(windowed_sinc(reach, hz, low=low) - expected).max() < 1e-14


@pytest.mark.parametrize(("kind", "hz"), [("low", SPLITS_HZ[0]), ("high", SPLITS_HZ[1])])
def test_bands_are_split_by_butterworth_second(kind, hz):
    expected = np.delete(scipy.signal.butter(2, hz, kind, output="sos", fs=RATE), 3, axis=1)
    assert np.abs(_second(kind, hz) - expected).max() < 1e-12
