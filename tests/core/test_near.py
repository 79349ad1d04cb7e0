"""The minutes around a place, mended by what they tell themselves: where they lie, and how they come in."""

from itertools import pairwise

import numpy as np
import pytest

from pampa.core.mend import near
from pampa.core.mend.amounts import Amounts
from pampa.core.mend.near import Near, amounts_near, around
from pampa.core.mend.spots import Spot
from pampa.core.sound import RATE, ArraySource
from pampa.core.timeline.document import Clip, Document, Track
from pampa.core.timeline.mending import frame_heard

HOUR, MINUTE = 3600 * RATE, 60 * RATE


@pytest.mark.parametrize(
    ("at", "minutes"), [(0, (0, 2)), (30 * MINUTE, (29, 31)), (HOUR, (58, 60)), (MINUTE // 2, (0, 2))]
)
def test_two_minutes_lie_around_the_place_within_the_recording(at, minutes):
    assert around(at, HOUR) == (minutes[0] * MINUTE, minutes[1] * MINUTE)


def test_a_recording_of_a_few_minutes_is_measured_whole():
    assert around(0, 5 * MINUTE) is None


def test_a_place_to_learn_noise_from_holds_where_it_lies_inside_and_what_hangs_on_others_waits():
    amounts = Amounts(noise=50, bleed=70, gate=40, noise_from=65.0, noise_to=66.0, spots=(Spot(70.0, 71.0),))
    inside = amounts_near(amounts, MINUTE, 3 * MINUTE)
    assert inside == Amounts(noise=50, noise_from=5.0, noise_to=6.0)
    assert amounts_near(amounts, 0, MINUTE) == Amounts(noise=50)


@pytest.mark.parametrize("start", [0, 7 * RATE])
def test_it_comes_in_without_a_step_and_any_division_gives_the_same_bits(start):
    frames, stop = 20 * RATE, 10 * RATE
    source = ArraySource(np.zeros((frames, 1), np.float32))
    other = ArraySource(np.ones((stop - start, 1), np.float32))
    heard = Near(source, other, start, stop)
    whole = heard.read(0, frames)
    assert np.abs(np.diff(whole[:, 0])).max() < 2 / near.FADE
    assert whole[(start + stop) // 2] == 1
    assert whole[0] == (start == 0)
    edges = [0, start + 100, start + near.FADE + 5, stop - 300, stop - 1, stop + 5, frames]
    parts = [heard.read(a, b) for a, b in pairwise(edges)]
    assert np.array_equal(np.concatenate(parts), whole)


def test_the_frame_of_a_recording_is_told_by_where_it_is_heard_or_nearest():
    clips = (
        Clip(2, recording=7, start=0, source=500, length=1000),
        Clip(3, recording=7, start=3000, source=4000, length=1000),
    )
    document = Document((Track(1, "Anders Quill", "person", clips),))
    places = {0: 500, 400: 900, 1200: 1500, 2800: 4000, 3500: 4500, 9000: 5000}
    assert {at: frame_heard(document, 7, at) for at in places} == places
    assert frame_heard(document, 8, 400) == 0
