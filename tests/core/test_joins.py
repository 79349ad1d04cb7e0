"""Joins that may be heard, measured on sounds whose faults are known; and the quiet next to a place."""

import numpy as np
import pytest

from pampa.core.mix.joins import Person, faults_at, floors_of
from pampa.core.mix.plan import plan_of
from pampa.core.mix.quiet import REACH, quiet_near
from pampa.core.rendition import Rendition
from pampa.core.room_tone import Tone
from pampa.core.sound import RATE, ArraySource
from pampa.core.timeline import cutting
from pampa.core.timeline.document import Clip, Document, Track
from tests.core.documents import as_recorded

SECONDS = 12
FLOOR = 10 ** (-66 / 20)


def words(spoken, seconds=SECONDS, floor=FLOOR, seed=1):
    """A room with vowels of 200 Hz and its harmonics at the seconds given."""
    random = np.random.default_rng(seed)
    time = np.arange(seconds * RATE) / RATE
    vowel = sum(np.sin(2 * np.pi * 200 * n * time) / n for n in range(1, 8)) * 0.08
    voice = np.zeros(len(time))
    for start, stop in spoken:
        rise = np.clip((time - start) / 0.02, 0, 1) * np.clip((stop - time) / 0.02, 0, 1)
        voice += vowel * rise
    return (voice + random.standard_normal(len(time)) * floor).astype(np.float32)[:, None]


def kinds(sound, start_s, stop_s, *, breaths=(), track_floor=(0.0, 1.0), document=None):
    """What is heard of a cut from `start_s` to `stop_s` in one person's sound."""
    length = len(sound)
    whole = document or Document((Track(1, "Marisol Vey", "person", (Clip(10, 1, 0, 0, length),)),))
    cut = cutting.take_out(whole, start=round(start_s * RATE), stop=round(stop_s * RATE))
    sources = {Rendition("1"): ArraySource(np.repeat(sound, 2, axis=1), RATE)}
    plan = plan_of(cut, as_recorded(cut), levels={}, frames={1: length})
    tone = Tone(*(round(edge * RATE) for edge in track_floor))
    people = {1: Person({1: tone}, [(1, round(a * RATE), round(b * RATE)) for a, b in breaths])}
    seam = cut.seams[0]
    floors = floors_of(plan, sources, people)
    return {fault.kind for fault in faults_at(seam.at, seam.crossfade, plan, sources, people, floors)}


def test_a_cut_in_the_pauses_is_not_heard():
    assert kinds(words([(2, 3), (4, 5), (6, 7)]), 3.4, 5.5) == set()


@pytest.mark.parametrize(("start", "stop", "kind"), [(2.5, 3.5, "word end"), (3.5, 4.5, "word beginning")])
def test_a_cut_through_a_word_is_told_with_its_side(start, stop, kind):
    assert kinds(words([(2, 3), (4, 5), (6, 7)]), start, stop) == {kind}


@pytest.mark.parametrize("late", [0.0, 0.003, 0.006, 0.009])
def test_hum_that_swings_from_cell_to_cell_is_no_step(late):
    humming = words([(2, 3), (8, 9)], floor=FLOOR / 10)
    humming += (0.002 * np.sin(2 * np.pi * 61 * np.arange(len(humming)) / RATE)).astype(np.float32)[:, None]
    humming[6 * RATE :] += (0.002 * np.sin(2 * np.pi * 50 * np.arange(6 * RATE) / RATE)).astype(np.float32)[:, None]
    humming[6 * RATE :] /= np.sqrt(2)
    assert kinds(humming, 4.0, 7.0 + late) == set()


def test_a_step_in_the_room_is_told_from_one_and_a_half_decibels():
    louder = words([(2, 3), (8, 9)])
    half = len(louder) // 2
    for db, expected in ((3.0, {"step"}), (0.8, set())):
        sound = louder.copy()
        sound[half:] *= 10 ** (db / 20)
        assert kinds(sound, 4.0, 7.0) == expected


def test_half_a_breath_is_told_and_a_whole_one_is_not():
    sound = words([(2, 3), (6, 7)])
    assert kinds(sound, 4.0, 5.0, breaths=[(3.8, 4.3)]) == {"breath"}
    assert kinds(sound, 4.0, 5.0, breaths=[(4.02, 4.4)]) == set()


def test_a_hole_without_any_room_is_told():
    sound = words([(2, 3), (6, 7)])
    sound[round(3.9 * RATE) : round(4.05 * RATE)] = 0
    assert "hole" in kinds(sound, 4.0, 5.0)


def test_a_click_at_the_join_is_told():
    sound = words([(1.2, 2), (6, 7)])
    sound[round(4 * RATE) - 3] += 0.3
    assert "click" in kinds(sound, 4.0, 5.0)


def test_the_quiet_between_two_words_is_found_from_either_side():
    sound = words([(2.0, 2.9), (3.1, 4.0)])
    for place in (2.85, 3.0, 3.15, 3.2):
        at = round(place * RATE)
        moved = at + quiet_near(sound[at - REACH : at + REACH])
        assert 2.9 <= moved / RATE <= 3.1


def test_silence_stays_where_it_is_and_noise_moves_to_a_crossing_of_zero():
    assert quiet_near(np.zeros((2 * REACH, 2), np.float32)) == 0
    time = np.arange(2 * REACH) / RATE
    hum = (0.1 * np.sin(2 * np.pi * 50 * time + 0.4)).astype(np.float32)[:, None]
    place = REACH + quiet_near(hum)
    assert abs(hum[place, 0]) < 0.1 * 2 * np.pi * 50 / RATE * 1.01
