"""How loud a voice is after its chain, told from two places of it."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from bench.after import RECIPES, made_voice, told_and_true
from bench.levelling import lines

import pampa
from pampa.core.files.kept import SEGMENT
from pampa.core.sound import RATE, ArraySource
from pampa.core.speech.level import speech_level
from pampa.core.voice.level_after import PLACE_S, level_after, places_of
from pampa.core.voice.voice_file import voice_in
from tests.signals import talk


@pytest.fixture(scope="module")
def voices():
    """A minute and a half of each voice."""
    said = lines(Path(pampa.__file__).parent / "demo" / "voices")
    return [made_voice(each, 7, seconds=90) for each in said.values()]


@pytest.mark.parametrize("recipe", RECIPES.values(), ids=RECIPES)
def test_twenty_seconds_tell_the_level_of_the_whole(voices, recipe):
    found = np.array([told_and_true(voice, recipe) for voice in voices])
    assert np.abs(found[:, 0] - found[:, 1]).max() < 0.5


def test_of_a_short_recording_all_is_heard():
    voice = voice_in(ArraySource(talk(8, seed=3)))
    told, true = told_and_true(voice, replace(RECIPES["all"], warmth=0.0))
    assert told == pytest.approx(true, abs=1e-9)


def test_places_lie_where_most_is_said_in_either_half_and_in_one_segment_each():
    activity = np.zeros(50 * 200)
    activity[50 * 31 : 50 * 52] = activity[50 * 150 : 50 * 155] = activity[50 * 176 : 50 * 190] = 1
    first, second = places_of(activity, 200 * RATE)
    assert (first.start, second.start) == (40 * RATE, 180 * RATE)
    for place in (first, second):
        assert place.stop - place.start == PLACE_S * RATE
        assert place.start // SEGMENT == (place.stop - 1) // SEGMENT


@pytest.mark.parametrize("spoken", [0.0, 1.0])
def test_nobody_and_steady_sound_have_a_level_or_none(spoken):
    """A tone is at one level only, of which no course is to be told."""
    before = np.full(50 * 60, spoken * 1e-3)
    places = places_of(np.ones(before.size), 60 * RATE)
    told = level_after(before, places, [before[:500] * 2] * len(places))
    assert told is None if not spoken else told == pytest.approx(speech_level(before * 2), abs=0.01)


def test_there_may_be_nothing():
    assert places_of(np.zeros(0), 0) == []
    assert level_after(np.zeros(0), [], []) is None
