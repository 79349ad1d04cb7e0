"""A disk that fills: what is refused is told, edits go on for as long as there is a reserve, and nothing breaks."""

import contextlib
import os
import re
import resource
import shutil
import subprocess

import numpy as np
import pytest
import soundfile
from fastapi.testclient import TestClient

from pampa.core.errors import DiskFull
from pampa.core.files.room import RESERVE
from pampa.core.sound import RATE
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio
from pampa.web.app import create_app
from tests.conftest import make_episode
from tests.trust.scenario import start
from tests.web.conftest import BASE


@pytest.fixture
def small_disk(tmp_path):
    """A file system of 160 MB, where this may be mounted."""
    place = tmp_path / "disk"
    place.mkdir()
    mounted = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=160m", "tmpfs", place], capture_output=True, check=False
    )
    if mounted.returncode:
        pytest.skip("mounting is not permitted here")
    yield place
    subprocess.run(["umount", "-l", place], check=True)


def test_an_hour_of_silence_in_half_a_megabyte_does_not_fill_the_disk(small_disk):
    """Only its compressed size is known beforehand: 691 MB of it would be written."""
    studio = Studio(Settings(data=small_disk / "data", workers=2))
    try:
        episode = make_episode(studio)
        path = small_disk / "silence.flac"
        with soundfile.SoundFile(path, "w", RATE, 1) as file:
            for _ in range(60):
                file.write(np.zeros(60 * RATE, np.float32))
        assert path.stat().st_size < 1 << 20
        recording = studio.recordings.add_file(episode, path)
        studio.jobs.wait()
        [recording] = studio.recordings.of_episode(episode)
        assert recording.state == "failed"
        assert "The disk is full" in recording.error
        assert shutil.disk_usage(small_disk).free > RESERVE
        assert list((small_disk / "data" / "conformed").iterdir()) == []
        studio.editing.edit(episode, "add_marker", {"at": 0, "name": "Edits go on"})
    finally:
        studio.close()


def test_edits_on_a_disk_without_any_room_are_refused_and_go_on_when_there_is_some(small_disk):
    studio = Studio(Settings(data=small_disk / "data", workers=2))
    try:
        episode = make_episode(studio)
        filler = small_disk / "filler"
        with contextlib.suppress(OSError), filler.open("wb") as file:
            while True:
                file.write(bytes(1 << 16))
        with pytest.raises(DiskFull, match="Make room"):
            mark_often(studio, episode)
        kept = len(studio.editing.state(episode).document.markers)
        filler.unlink()
        studio.editing.edit(episode, "add_marker", {"at": 0, "name": "It goes on"})
        assert len(studio.editing.state(episode).document.markers) == kept + 1
    finally:
        studio.close()


def mark_often(studio, episode):
    for n in range(400):
        studio.editing.edit(episode, "add_marker", {"at": n, "name": "x" * 80})


def _edit_until_refused(data):
    """In a child: no file may grow beyond a limit, as by a quota."""
    studio = Studio(Settings(data=data, workers=1))
    episode = make_episode(studio)
    resource.setrlimit(resource.RLIMIT_FSIZE, (300_000, resource.RLIM_INFINITY))
    told = ""
    try:
        mark_often(studio, episode)
    except DiskFull as error:
        told = str(error)
    (data / "told").write_text(told)
    resource.setrlimit(resource.RLIMIT_FSIZE, (resource.RLIM_INFINITY, resource.RLIM_INFINITY))
    studio.editing.edit(episode, "add_marker", {"at": 0, "name": "It goes on"})
    studio.close()


def test_a_limit_on_files_is_told_like_a_full_disk(tmp_path):
    assert start(_edit_until_refused, tmp_path / "data") == 0
    assert "Nothing was lost" in (tmp_path / "data" / "told").read_text()


def test_a_job_whose_failure_cannot_be_written_ends_all_the_same(studio, episode, monkeypatch):
    """It used to stay on the list as running until a restart."""

    def work(parameters, progress, job_id):
        progress("Working", 0.5)
        monkeypatch.setattr(studio.jobs, "_sessions", Refusing(studio.jobs._sessions))
        raise DiskFull(1)

    studio.jobs.register("fills the disk", work)
    studio.jobs.start("fills the disk", episode, "Filling")
    studio.jobs.wait(20)
    assert studio.jobs.open_jobs(episode) == []


class Refusing:
    """Sessions that read and do not write, as on a full disk."""

    def __init__(self, sessions):
        self._sessions = sessions

    def __call__(self):
        return self._sessions()

    def begin(self):
        raise DiskFull


def test_what_a_child_cannot_write_is_told_by_deliver(tmp_path):
    soundfile.write(tmp_path / "a.wav", np.full((RATE, 1), 0.1, np.float32), RATE)
    command = ["bash", "-c", f"ulimit -f 50; exec {shutil.sys.executable} -m pampa deliver a.wav out.wav"]
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=False, env=os.environ)
    assert done.returncode == 2
    assert "The disk is full" in done.stderr
    assert "Traceback" not in done.stderr
    assert [path.name for path in tmp_path.iterdir()] == ["a.wav"]


def test_an_edit_on_a_full_disk_is_answered_with_507(small_disk):
    studio = Studio(Settings(data=small_disk / "data", workers=2))
    with TestClient(create_app(studio), base_url=BASE) as client:
        page = client.get("/").text
        client.headers["X-Pampa-Token"] = re.search(r'name="pampa-token" content="([^"]+)"', page)[1]
        episode = make_episode(studio)
        with contextlib.suppress(OSError), (small_disk / "filler").open("wb") as file:
            while True:
                file.write(bytes(1 << 16))
        statuses = set()
        for n in range(400):
            edit = {"revision": n, "edit": {"edit": "add_marker", "at": n, "name": "x" * 80}}
            answer = client.post(f"/api/episodes/{episode}/edits", json=edit)
            statuses.add(answer.status_code)
            if answer.status_code != 200:
                break
        assert statuses <= {200, 507}
        assert answer.json()["error"]["kind"] == "DiskFull"
        (small_disk / "filler").unlink()
        assert client.post(f"/api/episodes/{episode}/edits", json=edit).status_code == 200
