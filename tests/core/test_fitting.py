"""Fitted tone: near average speech, within 9 dB, and not where the room is louder."""

import numpy as np
import pytest

from pampa.core.checkup.examine import band_edges
from pampa.core.voice.fitting import distance_db, fitted, goal_db, response_db
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.tone import BANDS

EDGES = band_edges()
HZ = np.sqrt(EDGES[1:] * EDGES[:-1])
ROOM = np.full(HZ.size, -90.0)


def rms(hz, speech, room, recipe):
    apart, weights = distance_db(hz, speech, room)
    left = (apart - response_db(recipe, hz))[weights > 0]
    return float(np.sqrt(np.mean((left - left.mean()) ** 2)))


def coloured(*bumps):
    """Average speech through peaks: (Hz, octaves, dB) each."""
    return goal_db(HZ) - 90 + sum(db * np.exp(-0.5 * (np.log2(HZ / hz) / wide) ** 2) for hz, wide, db in bumps)


@pytest.mark.parametrize(
    "bumps",
    [
        [(250, 0.7, 6)], [(250, 0.7, 5), (3000, 0.8, -5)], [(900, 0.5, 5)], [(6000, 1.2, -6)],
        [(120, 0.8, 6), (5000, 1, 4)], [(300, 0.5, 10), (4000, 0.8, -9)],
    ],
)  # fmt: skip
def test_a_coloured_voice_comes_near_average_speech(bumps):
    speech = coloured(*bumps)
    recipe = fitted(Recipe(), HZ, speech, ROOM)
    assert rms(HZ, speech, ROOM, recipe) < 1.2
    assert rms(HZ, speech, ROOM, recipe) < 0.6 * rms(HZ, speech, ROOM, Recipe(body_db=0, presence_db=0))
    assert all(abs(getattr(recipe, f"{band.name}_db")) <= 9 for band in BANDS)


def test_average_speech_is_left_as_it_is():
    recipe = fitted(Recipe(), HZ, coloured(), ROOM)
    assert all(getattr(recipe, f"{band.name}_db") == 0 for band in BANDS)


def test_what_is_cut_and_pressed_stays_as_it_was():
    recipe = fitted(Recipe(low_cut_hz=110, ratio=3.0, level=60), HZ, coloured((300, 0.7, 6)), ROOM)
    assert (recipe.low_cut_hz, recipe.ratio, recipe.level) == (110, 3.0, 60)


def test_highs_that_drown_in_the_room_are_not_raised():
    """A call: nothing over 3.4 kHz but hiss."""
    room = np.full(HZ.size, -60.0)
    speech = np.where(HZ > 3400, room + 0.5, coloured())
    recipe = fitted(Recipe(), HZ, speech, room)
    assert abs(recipe.presence_db) <= 0.5
    near = fitted(Recipe(), HZ, coloured((5000, 1, -12)), coloured((5000, 1, -12)) - 4)
    far = fitted(Recipe(), HZ, coloured((5000, 1, -12)), ROOM)
    assert response_db(near, HZ).max() < 5 < response_db(far, HZ).max()
    drowned = fitted(Recipe(body_db=-3.0), HZ, ROOM + 1, ROOM)
    assert drowned == Recipe(body_db=-3.0)
