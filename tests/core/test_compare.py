"""Two states side by side: by their cut, and by their sound alone."""

from dataclasses import replace

import numpy as np
import pytest

from pampa.core.compare.by_cut import Difference, differences, stretches_of
from pampa.core.compare.by_sound import differences_heard, heard, stretches_heard
from pampa.core.compare.report import Side, report
from pampa.core.compare.stretches import Stretch, gaps, joined, place_there
from pampa.core.loudness import measure, measure_source
from pampa.core.sound import RATE, ArraySource
from pampa.core.timeline import arranging, cutting, mixing
from pampa.core.timeline.document import Clip, Document, Track, check
from tests.signals import noise

LONG = 20 * RATE
EPISODE = check(
    Document(
        (
            Track(1, "Marisol Vey", "person", (Clip(10, 1, 0, 0, LONG),)),
            Track(2, "Music", "music", (Clip(11, 2, 0, 0, LONG),)),
        )
    )
)


def test_the_same_words_are_found_at_another_place():
    there = cutting.take_out(EPISODE, start=2 * RATE, stop=3 * RATE)
    stretches = stretches_of(EPISODE, there)
    assert place_there(stretches, 1.5) == pytest.approx(1.5)
    assert place_there(stretches, 4.0) == pytest.approx(3.0)
    assert place_there(stretches, 2.5) == pytest.approx(2.0)
    assert place_there([each.turned for each in stretches], 3.0) == pytest.approx(4.0)
    assert gaps(stretches, EPISODE.length / RATE, least_s=0.1)[0] == pytest.approx((2.0, 3.0))


def test_what_somebody_changed_is_told_with_its_places():
    there = cutting.take_out(EPISODE, start=2 * RATE, stop=3 * RATE)
    person = there.linked_tracks()[0]
    there = arranging.set_track(there, track=person.id, gain_db=-2.0)
    there = arranging.add_marker(there, at=RATE, name="The ladder")
    there = mixing.set_bus(there, bus="voices", pressed=40.0)
    told = differences(EPISODE, there, stretches_of(EPISODE, there), {})
    assert Difference("Taken out: 1.0 s", pytest.approx(2.0, abs=0.01), pytest.approx(2.0)) in told
    assert any(each.told == f"{person.name}: gain +0.0 → -2.0 dB" for each in told)
    assert any("Marker The ladder is new" in each.told and each.there_s == 1.0 for each in told)
    assert any("Bus voices" in each.told for each in told)
    back = differences(there, EPISODE, stretches_of(there, EPISODE), {})
    assert any(each.told.startswith("Put back: 1.0 s") for each in back)
    assert differences(EPISODE, EPISODE, stretches_of(EPISODE, EPISODE), {}) == []


def test_a_voice_set_otherwise_is_told_by_its_settings():
    person = EPISODE.linked_tracks()[0]
    recipe = replace(person.recipe, level=70.0)
    there = EPISODE.with_track(replace(person, recipe=recipe))
    [only] = differences(EPISODE, there, stretches_of(EPISODE, there), {})
    assert f"level {person.recipe.level:g} → 70" in only.told


def test_stretches_that_go_on_are_joined_and_others_not():
    assert joined([Stretch(0, 0, 2), Stretch(2.02, 2.02, 3)], apart_s=0.05) == [Stretch(0, 0, 5.02)]
    assert len(joined([Stretch(0, 0, 2), Stretch(2.0, 3.0, 3)], apart_s=0.05)) == 2
    assert place_there([], 4.0) == 4.0


def speech(seconds, seed=1):
    """Bursts in bands that never come again in the same order, over a soft room."""
    rng = np.random.default_rng(seed)
    out = 1e-4 * rng.standard_normal(seconds * RATE)
    at = 0
    while at < len(out) - RATE:
        length = int(RATE * rng.uniform(0.06, 0.3))
        hz = rng.uniform(200, 3000)
        t = np.arange(length) / RATE
        burst = np.sin(2 * np.pi * hz * t) + 0.5 * np.sin(2 * np.pi * 1.9 * hz * t) + 0.1 * rng.standard_normal(length)
        out[at : at + length] += 0.1 * burst * np.hanning(length) * rng.uniform(0.4, 1)
        at += length + int(RATE * rng.choice([0.02, 0.1, 0.4], p=[0.6, 0.3, 0.1]))
    return out[:, None].astype(np.float32)


def listened(sound):
    return heard(ArraySource(sound), measure_source(ArraySource(sound)).energy)


def without(sound, start_s, stop_s):
    return np.concatenate([sound[: round(start_s * RATE)], sound[round(stop_s * RATE) :]])


def test_cuts_are_heard_in_a_file_that_is_softer_noisier_and_otherwise_toned():
    here = speech(70)
    there = without(without(here, 48.0, 51.5), 20.25, 21.0)
    there = (0.5 * there - 0.2 * np.roll(there, 1, axis=0) + 5e-4 * noise(1, dbfs=0, seed=3)[0]).astype(np.float32)
    one, other = listened(here), listened(there)
    stretches = stretches_heard(one, other)
    assert place_there(stretches, 10.0) == pytest.approx(10.0, abs=0.002)
    assert place_there(stretches, 30.0) == pytest.approx(29.25, abs=0.002)
    assert place_there(stretches, 60.0) == pytest.approx(55.75, abs=0.002)
    told = differences_heard(one, other, stretches)
    assert [(round(each.here_s, 1), each.told) for each in told] == [
        (pytest.approx(20.2, abs=0.15), "Only in the first: 0.8 s"),
        (pytest.approx(48.0, abs=0.15), "Only in the first: 3.5 s"),
    ]


def test_what_was_put_in_or_lowered_is_heard_too():
    here = speech(60)
    there = np.concatenate([here[: 20 * RATE], speech(4, seed=9), here[20 * RATE :]])
    there[40 * RATE : 46 * RATE] *= 0.4
    one, other = listened(here), listened(there)
    told = differences_heard(one, other, stretches_heard(one, other))
    assert told[0].told == "Only in the second: 4.0 s"
    assert "softer" in told[1].told
    assert told[1].there_s == pytest.approx(40.0, abs=1.5)


def test_files_that_have_nothing_in_common_have_no_stretch():
    assert stretches_heard(listened(speech(30, 1)), listened(speech(30, 2))) == []
    assert stretches_heard(listened(speech(30, 1)), listened(np.zeros((10 * RATE, 1), np.float32))) == []


def test_a_report_has_the_figures_of_both_and_each_difference():
    sound = speech(10)
    side = Side("a.mp3", 70.0, measure(sound))
    text = report(side, replace(side, name="b.mp3", seconds=66.0), [Difference("Taken out: 4.0 s", 20.0, 20.0)])
    assert "a.mp3" in text.splitlines()[0]
    assert "1:10" in text
    assert text.splitlines()[-1].split() == ["0:20", "/", "0:20", "Taken", "out:", "4.0", "s"]
    assert "Nothing else differs" in report(side, side, [])
