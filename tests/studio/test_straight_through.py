"""Straight through: what is planned, what is done, what a person decided, and what is taken back."""

import re
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import pytest
import soundfile

from pampa.core.mend.amounts import Amounts
from pampa.core.straight.steps import USUAL, Wants
from pampa.core.voice.recipe import Recipe
from tests.conftest import beginning, linked_copy, make_episode
from tests.signals import silence

RAW = (("marisol_local.wav", "Marisol Vey"), ("anders_local.wav", "Anders Quill"), ("call_backup.wav", ""))


@pytest.fixture(scope="module")
def raw_data(sample, made_once):
    """A data folder with the first two minutes of the sample's raw files in it, as they come, and looked ahead."""

    def make(data):
        from pampa.studio.settings import Settings
        from pampa.studio.studio import Studio

        studio = Studio(Settings(data=data, workers=2))
        episode = make_episode(studio)
        with TemporaryDirectory() as folder:
            for name, person in RAW:
                path = beginning(sample[0] / name, Path(folder), 120)
                studio.recordings.add_file(episode, path, **({"person": person} if person else {}))
        studio.jobs.wait(300)
        studio.straight_through.look_ahead(episode)
        studio.jobs.wait(300)
        studio.close()

    return made_once("raw-data", make)


@pytest.fixture
def raw(raw_data, tmp_path):
    from pampa.studio.settings import Settings
    from pampa.studio.studio import Studio

    studio = Studio(Settings(data=linked_copy(raw_data, tmp_path / "raw"), workers=2))
    yield studio
    studio.close()


def planned(studio, wants=None):
    return {each.step.name: each for each in studio.straight_through.plan(1, wants).steps}


def gone(studio, *ticked, **more):
    job = studio.straight_through.go(1, Wants(ticked, **more))
    studio.jobs.wait(300)
    assert studio.jobs.told(job)["state"] == "done", studio.jobs.told(job)["error"]
    return studio.straight_through.report(1)


def test_the_plan_tells_what_will_be_done_with_figures_and_changes_nothing(raw):
    before = raw.editing.state(1)
    plan = planned(raw)
    assert "Anders Quill by +4.8" in plan["line-up"].told[0]
    assert re.search(r"3[89] ppm fast", plan["line-up"].told[0])
    assert any("hum 100 %" in line for line in plan["mend"].told)
    assert plan["silences"].possible
    assert not plan["music"].possible
    assert plan["voices"].told[0].startswith("Marisol Vey (speaks at −28.1 LUFS)")
    assert raw.editing.state(1) == before
    assert raw.straight_through.report(1) is None


def test_what_takes_words_out_is_not_done_unless_somebody_says_so():
    assert not {"fillers", "chatter", "publish"} & set(USUAL)


def test_all_of_it_is_done_on_target_and_each_step_is_taken_back_alone(raw):
    raw_words = raw.editing.state(1).document
    report = gone(raw, *USUAL)
    assert report.ended
    assert report.needs == ()
    document = raw.editing.state(1).document
    assert {mending.recording for mending in document.mendings} == {1, 2}
    assert all(track.recipe != Recipe() for track in document.linked_tracks())
    assert document.seams
    [file] = [raw.sending.delivery(number) for number in report.files]
    assert file.sheet["met"]
    raw.straight_through.take_back(1, "silences")
    assert raw.editing.state(1).document.seams == ()
    raw.straight_through.take_back(1, "mend")
    assert raw.editing.state(1).document.mendings == ()
    raw.straight_through.take_back(1, "voices")
    now = raw.editing.state(1).document
    assert all(track.recipe == Recipe() for track in now.linked_tracks())
    assert [track.name for track in now.tracks] == [track.name for track in raw_words.tracks]
    assert any(each.name == "Before going straight through" for each in raw.versions.of_episode(1))


def test_what_a_person_decided_stays(raw):
    raw.editing.edit(1, "mend", {"recordings": [1], "amounts": {"hum": 40.0}, "name": "Marisol Vey"})
    track = raw.editing.state(1).document.linked_tracks()[1]
    recipe = {**vars(Recipe()), "low_cut_hz": 120.0}
    raw.editing.edit(1, "set_recipe", {"track": track.id, "recipe": recipe})
    raw.jobs.wait(300)
    gone(raw, "line-up", "mend", "voices")
    document = raw.editing.state(1).document
    assert document.amounts(1) == Amounts(hum=40.0)
    assert document.track(track.id).recipe.low_cut_hz == 120.0
    assert not planned(raw)["mend"].possible


def test_what_was_taken_off_the_list_and_lies_on_its_track_is_told_by_its_name(raw):
    anders = next(each for each in raw.recordings.of_episode(1) if each.person == "Anders Quill")
    raw.recordings.remove(anders.id)
    assert any(line.startswith("Anders Quill: ") for line in planned(raw)["mend"].told)


def test_what_is_wanted_is_remembered_for_the_show(raw):
    gone(raw, "line-up", longer_s=2.0)
    assert raw.straight_through.wants(1).ticked == ("line-up",)
    assert raw.straight_through.plan(1).wants.longer_s == 2.0


