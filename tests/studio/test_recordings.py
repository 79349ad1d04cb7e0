"""Bringing recordings in: in pieces, after interruptions, good ones and bad ones."""

import shutil
import threading
import time

import numpy as np
import pytest
import soundfile

from pampa.core.errors import DiskFull, EditRefused, NotFound, UnreadableSound
from pampa.core.sound import RATE, extents
from pampa.store.media import safe_name, safe_suffix
from pampa.studio.studio import InUse, Studio
from pampa.studio.uploads import UploadOutOfStep
from tests.signals import noise, silence, talk


def send(studio, episode, path, *, piece=100_000, **details):
    data = path.read_bytes()
    upload = studio.uploads.begin(episode, path.name, len(data), **details)
    for at in range(0, len(data), piece):
        upload = studio.uploads.receive(upload.id, at, data[at : at + piece])
    studio.jobs.wait()
    return next(r for r in studio.recordings.of_episode(upload.episode_id) if r.id == upload.recording_id)


def only(studio, episode):
    [recording] = studio.recordings.of_episode(episode)
    return recording


def test_an_upload_in_pieces_becomes_a_recording_on_a_track_of_its_own(studio, episode, talk_file):
    path = talk_file()
    send(studio, episode, path)
    recording = only(studio, episode)
    assert recording.state == "ready"
    assert recording.facts["speech_lufs"] == pytest.approx(-24, abs=6)
    [track] = studio.editing.state(episode).document.tracks
    assert (track.name, track.clips[0].length) == ("marisol local", 8 * RATE)
    original = studio.media.original(recording.sha256, recording.suffix)
    assert original.read_bytes() == path.read_bytes()
    assert list((studio.settings.data / "uploads").iterdir()) == []


def test_an_upload_goes_on_where_it_stopped(studio, episode, talk_file):
    data = talk_file().read_bytes()
    upload = studio.uploads.begin(episode, "a.wav", len(data))
    studio.uploads.receive(upload.id, 0, data[:5000])
    with pytest.raises(UploadOutOfStep) as caught:
        studio.uploads.receive(upload.id, 9000, data[9000:])
    assert caught.value.received == studio.uploads.get(upload.id).received == 5000
    studio.uploads.receive(upload.id, 5000, data[5000:])
    studio.jobs.wait()
    assert only(studio, episode).state == "ready"


def test_bytes_that_were_never_acknowledged_do_not_stay(studio, episode, talk_file):
    """Power fails after bytes reached the disk but before the database knew: the next piece starts over there."""
    data = talk_file().read_bytes()
    upload = studio.uploads.begin(episode, "a.wav", len(data))
    studio.uploads.receive(upload.id, 0, data[:4000])
    with studio.media.upload(upload.id).open("ab") as file:
        file.write(b"rubbish")
    studio.uploads.receive(upload.id, 4000, data[4000:])
    studio.jobs.wait()
    assert only(studio, episode).state == "ready"


def test_an_upload_that_was_given_up_leaves_nothing(studio, episode):
    upload = studio.uploads.begin(episode, "a.wav", 1000)
    studio.uploads.receive(upload.id, 0, b"x" * 500)
    studio.uploads.give_up(upload.id)
    assert not studio.media.upload(upload.id).exists()
    with pytest.raises(NotFound):
        studio.uploads.get(upload.id)


def test_several_files_can_follow_one_another_on_one_track(studio, episode, talk_file):
    send(studio, episode, talk_file("one.wav", seconds=3))
    track = studio.editing.state(episode).document.tracks[0].id
    send(studio, episode, talk_file("two.wav", seconds=2), after_track=track)
    [track] = studio.editing.state(episode).document.tracks
    assert [(clip.start, clip.length) for clip in track.clips] == [(0, 3 * RATE), (3 * RATE, 2 * RATE)]


@pytest.mark.parametrize("content", [b"not sound at all", b"RIFF", bytes(5000)])
def test_what_is_not_sound_is_said_by_its_own_name_and_changes_nothing(studio, episode, tmp_path, content):
    path = tmp_path / "episode notes.wav"
    path.write_bytes(content)
    send(studio, episode, path)
    recording = only(studio, episode)
    assert recording.state == "failed"
    assert "episode notes.wav" in recording.error
    assert studio.editing.state(episode).document.tracks == ()


def test_empty_and_oversized_files_are_refused_before_a_byte_is_sent(studio, episode):
    with pytest.raises(UnreadableSound, match="empty"):
        studio.uploads.begin(episode, "a.wav", 0)
    with pytest.raises(UnreadableSound, match="larger"):
        studio.uploads.begin(episode, "a.wav", 1 << 40)


