"""Backup, restore and doctor, on a folder that is in use."""

import json
import shutil

import pytest

from pampa.cli.keeping import examine_folder
from pampa.core.errors import PampaError
from pampa.studio.backups import NOTE, back_up, restore
from pampa.studio.doctor import examine_data
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio
from tests.test_commands import pampa
from tests.trust.scenario import start, was_killed


def test_a_backup_made_while_pampa_runs_comes_back_as_it_was(studio, two_people, tmp_path):
    studio.editing.edit(two_people, "add_marker", {"at": 0, "name": "Before"})
    state = studio.editing.state(two_people)
    upload = studio.uploads.begin(two_people, "a.wav", 1000)
    studio.uploads.receive(upload.id, 0, b"x" * 10)
    kept = back_up(studio.settings.data, tmp_path / "backup")
    assert (kept.originals, kept.deliveries, kept.missing) == (2, 0, [])
    studio.editing.edit(two_people, "add_marker", {"at": 0, "name": "After"})
    restore(tmp_path / "backup", tmp_path / "restored")
    other = Studio(Settings(data=tmp_path / "restored", workers=2))
    try:
        assert other.editing.state(two_people).document == state.document
        assert other.listening.sound(two_people, start=0, frames=4800).sound.any()
        assert other.jobs.open_jobs(two_people) == []
    finally:
        other.close()
    assert (tmp_path / "backup").stat().st_mode & 0o777 == 0o700


def test_the_same_folder_again_takes_only_what_is_new(studio, two_people, tmp_path, talk_file):
    back_up(studio.settings.data, tmp_path / "backup")
    old = {path: path.stat().st_mtime_ns for path in (tmp_path / "backup" / "originals").rglob("*.wav")}
    studio.recordings.add_file(two_people, talk_file("new.wav", seconds=1, seed=9))
    studio.jobs.wait()
    kept = back_up(studio.settings.data, tmp_path / "backup")
    assert kept.originals == 3
    assert all(path.stat().st_mtime_ns == time for path, time in old.items())


@pytest.mark.parametrize("point", ["whole:1", "whole:2", "backup:1"])
def test_a_backup_that_is_stopped_leaves_the_earlier_one_whole(studio, two_people, tmp_path, talk_file, point):
    back_up(studio.settings.data, tmp_path / "backup")
    studio.recordings.add_file(two_people, talk_file("new.wav", seconds=1, seed=9))
    studio.jobs.wait()
    assert was_killed(start(back_up, studio.settings.data, tmp_path / "backup", fault=point))
    assert restore(tmp_path / "backup", tmp_path / "restored").missing == []
    assert back_up(studio.settings.data, tmp_path / "backup").originals == 3


def test_a_restore_that_is_stopped_leaves_nothing_and_can_be_made_again(studio, two_people, tmp_path):
    back_up(studio.settings.data, tmp_path / "backup")
    assert was_killed(start(restore, tmp_path / "backup", tmp_path / "restored", fault="restore:1"))
    assert not (tmp_path / "restored").exists()
    restore(tmp_path / "backup", tmp_path / "restored")
    assert examine_data(tmp_path / "restored").well


def test_nothing_is_written_over(studio, two_people, tmp_path):
    (tmp_path / "mine").mkdir()
    (tmp_path / "mine" / "diary.txt").write_text("dear diary")
    for attempt in (
        lambda: back_up(studio.settings.data, tmp_path / "mine"),
        lambda: restore(tmp_path / "mine", tmp_path / "restored"),
        lambda: back_up(tmp_path / "nothing", tmp_path / "backup"),
    ):
        with pytest.raises(PampaError, match="Nothing was"):
            attempt()
    back_up(studio.settings.data, tmp_path / "backup")
    with pytest.raises(PampaError, match="not empty"):
        restore(tmp_path / "backup", tmp_path / "mine")
    assert (tmp_path / "mine" / "diary.txt").exists()


def test_what_is_damaged_or_missing_is_named(studio, two_people, tmp_path):
    first, second = studio.recordings.of_episode(two_people)
    back_up(studio.settings.data, tmp_path / "backup")
    damaged = studio.media.original(first.sha256, first.suffix)
    content = bytearray(damaged.read_bytes())
    content[1000:1004] = b"xxxx"
    damaged.unlink()  # the file may stand in other tests' folders too
    damaged.write_bytes(content)
    studio.media.original(second.sha256, second.suffix).unlink()
    told = examine_data(studio.settings.data)
    assert sorted("missing" in sentence for sentence in told.wrong) == [False, True]
    assert any(f"The original of {first.name} is not as it came in" in sentence for sentence in told.wrong)
    assert back_up(studio.settings.data, tmp_path / "other").missing == sorted([first.name, second.name])
    assert restore(tmp_path / "backup", tmp_path / "restored").missing == []


def test_the_doctor_finds_a_healthy_folder_well(studio, two_people, capsys):
    assert examine_folder(studio.settings.data, as_json=True) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["well"]
    assert told["figures"]["originals"] > 0


def test_the_doctor_names_what_lies_about(studio, two_people):
    data = studio.settings.data
    (data / "originals" / "ff").mkdir()
    (data / "originals" / "ff" / ("f" * 64)).write_bytes(bytes(10))
    (data / "conformed" / "a.making-1-1").mkdir()
    data.chmod(0o755)
    told = examine_data(data)
    assert any("belong to nothing" in sentence for sentence in told.noted)
    assert any("half-made" in sentence for sentence in told.noted)
    assert any("Others on this machine" in sentence for sentence in told.wrong)


def test_the_commands_end_as_they_say(two_people_data, tmp_path):
    data = tmp_path / "data"
    shutil.copytree(two_people_data, data)
    assert pampa("backup", tmp_path / "backup", "--data", data).returncode == 0
    assert (tmp_path / "backup" / NOTE).exists()
    assert pampa("restore", tmp_path / "backup", "--data", tmp_path / "new").returncode == 0
    assert pampa("restore", tmp_path / "backup", "--data", tmp_path / "new").returncode == 2
    looked = pampa("doctor", "--data", tmp_path / "new")
    assert (looked.returncode, looked.stdout.splitlines()[-1]) == (0, "All is well.")
    assert pampa("doctor", "--data", tmp_path / "none").returncode == 2
