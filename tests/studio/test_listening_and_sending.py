"""What is heard is what goes out, and what goes out is on target."""

import threading

import numpy as np
import pytest
import soundfile

from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim
from pampa.core.errors import EditRefused, NotFound
from pampa.core.loudness import measure, measure_part
from pampa.core.sound import RATE
from pampa.core.speech.level import speech_level
from pampa.store.models import Job
from pampa.studio.listening import MEASURING
from pampa.studio.sending import Wanted
from pampa.studio.sounds import COMMON_LEVEL_LUFS
from pampa.studio.studio import Studio


def send_out(studio, episode, fmt, aim=None, *, mono=False):
    job = studio.sending.start(episode, [Wanted(fmt, aim or Aim(), mono)])
    studio.jobs.wait()
    return job, studio.sending.of_episode(episode)


def test_the_delivered_file_is_what_was_heard(studio, two_people):
    """The PCM of the player, at the delivery's gain, equals the delivered samples before the encoder."""
    studio.editing.edit(two_people, "take_out", {"start": 2 * RATE, "stop": 4 * RATE})
    _, [delivery] = send_out(studio, two_people, Format("wav", 24), Aim(-20.0))
    path, _ = studio.sending.file(delivery.id)
    sent = soundfile.read(path, dtype="float64", always_2d=True)[0]
    heard = studio.listening.sound(two_people, start=RATE, frames=3 * RATE, gain_db=delivery.sheet["gain_db"]).sound
    assert np.abs(np.round(heard.astype(np.float64) * 2**23) / 2**23 - sent[RATE : 4 * RATE]).max() < 1e-9


def test_a_delivery_is_on_target_tagged_and_listed(studio, two_people):
    _, [delivery] = send_out(studio, two_people, Format("flac", 24))
    path, name = studio.sending.file(delivery.id)
    sound, rate = soundfile.read(path, dtype="float32")
    assert measure(sound, rate).integrated_lufs == pytest.approx(-16, abs=0.1)
    assert name == "slack-water-12-the-pilot-ladder.flac"
    assert delivery.sheet["met"]
    assert delivery.sheet["duration_s"] == pytest.approx(12)


def test_mono_goes_out_as_one_channel(studio, two_people):
    _, [delivery] = send_out(studio, two_people, Format("wav", 16), Aim(-19.0), mono=True)
    path, _ = studio.sending.file(delivery.id)
    assert soundfile.info(path).channels == 1
    assert delivery.sheet["loudness"]["integrated_lufs"] == pytest.approx(-19, abs=0.1)


def test_an_empty_episode_cannot_be_sent(studio, episode):
    with pytest.raises(EditRefused, match="Bring recordings in"):
        studio.sending.start(episode, [Wanted(Format("wav"), Aim())])


def test_a_stopped_delivery_makes_no_file(studio, two_people):
    job = studio.sending.start(two_people, [Wanted(Format("mp3"), Aim())])
    studio.jobs.cancel(job)
    studio.jobs.wait()
    assert studio.sending.of_episode(two_people) == []
    assert list((studio.settings.data / "deliveries" / str(two_people)).glob("*")) == []


def test_a_file_that_was_deleted_is_said_to_be_gone(studio, two_people):
    _, [delivery] = send_out(studio, two_people, Format("wav", 16))
    studio.sending.file(delivery.id)[0].unlink()
    with pytest.raises(NotFound, match="Make it again"):
        studio.sending.file(delivery.id)


def test_a_job_that_was_interrupted_is_taken_up_again(studio, two_people):
    """A row that says running, as a killed server leaves it, is done after the next start."""
    studio.close()
    again = Studio(studio.settings)
    with again.jobs._sessions.begin() as session:
        session.add(
            Job(kind="deliver", episode_id=two_people, label="Making WAV", state="running",
                parameters={"format": {"kind": "wav", "bits": 16, "kbit": None}, "mono": False,
                            "aim": {"target_lufs": -16.0, "ceiling_dbtp": -1.0, "most_loss_lu": 3.0},
                            "tags": {"title": "T", "show": "S", "host": "", "number": 1, "date": ""}})
        )  # fmt: skip
    again.close()
    third = Studio(studio.settings)
    try:
        third.jobs.wait()
        assert len(third.sending.of_episode(two_people)) == 1
    finally:
        third.close()


def test_both_people_speak_equally_loud(studio, episode, talk_file):
    for seed, dbfs in ((1, -20.0), (2, -38.0)):
        studio.recordings.add_file(episode, talk_file(f"{seed}.wav", seconds=30, seed=seed, dbfs=dbfs))
        studio.jobs.wait()
    for track in studio.editing.state(episode).document.tracks:
        for treated in (True, False):
            heard = studio.listening.sound(
                episode, start=0, frames=30 * RATE, only=frozenset({track.id}), treated=treated
            ).sound[:, :1]
            level = speech_level(measure_part(np.ascontiguousarray(heard), RATE).energy)
            assert level == pytest.approx(COMMON_LEVEL_LUFS, abs=0.6)


