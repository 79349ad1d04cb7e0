"""The series sheet: what went out, what stands, who has moved, and somebody brought back."""

import csv
import io
from dataclasses import asdict, replace

import pytest

from pampa.core.errors import EditRefused, NotFound
from pampa.core.voice.recipe import UNTREATED
from pampa.studio.series import as_csv, as_rows
from tests.conftest import write_talk

ANDERS, MARISOL = "Anders Quill", "Marisol Vey"


def of(sheet, person):
    return dict(sheet.people)[person]


@pytest.fixture
def heard(studio, two_people):
    """The first episode as it went out: without files, which the sheet does not need."""
    studio.likenesses.remember(studio.editing.state(two_people))
    return two_people


@pytest.fixture
def later(studio, heard, tmp_path):
    """A second one, in which Anders is set 6 dB softer; nobody has listened to it."""
    show, _ = studio.shows.episode(heard)
    episode = studio.shows.make_episode(show.id, "The Second Lock", 13).id
    studio.recordings.add_file(episode, write_talk(tmp_path / "again.wav", 12, seed=5), person=ANDERS)
    studio.jobs.wait()
    track = studio.editing.state(episode).document.tracks[0]
    studio.editing.edit(episode, "set_recipe", {"track": track.id, "recipe": asdict(replace(UNTREATED, level=100.0))})
    studio.editing.edit(episode, "set_track", {"track": track.id, "gain_db": -6.0})
    return episode


def test_an_episode_that_stands_otherwise_is_listened_to_and_who_moved_is_told(studio, heard, later):
    sheet = studio.series.sheet(1)
    assert [(each.id, each.stale) for each in sheet.episodes] == [(heard, False), (later, True)]
    assert [point.episode for point in of(sheet, ANDERS)] == [heard]
    assert len(studio.series.listen(1)) == 1
    studio.jobs.wait()
    sheet = studio.series.sheet(1)
    assert not any(each.stale for each in sheet.episodes)
    first, second = of(sheet, ANDERS)
    assert (first.went_out, first.off, second.went_out) == (True, None, False)
    assert -8 < second.off.level_lu < -4
    assert any("softer" in told for told in second.told)
    assert studio.series.listen(1) == []


def test_what_stands_does_not_take_the_place_of_what_went_out(studio, heard):
    track = studio.editing.state(heard).document.tracks[1]
    studio.editing.edit(heard, "set_track", {"track": track.id, "gain_db": 3.0})
    studio.series.listen(1)
    studio.jobs.wait()
    assert not of(studio.series.sheet(1), ANDERS)[0].went_out
    studio.likenesses.remember(studio.editing.state(heard))
    assert of(studio.series.sheet(1), ANDERS)[0].went_out


def test_somebody_is_made_to_sound_as_in_another_episode_from_the_sheet(studio, heard, later):
    then = of(studio.series.sheet(1), ANDERS)[0]
    state = studio.series.make_alike(1, later, ANDERS, then.id)
    assert state.document.tracks[0].gain_db == then.heard.gain_db
    assert studio.editing.undo(later).document.tracks[0].gain_db == -6.0
    with pytest.raises(EditRefused, match="Nothing was changed"):
        studio.series.make_alike(1, later, MARISOL, then.id)
    with pytest.raises(NotFound):
        studio.series.sheet(99)


def test_rows_and_a_table_hold_the_same(studio, heard):
    rows = as_rows(studio.series.sheet(1))
    assert [row["person"] for row in rows] == sorted([ANDERS, MARISOL])
    read = list(csv.DictReader(io.StringIO(as_csv(rows))))
    assert [float(row["speech_lufs"]) for row in read] == [row["speech_lufs"] for row in rows]
    assert sum(name.endswith("_hz_db") for name in rows[0]) == 53
    assert as_csv([]) == ""
