"""Check-ups as use cases: made by themselves, once for each sound, told by role."""

import pytest
import soundfile

from pampa.core.sound import RATE
from pampa.core.timeline.mending import amounts_in
from pampa.store.models import CheckupRow, Job
from tests.signals import noise, sine, talk


@pytest.fixture
def humming(studio, episode, tmp_path):
    """A recording of talk over hum."""
    soundfile.write(tmp_path / "a.wav", talk(20, dbfs=-26) + sine(50, dbfs=-45, seconds=20), RATE)
    recording = studio.recordings.add_file(episode, tmp_path / "a.wav", person="Marisol Vey")
    studio.jobs.wait()
    return recording.id


def kinds(studio, episode, recording):
    return [finding["kind"] for finding in studio.checking_up.of_episode(episode)[recording]["findings"]]


def test_what_came_in_is_examined_by_itself(studio, episode, humming):
    found = studio.checking_up.of_episode(episode)[humming]
    assert found["hum"]["hz"] == pytest.approx(50, abs=0.1)
    assert "hum" in kinds(studio, episode, humming)


def test_music_may_hum(studio, episode, humming):
    studio.recordings.change(humming, role="music")
    assert kinds(studio, episode, humming) == []


def test_other_channels_are_examined_anew_and_the_same_sound_is_not(studio, episode, tmp_path):
    soundfile.write(tmp_path / "b.wav", noise(6, channels=2) * [[1.0, 0.0]], RATE)
    number = studio.recordings.add_file(episode, tmp_path / "b.wav").id
    studio.jobs.wait()
    assert studio.checking_up.of_episode(episode)[number]["sides"] == "right silent"
    studio.recordings.change(number, channels="left")
    studio.jobs.wait()
    assert studio.checking_up.of_episode(episode)[number]["sides"] == "mono"
    with studio.editing._sessions() as session:
        assert session.query(Job).filter(Job.kind == "check up", Job.state == "done").count() == 2


def test_a_removed_recording_is_not_told_of(studio, episode, humming):
    studio.recordings.remove(humming)
    assert studio.checking_up.of_episode(episode) == {}


def test_conformed_sound_that_was_deleted_is_made_again(studio, episode, humming):
    """It is a cache: somebody who needs room may delete it."""
    import shutil

    before = studio.sounds.conformed(humming).read(RATE, 2 * RATE).copy()
    folder = studio.sounds.folder(humming)
    shutil.rmtree(folder)
    assert (studio.sounds.conformed(humming).read(RATE, 2 * RATE) == before).all()


def test_what_an_older_version_examined_is_examined_anew_and_decisions_stay(studio, episode, humming):
    studio.editing.edit(episode, "mend", {"name": "Marisol", "recordings": [humming], "amounts": {"hum": 40}})
    before = studio.checking_up.of_episode(episode)[humming]
    with studio.editing._sessions.begin() as session:
        row = session.get(CheckupRow, humming)
        row.key = row.key.split(" ", 1)[1]
        row.found = {**row.found, "findings": {"True": [], "False": []}}
    assert studio.checking_up.of_episode(episode)[humming]["findings"] == [], "what was found stands until then"
    studio.jobs.wait()
    assert studio.checking_up.of_episode(episode)[humming] == before
    assert not studio.jobs.open_with(f"check up {humming}")
    assert amounts_in(studio.editing.state(episode).document, humming).hum == 40
