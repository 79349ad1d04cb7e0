"""What files are for, as they come in: by their sound and by the others, never by their names or channels."""

from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import pytest
import soundfile
from bench.conversations import RATE, conversation

from pampa.studio.settings import Settings
from pampa.studio.studio import Studio
from tests.conftest import make_episode


def role_of(studio, recording):
    return next(row.role for row in studio.recordings.of_episode(recording.episode_id) if row.id == recording.id)


def tracks(studio, episode):
    return [track.name for track in studio.editing.state(episode).document.tracks]


@pytest.fixture(scope="session")
def dropped_data(made_once):
    """A data folder with what `dropped` gives."""
    return made_once("dropped-data", drop)


def drop(data):
    one, other = conversation(90, 5)
    noise = np.random.default_rng(1).standard_normal((2, len(one))) * 3e-4
    sides = np.stack([one + 0.8 * other + noise[0], 0.9 * one + 0.9 * other + noise[1]], axis=1)
    studio = Studio(Settings(data=data, workers=2))
    try:
        episode = make_episode(studio)
        with TemporaryDirectory() as folder:
            for name, sound in (("callum.wav", one), ("reference music.wav", sides), ("room 2.wav", other)):
                soundfile.write(Path(folder) / name, 0.5 * sound / np.abs(sound).max(), RATE)
                studio.recordings.add_file(episode, Path(folder) / name)
            studio.jobs.wait()
    finally:
        studio.close()


@pytest.fixture
def episode(dropped):
    return dropped[0].episode_id


@pytest.fixture
def dropped(studio):
    """Two people's own recordings and the call, in stereo and under names that mislead."""
    return studio.recordings.of_episode(1)


def test_the_call_is_told_by_what_is_heard_in_it_and_is_no_part_of_the_episode(studio, episode, dropped):
    assert [role_of(studio, recording) for recording in dropped] == ["person", "reference", "person"]
    assert tracks(studio, episode) == ["callum", "room 2"]
    call = studio.recordings.of_episode(episode)[1]
    assert call.facts["purpose"]["sure"] > 0.8
    studio.editing.undo(episode)
    assert "reference music" in tracks(studio, episode)


def test_what_a_person_says_it_is_holds_and_lies_where_it_belongs(studio, episode, dropped):
    call = dropped[1]
    studio.recordings.change(call.id, role="person")
    assert sorted(tracks(studio, episode)) == ["callum", "reference music", "room 2"]
    assert "purpose" not in studio.recordings.of_episode(episode)[1].facts
    studio.recordings.change(call.id, role="reference")
    assert tracks(studio, episode) == ["callum", "room 2"]
    studio.jobs.start("compare", episode, "Comparing", recording=call.id)
    studio.jobs.wait()
    assert role_of(studio, call) == "reference"


def test_who_has_been_named_is_not_made_the_call(studio, episode, dropped):
    call = dropped[1]
    studio.recordings.change(call.id, role="person", person="Anders Quill")
    studio.jobs.start("compare", episode, "Comparing", recording=call.id)
    studio.jobs.wait()
    assert role_of(studio, call) == "person"
