"""What the network that tells restarts is given: how alike each moment is to what was said later and earlier."""

import numpy as np
import pytest

from pampa.core.executor import Inline, Threads
from pampa.core.speech import sounds, taken_back
from pampa.core.speech.taken_back import BINS, EVENED, INPUTS, KINDS, LEAST_ALIKE, PHONES, alikeness, inputs

MOMENTS, PHONE = 400, 4
SPANS, LAGS = len(EVENED), len(BINS) - 1


def said(seed=3):
    """Phones of a few moments each, in no order: probabilities, shape (MOMENTS, PHONES)."""
    which = np.repeat(np.random.default_rng(seed).integers(1, PHONES, MOMENTS // PHONE), PHONE)
    shares = np.full((MOMENTS, PHONES), 0.1 / PHONES, np.float32)
    shares[np.arange(MOMENTS), which] += 0.9
    return shares


def likeness(shares):
    """Shape (later or earlier, spans, lags, moments)."""
    return np.moveaxis(alikeness(shares).reshape(len(shares), 2, SPANS, LAGS), 0, -1)


@pytest.mark.parametrize("lag", [40, 70, 110])
def test_words_said_again_are_alike_at_their_lag_and_at_no_other(lag):
    shares = said()
    shares[100 + lag : 140 + lag] = shares[100:140]
    later, earlier = likeness(shares)
    bin_of = np.searchsorted(BINS, lag, "right") - 1
    words = slice(110, 130)
    assert later[1, :, words].argmax(axis=0).tolist() == [bin_of] * 20
    assert later[1, bin_of, words].min() > 0.5 > later[1, np.arange(LAGS) != bin_of, words].max()
    assert np.array_equal(earlier[1, bin_of, 110 + lag : 130 + lag], later[1, bin_of, words])


def test_a_phone_that_many_words_have_says_less_than_a_rare_one():
    shares = said()
    shares[50:58], shares[70:78] = shares[48], shares[48]
    often = shares.copy()
    often[200:380] = shares[48]
    bin_of = np.searchsorted(BINS, 20, "right") - 1
    assert likeness(often)[0, 0, bin_of, 54] < likeness(shares)[0, 0, bin_of, 54] - 0.2


def test_that_both_are_silent_is_no_likeness():
    silent = np.zeros((MOMENTS, PHONES), np.float32)
    silent[:, 0] = 1
    assert (alikeness(silent) == np.float32(LEAST_ALIKE / 3)).all()
    shares = said()
    shares[100:300] = silent[0]
    assert likeness(shares)[0, 1, :, 150:200].max() < -0.9


@pytest.mark.parametrize("frames", [0, 1, 7, 300])
def test_any_length_is_told_frame_by_frame(frames):
    rng = np.random.default_rng(1)
    seen = rng.standard_normal((frames, sounds.INPUTS)).astype(np.float32)
    parts = [rng.integers(0, 255, shape).astype(np.uint8) for shape in ((frames, KINDS), (frames,), (frames, PHONES))]
    assert inputs(seen, *parts).shape == (-(-frames // taken_back.STEP), INPUTS)
    told = taken_back.taken_back(seen, *parts, Inline())
    assert told.shape == (frames,)
    assert np.array_equal(told, taken_back.taken_back(seen, *parts, Threads(2)))


def test_the_first_network_tells_what_the_second_is_made_for():
    assert (len(sounds.PHONES), len(sounds.KINDS)) == (PHONES, KINDS)