def test_loudness_follows_an_edit(studio, two_people):
    before = studio.listening.standing(two_people, wait=True)
    track = studio.editing.state(two_people).document.tracks[0].id
    studio.editing.edit(two_people, "set_track", {"track": track, "gain_db": 6.0})
    after = studio.listening.standing(two_people, wait=True)
    assert after.revision == before.revision + 1
    assert after.loudness.integrated_lufs > before.loudness.integrated_lufs + 2


def test_loudness_of_a_burst_of_edits_is_measured_when_it_is_over(studio, two_people, monkeypatch):
    monkeypatch.setattr("pampa.studio.listening.SETTLED_S", 1.0)
    studio.listening.standing(two_people, wait=True)
    measured, measure = [], studio.listening._measure
    monkeypatch.setattr(
        studio.listening, "_measure", lambda state, *more: (measured.append(state.revision), measure(state, *more))[1]
    )
    track = studio.editing.state(two_people).document.tracks[0].id
    for gain_db in (1.0, 2.0, 3.0):
        last = studio.editing.edit(two_people, "set_track", {"track": track, "gain_db": gain_db}).revision
        studio.listening.standing(two_people)
    for thread in threading.enumerate():
        if thread.name == MEASURING:
            thread.join(20)
    assert measured == [last]
    assert studio.listening.known(two_people).revision == last


@pytest.mark.parametrize("closes", [False, True])
def test_loudness_that_nobody_waits_for_any_more_is_not_measured_to_its_end(studio, two_people, monkeypatch, closes):
    begun, may_go_on, told = threading.Event(), threading.Event(), []

    def measure(*given, **more):
        begun.set()
        assert may_go_on.wait(20)
        return measure_part(*given, **more)

    monkeypatch.setattr("pampa.core.mix.standing.measure_part", measure)
    monkeypatch.setattr(studio.events, "post", lambda event: told.append((event.kind, event.data)))
    studio.listening.standing(two_people)
    assert begun.wait(20)
    track = studio.editing.state(two_people).document.tracks[0].id
    edited = studio.editing.edit(two_people, "set_track", {"track": track, "gain_db": 6.0})
    if closes:
        studio.listening.close()
    may_go_on.set()
    for thread in threading.enumerate():
        if thread.name == MEASURING:
            thread.join(20)
    measured = [data["revision"] for kind, data in told if kind == "loudness"]
    assert measured == ([] if closes else [edited.revision])


@pytest.mark.parametrize("spoilt", [False, True])
def test_an_episode_that_is_opened_again_is_measured_again_only_where_its_file_cannot_be_read(
    studio, two_people, monkeypatch, spoilt
):
    monkeypatch.setattr("pampa.studio.listening.WORTH_KEEPING", 1)
    first = studio.listening.standing(two_people, wait=True)
    [file] = (studio.settings.data / "treated").rglob("stretches.npz")
    if spoilt:
        file.write_bytes(file.read_bytes()[:200])
    studio.close()
    measured = []

    def measure(*given, **more):
        measured.append(given)
        return measure_part(*given, **more)

    monkeypatch.setattr("pampa.core.mix.standing.measure_part", measure)
    again = Studio(studio.settings)
    try:
        assert again.listening.standing(two_people, wait=True) == first
        assert bool(measured) == spoilt
    finally:
        again.close()


def test_a_deleted_cache_is_made_again(studio, two_people):
    first = studio.listening.sound(two_people, start=0, frames=RATE).sound
    for file in (studio.settings.data / "treated").rglob("*.f32"):
        file.unlink()
    studio.close()
    again = Studio(studio.settings)
    try:
        assert np.array_equal(again.listening.sound(two_people, start=0, frames=RATE).sound, first)
    finally:
        again.close()


def test_the_cache_is_kept_within_bounds(studio, two_people):
    studio.listening.sound(two_people, start=0, frames=RATE)
    studio.space._limit = 0
    studio.space.trim()
    assert list((studio.settings.data / "treated").iterdir()) == []


def test_pieces_past_the_end_are_silent(studio, two_people):
    piece = studio.listening.sound(two_people, start=100 * RATE, frames=480)
    assert not piece.sound.any()


def test_one_recording_on_two_tracks_is_treated_as_each_has_it(studio, two_people):
    """The last track's recipe used to win for both."""
    document = studio.editing.state(two_people).document
    first = document.tracks[0]
    clip = first.clips[0]
    state = studio.editing.edit(two_people, "add_track", {"name": "Marisol, thin", "kind": "person"})
    thin = state.document.tracks[-1].id
    copy = {"track": thin, "recording": clip.recording, "start": clip.start, "length": clip.length}
    studio.editing.edit(two_people, "add_clip", copy)

    def heard(track):
        return studio.listening.sound(two_people, start=0, frames=4 * RATE, only=frozenset({track})).sound

    before = heard(first.id)
    assert np.array_equal(heard(thin), before)
    recipe = {"low_cut_hz": 300.0, "body_db": -12.0, "presence_db": 12.0, "ratio": 1.0}
    studio.editing.edit(two_people, "set_recipe", {"track": thin, "recipe": recipe})
    assert np.array_equal(heard(first.id), before)
    assert not np.array_equal(heard(thin), before)
