"""The last look: each check finds its fault, made on purpose, at its place; a clean episode has none."""

from dataclasses import replace

import numpy as np
import pytest

from pampa.core.deliver.solve import Aim, measure_parts
from pampa.core.last_look.look import Look, Place, Reached, Words
from pampa.core.last_look.programme import examined
from pampa.core.last_look.table import CHECKS, last_look
from pampa.core.loudness.gating import to_energy
from pampa.core.sound import RATE, ArraySource
from tests.signals import noise, talk

SECONDS = 60


def look_at(sound, **told):
    source = ArraySource(sound)
    programme = examined(source, measure_parts(source))
    speech = np.where(np.arange(programme.cells) % 250 < 200, to_energy(-18.0), 0.0)
    usual = {
        "talk": speech, "music": np.zeros(programme.cells),
        "words": Words("The Pilot Ladder", 12, "With Anders Quill.", []),
        "wanted": [Reached("Podcast, stereo", Aim(), 3.0, -2.0, 0.1, None)],
        "chapters": [(0.0, "Start"), (25.0, "The ladder")], "begins_db": 30.0, "ends_db": None,
    }  # fmt: skip
    return Look(programme, **{**usual, **told})


def stereo(seconds=SECONDS):
    one = talk(seconds, seed=3)
    return np.repeat(one, 2, axis=1) + noise(seconds, channels=2, dbfs=-70, seed=4)


def names(look):
    return [found.name for found in last_look(look)]


def only(look, name):
    """The notes of a check, which must be the only one that found something."""
    assert names(look) == [name]
    return last_look(look)[0].notes


def test_a_clean_episode_has_nothing():
    assert names(look_at(stereo())) == []


def test_every_check_has_a_name_and_a_title_of_its_own():
    assert len({check.name for check in CHECKS}) == len({check.title for check in CHECKS}) == len(CHECKS)


def test_a_target_that_is_not_reached():
    squashed = Reached("Streaming video", Aim(-14.0), 12.0, 9.0, 4.2, "Too much limiting.")
    [note] = only(look_at(stereo(), wanted=[squashed]), "reached")
    assert "Streaming video" in note.told


def test_a_side_that_is_silent():
    sound = stereo()
    sound[:, 0] *= 0.001
    [note] = only(look_at(sound), "one-side")
    assert "left side" in note.told


def test_sides_that_work_against_each_other():
    sound = stereo()
    sound[20 * RATE : 30 * RATE, 1] *= -1
    [note] = only(look_at(sound), "against-itself")
    assert 19 < note.at_s < 30
    wide = noise(SECONDS, channels=2, dbfs=-24, seed=9)
    assert "against-itself" not in names(look_at(wide))  # two sides that share nothing are wide, not wrong


def test_dead_silence_inside_but_not_at_the_ends():
    sound = stereo()
    sound[: RATE // 2] = 0
    assert names(look_at(sound)) == []
    sound[30 * RATE : 30 * RATE + RATE // 4] = 0
    [note] = only(look_at(sound), "nothing-inside")
    assert note.at_s == pytest.approx(30.0, abs=0.05)


def test_an_end_in_the_middle_of_a_sound():
    notes = only(look_at(stereo(), begins_db=2.0, ends_db=0.5), "cut-off")
    assert [note.at_s for note in notes] == [0.0, SECONDS]


def test_seconds_of_nothing_at_head_and_tail():
    sound = stereo()
    sound[: 3 * RATE] *= 1e-5
    sound[-6 * RATE :] *= 1e-5
    head, tail = only(look_at(sound), "empty-ends")
    assert head.until_s == pytest.approx(3.0, abs=0.5)
    assert tail.at_s == pytest.approx(SECONDS - 6, abs=1.5)


def test_talk_that_steps_out_of_its_surroundings():
    look = look_at(stereo())
    quiet = look.talk.copy()
    quiet[20 * 50 : 32 * 50] *= 10 ** (-9 / 10)
    [note] = only(replace(look, talk=quiet), "steps-out")
    assert "softer" in note.told
    assert 18 < note.at_s < 24


def test_music_that_is_too_near_to_the_talk():
    look = look_at(stereo())
    under = np.full(look.talk.size, to_energy(-18.0 - 14.0))
    assert names(replace(look, music=under)) == []
    under[10 * 50 : 16 * 50] = to_energy(-18.0 - 4.0)
    notes = only(replace(look, music=under), "too-close")
    assert notes[0].at_s == pytest.approx(10.0, abs=0.5)
    assert notes[0].figure == "4 LU apart"


def test_what_is_left_to_do():
    look = look_at(stereo())
    assert only(replace(look, joins=[Place(12.0, "a click.")]), "joins")[0].at_s == 12.0
    assert (
        "2 finds are"
        in only(replace(look, undecided=[Place(5.0, "filler"), Place(9.0, "filler")]), "undecided")[0].told
    )
    assert "still being looked for" in only(replace(look, undecided=None), "undecided")[0].told
    assert "3 proposals" in only(replace(look, proposals=[("Anders Quill", 3)]), "proposals")[0].told
    assert only(replace(look, strayed=[("Anders Quill", "4.1 LU softer")]), "strayed")[0].figure == "4.1 LU softer"
    many = [Place(float(n), "a step.") for n in range(9)]
    assert only(replace(look, joins=many), "joins")[-1].told.endswith("And 4 more.")


def test_words_and_chapters():
    look = look_at(stereo())
    bare = only(replace(look, words=Words()), "words")
    assert len(bare) == 4
    small = Words("T", 1, "Notes", ["The artwork has 100 pixels on a side."])
    assert [note.told for note in only(replace(look, words=small), "words")] == [
        "The artwork has 100 pixels on a side."
    ]
    [late] = only(replace(look, chapters=[(0.0, "Start"), (99.0, "Late")]), "chapters")
    assert "after the end" in late.told
    (order,) = only(replace(look, chapters=[(25.0, "B"), (0.0, "A")]), "chapters")
    assert "order" in order.told
    (short,) = only(replace(look, chapters=[(0.0, "A"), (20.0, "B"), (22.0, "C")]), "chapters")
    assert "“B”" in short.told


def test_the_worst_comes_first():
    sound = stereo()
    sound[:, 1] *= 0.001
    look = look_at(sound, words=Words(), joins=[Place(1.0, "a click.")])
    assert names(look) == ["one-side", "joins", "words"]


def test_silence_and_a_moment_are_looked_at_too():
    assert "words" in names(look_at(np.zeros((RATE, 2), np.float32), words=Words()))
    assert look_at(stereo(1)).programme.cells == 50
