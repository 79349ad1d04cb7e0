"""Pictures in a studio: brought in with their sound, made small, and sent out cut or with sound alone."""

import numpy as np
import pytest
import soundfile

from pampa.core.deliver.solve import Aim
from pampa.core.errors import EditRefused, NotFound
from pampa.core.files.picture import FrameReader, PictureFile, pixels_of
from pampa.core.sound import RATE
from tests.moving import number_in, write_moving

AIM = Aim(-24.0, -1.0)


@pytest.fixture
def filmed(studio, episode, tmp_path):
    """Twelve seconds of somebody filmed, with clicks, and two of them taken out."""
    path = write_moving(tmp_path / "marisol.mp4", 12, clicks=np.arange(0.5, 12, 0.5))
    studio.recordings.add_file(episode, path, person="Marisol Vey", role="person")
    studio.jobs.wait()
    studio.editing.edit(episode, "take_out", {"start": 4 * RATE, "stop": 6 * RATE})
    return episode


def test_a_film_is_told_by_its_facts_and_its_small_frames_are_there(studio, filmed):
    recording = studio.recordings.of_episode(filmed)[0]
    assert recording.facts["picture"]["fps"] == 25.0
    assert len(studio.pictures.second(recording.id, 3)) > 1000
    assert studio.pictures.still(recording.id, 3.0)[:2] == b"\xff\xd8"
    studio.space.empty_caches()
    with pytest.raises(NotFound, match="being made ready"):
        studio.pictures.second(recording.id, 3)
    studio.jobs.wait()
    assert studio.pictures.second(recording.id, 3)
    with pytest.raises(NotFound):
        studio.pictures.still(999, 0.0)


def test_the_picture_goes_out_cut_as_the_talk_is(studio, filmed):
    studio.pictures.start_cut(filmed, AIM, 720)
    studio.jobs.wait()
    made = studio.sending.of_episode(filmed)[0]
    path, name = studio.sending.file(made.id)
    assert name == "slack-water-12-the-pilot-ladder.mp4"
    assert made.sheet["format"].startswith("MP4 128 × 48, 25 frames a second, AAC")
    with PictureFile(path) as picture:
        reader = FrameReader(picture)
        for at, wanted in ((3.9, 97), (4.1, 152), (9.5, 287)):
            assert abs(number_in(pixels_of(reader.at(at), 128, 48)) - wanted) <= 1
    assert not list(path.parent.glob("*making*"))


def test_the_sound_for_the_uncut_picture_is_as_long_as_it_was_shot(studio, filmed):
    recording = studio.recordings.of_episode(filmed)[0]
    studio.pictures.start_uncut(filmed, recording.id, AIM)
    studio.jobs.wait()
    made = studio.sending.of_episode(filmed)[0]
    path, name = studio.sending.file(made.id)
    assert name.endswith("-for-the-uncut-picture.wav")
    sound, rate = soundfile.read(path)
    assert rate == RATE
    assert len(sound) == recording.facts["conformed_frames"]
    loud = np.abs(sound).max(axis=1)
    clicks = [loud[round((at - 0.02) * RATE) : round((at + 0.05) * RATE)].max() for at in (3.5, 4.5, 5.5, 7.0)]
    assert min(clicks) > 0.3 * loud.max()


def test_an_episode_without_a_picture_has_none_to_send_out(studio, two_people):
    with pytest.raises(EditRefused, match="No recording of this episode has a picture"):
        studio.pictures.start_cut(two_people, AIM, 720)
    with pytest.raises(NotFound):
        studio.pictures.start_uncut(two_people, 1, AIM)


def test_a_picture_that_cannot_be_read_is_told_and_its_sound_is_used(studio, episode, tmp_path):
    path = write_moving(tmp_path / "strange.mp4", 3, clicks=(1.0,))
    data = bytearray(path.read_bytes())
    at = data.rindex(b"avc1")  # the first one is a brand of the container
    data[at : at + 4] = b"zzz9"  # a codec that nobody knows
    path.write_bytes(data)
    studio.recordings.add_file(episode, path, person="Marisol Vey")
    studio.jobs.wait()
    [recording] = studio.recordings.of_episode(episode)
    assert recording.state == "ready"
    assert recording.facts["picture"] is None
    assert any("cannot be read here" in note for note in recording.facts["notes"])


def test_sound_that_goes_on_after_the_picture_keeps_its_last_frame(studio, episode, tmp_path):
    path = write_moving(tmp_path / "short.mp4", 6, times=[n / 25 for n in range(50)], clicks=np.arange(0.5, 6, 0.5))
    studio.recordings.add_file(episode, path, person="Marisol Vey")
    studio.jobs.wait()
    studio.pictures.start_cut(episode, AIM, 360)
    studio.jobs.wait()
    made, _ = studio.sending.file(studio.sending.of_episode(episode)[0].id)
    with PictureFile(made) as picture:
        assert number_in(pixels_of(FrameReader(picture).at(5.5), 128, 48)) == 49
