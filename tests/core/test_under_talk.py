"""Music that lies a distance under the talk, and what does and does not set it off."""

from pathlib import Path

import numpy as np
import pytest
from bench.under_talk import case, lines, score

import pampa.demo
from pampa.core.executor import Inline
from pampa.core.mix.distance import NOBODY, distance_gain
from pampa.core.mix.under_file import laid_under
from pampa.core.sound import RATE, ArraySource
from pampa.core.timeline.document import Under
from tests.signals import noise

VOICES = Path(pampa.demo.__file__).parent / "voices"


def test_distance_hold_and_return():
    talk = np.full(1500, NOBODY)
    talk[200:300] = talk[320:500] = -20.0  # a pause of 0.4 s, then 6 s of nobody
    talk[800:1000] = -30.0
    gain = distance_gain(talk, np.full(1500, 10 ** ((-20 + 0.691) / 10)), Under(14.0))
    assert gain[199:505].max() == pytest.approx(-14.0, abs=0.01)
    assert gain[600:740].max() == 0.0
    assert gain[799] == pytest.approx(-24.0, abs=0.01)
    assert np.abs(np.diff(gain)).max() <= 24 / 50 + 1e-9
    assert not distance_gain(talk, np.full(1500, 1e-9), Under(14.0)).any()
    assert not distance_gain(talk, np.full(1500, 0.1), Under(0.0)).any()


def test_a_short_return_stays_small():
    talk = np.full(600, NOBODY)
    talk[100:200] = talk[300:400] = -20.0  # a pause of 2 s
    gain = distance_gain(talk, np.full(600, 0.01), Under(14.0))
    assert gain[200:300].max() == pytest.approx(gain[150] + 4.0, abs=0.01)


def test_noise_alone_leaves_music_as_it_is_and_music_of_nothing_is_no_fault():
    music = ArraySource(noise(5, dbfs=-20, channels=2))
    laid = laid_under(ArraySource(noise(5, dbfs=-40)), music, Under(), executor=Inline())
    assert laid.under_lu is None
    assert not laid.gain_db.any()
    nothing = ArraySource(np.zeros((0, 2), np.float32))
    assert laid_under(ArraySource(noise(5, dbfs=-40)), nothing, Under(), executor=Inline()).frames == 5 * RATE


@pytest.mark.parametrize("kind", ["noise", "breaths", "knocks"])
def test_music_under_lines_of_the_sample(kind):
    made = case(kind, lines(VOICES), 1)
    laid = laid_under(ArraySource(made.talk), ArraySource(made.music), Under(14.0), executor=Inline())
    cells = (np.arange(laid.gain_db.size) + 0.5) * RATE / 50
    got = score(made, 10 ** (np.interp(np.arange(len(made.talk)), cells, laid.gain_db) / 20))
    assert abs(np.median(got.distances) - 14) < 1
    assert got.worst > 6
    assert not got.pumped + got.set_off