def test_one_file_with_everybody_and_an_empty_one_among_good_ones(studio, episode, talk_file, tmp_path):
    studio.recordings.add_file(episode, talk_file("everybody.wav", seconds=20))
    (tmp_path / "empty.wav").write_bytes(b"")
    soundfile.write(tmp_path / "nothing.wav", silence(3), 48_000)
    for name in ("empty.wav", "nothing.wav"):
        studio.recordings.add_file(episode, tmp_path / name)
    studio.jobs.wait(120)
    report = gone(studio, *USUAL)
    assert report.ended
    assert any("empty.wav is left out" in line for line in report.needs)
    [file] = [studio.sending.delivery(number) for number in report.files]
    assert file.sheet["loudness"]["integrated_lufs"] == pytest.approx(-16.0, abs=0.1)


def test_recordings_that_do_not_belong_together_are_told(studio, episode, sample, tmp_path):
    for name, person in (("anders_local.wav", "Anders"), ("nola_spot.wav", "Nola")):
        studio.recordings.add_file(episode, beginning(sample[0] / name, tmp_path, 60), person=person, role="person")
    studio.jobs.wait(120)
    before = studio.editing.state(episode).document
    report = gone(studio, "line-up")
    assert any("Nola was not found in Anders" in line for line in report.needs)
    assert studio.editing.state(episode).document == before


def test_three_microphones_in_one_room_stay_within_what_sound_takes_across_it(studio, episode, sample, tmp_path):
    folder, _ = sample
    frames = 40 * 48_000
    marisol, _ = soundfile.read(folder / "marisol_local.wav", frames=frames, dtype="float32")
    call, _ = soundfile.read(folder / "call_backup.wav", frames=frames, dtype="float32", always_2d=True)
    anders = call[:, 1]
    for n, (own, other, late) in enumerate(((marisol, anders, 150), (anders, marisol, 170), (marisol, anders, 300))):
        gain = (1.0, 1.0, 0.4)[n]
        sound = gain * own + 0.3 * np.roll(other, late)
        if n == 1:
            sound = -sound
        soundfile.write(tmp_path / f"microphone_{n}.wav", sound, 48_000, "PCM_24")
        studio.recordings.add_file(episode, tmp_path / f"microphone_{n}.wav", person=f"Microphone {n}", role="person")
    studio.jobs.wait(120)
    report = gone(studio, "line-up", "mend", "room", "silences", "voices", "files")
    assert report.ended
    document = studio.editing.state(episode).document
    mended = [document.amounts(clip.recording) for clip in (track.clips[0] for track in document.tracks)]
    assert [amounts.sharing for amounts in mended] == [100] * 3
    assert any("hear one another" in line for step in report.steps for line in step.told)
    starts = [track.clips[0].start - track.clips[0].source for track in studio.editing.state(episode).document.tracks]
    assert max(starts) - min(starts) < 0.02 * 48_000
    [file] = [studio.sending.delivery(number) for number in report.files]
    assert file.sheet["met"]


def test_music_that_is_said_to_be_a_person_is_told(studio, episode, sample, talk_file, tmp_path):
    studio.recordings.add_file(episode, talk_file("marisol.wav", seconds=20), person="Marisol Vey")
    theme = beginning(sample[0] / "theme.flac", tmp_path, 20)
    studio.recordings.add_file(episode, theme, person="Theme", role="person")
    studio.jobs.wait(120)
    report = gone(studio, *USUAL)
    assert report.ended
    assert any("Theme" in line for line in report.needs)


def test_who_may_lie_elsewhere_is_to_be_listened_to(studio, episode, talk_file):
    for n, name in enumerate(("marisol.wav", "anders.wav"), 1):
        studio.recordings.add_file(episode, talk_file(name, seconds=40, seed=n), person=name[:-4].title())
    studio.jobs.wait(120)
    assert any("Anders may lie elsewhere" in line for line in gone(studio, "line-up").needs)


def test_the_music_of_the_pattern_goes_around_the_talk(demo_copy, talk_file):
    from pampa.studio.settings import Settings
    from pampa.studio.studio import Studio

    studio = Studio(Settings(data=demo_copy, workers=2))
    try:
        episode = studio.shows.make_episode(1, "Neap Tide", 13).id
        studio.recordings.add_file(episode, talk_file("marisol.wav", seconds=40), person="Marisol Vey")
        studio.jobs.wait(120)
        job = studio.straight_through.go(episode, Wants(("music",)))
        studio.jobs.wait(120)
        assert studio.jobs.told(job)["state"] == "done", studio.jobs.told(job)["error"]
        [done] = studio.straight_through.report(episode).steps
        assert done.told == ("Theme as opening.", "Theme as ending.")
        music = [track for track in studio.editing.state(episode).document.tracks if track.kind == "music"]
        assert sum(len(track.clips) for track in music) == 2
        studio.straight_through.take_back(episode, "music")
        assert not any(t.clips for t in studio.editing.state(episode).document.tracks if t.kind == "music")
    finally:
        studio.close()