def test_a_full_disk_is_said_and_the_upload_can_go_on(studio, episode, talk_file, monkeypatch):
    data = talk_file().read_bytes()
    upload = studio.uploads.begin(episode, "a.wav", len(data))
    full = shutil.disk_usage("/")._replace(free=1000)
    with monkeypatch.context() as patched:
        patched.setattr(shutil, "disk_usage", lambda path: full)
        with pytest.raises(DiskFull, match="Make room"):
            studio.uploads.receive(upload.id, 0, data)
    assert studio.uploads.get(upload.id).received == 0
    studio.uploads.receive(upload.id, 0, data)
    studio.jobs.wait()
    assert only(studio, episode).state == "ready"


def test_a_long_silence_comes_in_with_no_level(studio, episode, tmp_path):
    path = tmp_path / "silence.flac"
    soundfile.write(path, silence(120), RATE)
    send(studio, episode, path, piece=1 << 20)
    recording = only(studio, episode)
    assert recording.state == "ready"
    assert recording.facts["speech_lufs"] is None
    assert studio.listening.standing(episode, wait=True).loudness.integrated_lufs is None


def test_channels_can_be_chosen_afterwards(studio, episode, tmp_path):
    sides = np.concatenate([noise(3, dbfs=-20, seed=1), noise(3, dbfs=-40, seed=2)], axis=1)
    soundfile.write(tmp_path / "a.wav", sides, RATE)
    send(studio, episode, tmp_path / "a.wav")
    recording = only(studio, episode)
    assert recording.facts["conformed_channels"] == 2
    studio.recordings.change(recording.id, channels="right")
    studio.jobs.wait()
    sound = studio.sounds.conformed(recording.id)
    assert sound.channels == 1
    assert 20 * np.log10(sound.read(0, RATE).std()) == pytest.approx(-40, abs=0.5)


def test_naming_somebody_names_their_track(studio, episode, talk_file):
    send(studio, episode, talk_file())
    recording = only(studio, episode)
    studio.recordings.change(recording.id, person="Marisol Vey", role="spot")
    [track] = studio.editing.state(episode).document.tracks
    assert (track.name, track.kind) == ("Marisol Vey", "spot")


def test_a_recording_can_be_removed_and_brought_back(studio, episode, talk_file):
    send(studio, episode, talk_file())
    recording = only(studio, episode)
    studio.recordings.remove(recording.id)
    assert studio.recordings.of_episode(episode) == []
    studio.recordings.remove(recording.id, back=True)
    assert only(studio, episode).id == recording.id


def test_the_same_content_is_stored_once(studio, episode, talk_file):
    path = talk_file()
    first, second = (send(studio, episode, path) for _ in range(2))
    assert first.sha256 == second.sha256
    assert len(list((studio.settings.data / "originals").rglob("*.wav"))) == 1


@pytest.mark.parametrize(
    ("name", "safe"),
    [
        ("../../etc/passwd", "passwd"), ("C:\\talk\\a.wav", "a.wav"), ("a\x00\n\tb.wav", "ab.wav"),
        ("<script>alert(1)</script>.wav", "scriptalert(1)"), ("...", "recording"), ("é 録音.wav", "é 録音.wav"),
        ("x" * 500, "x" * 120),
    ],
)  # fmt: skip
def test_hostile_names_become_harmless(name, safe):
    assert safe_name(name).startswith(safe) or safe_name(name) == "script.wav"
    assert "/" not in safe_name(name)
    assert safe_suffix("a.w/av") == ""


def test_the_loupe_gets_lowest_and_highest(studio):
    ramp = np.linspace(-1, 1, 1000, dtype=np.float32)[:, None]
    pairs = extents(ramp, 10)
    assert pairs.shape == (10, 2)
    assert pairs[0, 0] == -32767
    assert (pairs[:, 0] < pairs[:, 1]).all()


def test_two_studios_cannot_work_in_one_folder(studio):
    with pytest.raises(InUse, match="Another Pampa"):
        Studio(studio.settings)


def test_a_person_on_each_side_becomes_two_tracks_in_step(studio, episode, tmp_path):
    one, other = talk(8, seed=1), talk(8, seed=2)
    soundfile.write(tmp_path / "both.wav", np.hstack([one, other]), RATE, subtype="FLOAT")
    number = studio.recordings.add_file(episode, tmp_path / "both.wav", person="Call", offset=3 * RATE).id
    studio.jobs.wait()
    right = studio.recordings.split(number)
    studio.jobs.wait()
    document = studio.editing.state(episode).document
    assert [(t.name, t.kind, t.clips[0].start) for t in document.tracks] == [
        ("Call, left", "person", 3 * RATE),
        ("Call, right", "person", 3 * RATE),
    ]
    heard = [studio.sounds.conformed(n).read(0, 8 * RATE) for n in (number, right.id)]
    assert np.allclose(heard[0], one, atol=1e-6)
    assert np.allclose(heard[1], other, atol=1e-6)
    with pytest.raises(EditRefused, match="no two sides"):
        studio.recordings.split(number)


def test_the_same_file_again_is_recognised_and_a_removed_one_comes_back(studio, episode, talk_file):
    data = talk_file("a.wav", seconds=3).read_bytes()

    def upload(name):
        started = studio.uploads.begin(episode, name, len(data))
        number = studio.uploads.receive(started.id, 0, data).recording_id
        studio.jobs.wait()
        return number

    first = upload("a.wav")
    assert upload("copy of a.wav") == first
    studio.recordings.remove(first)
    assert studio.recordings.of_episode(episode) == []
    assert upload("a.wav") == first
    assert [recording.id for recording in studio.recordings.of_episode(episode)] == [first]
    assert len(studio.editing.state(episode).document.tracks) == 1


def test_the_list_keeps_the_order_that_a_person_gave_it(studio, two_people):
    first, second = (recording.id for recording in studio.recordings.of_episode(two_people))
    studio.recordings.reorder(two_people, [second, first])
    assert [r.id for r in studio.recordings.of_episode(two_people)] == [second, first]


def test_what_comes_later_is_listed_last_and_tracks_follow_the_list(studio, two_people, talk_file):
    first, second = (recording.id for recording in studio.recordings.of_episode(two_people))
    studio.recordings.reorder(two_people, [second, first])
    third = studio.recordings.add_file(two_people, talk_file("third.wav", seed=9), role="reference").id
    studio.jobs.wait()
    assert [r.id for r in studio.recordings.of_episode(two_people)] == [second, first, third]
    before = [track.clips[0].recording for track in studio.editing.state(two_people).document.tracks]
    studio.recordings.reorder(two_people, [third, *before])
    studio.recordings.change(third, role="person", channels="keep")
    studio.jobs.wait()
    tracks = studio.editing.state(two_people).document.tracks
    assert [track.clips[0].recording for track in tracks] == [third, *before]


def test_tracks_follow_the_list_though_a_later_file_is_ready_while_the_first_one_looks_for_its_place(
    studio, episode, talk_file, monkeypatch
):
    above, looked = studio.recordings._above, threading.Event()

    def slowly(recording):
        found = above(recording)
        if recording.name == "marisol.wav":
            looked.set()
            time.sleep(0.3)
        else:
            looked.wait(1)
        return found

    monkeypatch.setattr(studio.recordings, "_above", slowly)
    for seed, name in enumerate(("marisol.wav", "anders.wav"), 1):
        studio.recordings.add_file(episode, talk_file(name, seconds=2, seed=seed))
    studio.jobs.wait()
    assert [track.name for track in studio.editing.state(episode).document.tracks] == ["marisol", "anders"]


def test_parts_are_joined_in_one_edit_and_undone_in_one(studio, two_people):
    before = studio.editing.state(two_people).document
    numbers = [recording.id for recording in studio.recordings.of_episode(two_people)]
    [track] = studio.recordings.join(two_people, numbers).document.tracks
    assert [clip.recording for clip in track.clips] == numbers
    assert track.clips[0].end == track.clips[1].start
    assert studio.editing.undo(two_people).document == before
    with pytest.raises(NotFound):
        studio.recordings.join(two_people, [numbers[0], 999])


def test_a_recording_for_a_take_waits_in_the_list(studio, episode, talk_file):
    send(studio, episode, talk_file("take.wav"), person="Anders Quill", placed=True)
    recording = only(studio, episode)
    assert (recording.person, recording.state) == ("Anders Quill", "ready")
    assert studio.editing.state(episode).document.tracks == ()


def test_somebody_named_later_takes_the_seat_that_waits(studio, episode, talk_file):
    studio.editing.edit(episode, "add_track", {"name": "Anders Quill", "kind": "person"})
    send(studio, episode, talk_file("rec0001.wav", seconds=2))
    assert len(studio.editing.state(episode).document.tracks) == 2
    studio.recordings.change(only(studio, episode).id, person="Anders Quill")
    [track] = studio.editing.state(episode).document.tracks
    assert (track.name, len(track.clips)) == ("Anders Quill", 1)
