"""What a stop leaves behind is finished, given up or swept at the next start, and nothing piles up meanwhile."""

import os
import shutil
import sqlite3
import threading
import zlib
from datetime import timedelta
from pathlib import Path

import numpy as np
import pytest
import soundfile
from sqlalchemy import select

from pampa.cli.serving import MADE, serve_demo
from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim
from pampa.core.errors import EditRefused, NotFound, PampaError
from pampa.core.sound import RATE
from pampa.store.database import DatabaseBusy, DatabaseDamaged, DatabaseNewer, open_database
from pampa.store.models import Job, Recording, Upload, now
from pampa.studio.jobs import MOST_ATTEMPTS
from pampa.studio.sending import Wanted
from pampa.studio.sounds import conformed_key
from pampa.studio.studio import InUse, Studio
from pampa.studio.uploads import UploadOutOfStep

BAD_BYTES = b"this is no database"


def again(studio):
    """The same folder, opened anew."""
    studio.close()
    return Studio(studio.settings)


# -- uploads ---------------------------------------------------------------------------------------------------


def arrived(studio, episode, path):
    """An upload of which all bytes have arrived, and no more than that."""
    content = path.read_bytes()
    upload = studio.uploads.begin(episode, path.name, len(content))
    studio.media.append(upload.id, 0, content)
    with studio.uploads._sessions.begin() as session:
        session.get_one(Upload, upload.id).received = len(content)
    return upload.id


def test_an_upload_that_had_arrived_is_finished_at_the_next_start(studio, episode, talk_file):
    arrived(studio, episode, talk_file(seconds=1))
    studio = again(studio)
    studio.jobs.wait()
    assert [r.state for r in studio.recordings.of_episode(episode)] == ["ready"]
    assert list((studio.settings.data / "uploads").iterdir()) == []
    studio.close()


def test_an_upload_that_had_arrived_is_finished_when_its_page_asks(studio, episode, talk_file):
    upload = arrived(studio, episode, talk_file(seconds=1))
    told = studio.uploads.get(upload)
    assert told.recording_id is not None
    assert studio.uploads.get(upload).recording_id == told.recording_id
    studio.jobs.wait()
    assert len(studio.recordings.of_episode(episode)) == 1


def test_the_same_last_piece_three_times_at_once_makes_one_recording(studio, episode, talk_file):
    content = talk_file(seconds=1).read_bytes()
    upload = studio.uploads.begin(episode, "a.wav", len(content)).id
    results = []

    def send():
        try:
            results.append(studio.uploads.receive(upload, 0, content).recording_id)
        except UploadOutOfStep as error:
            results.append(error.received)

    sending = [threading.Thread(target=send) for _ in range(3)]
    for thread in sending:
        thread.start()
    for thread in sending:
        thread.join()
    studio.jobs.wait()
    [recording] = studio.recordings.of_episode(episode)
    assert sorted(results) == sorted([recording.id, len(content), len(content)])


def test_uploads_that_nobody_goes_on_with_are_swept_after_a_week(studio, episode):
    kept, old = (studio.uploads.begin(episode, "a.wav", 1000).id for _ in range(2))
    for upload in (kept, old):
        studio.uploads.receive(upload, 0, b"x" * 10)
    with studio.uploads._sessions.begin() as session:
        session.get_one(Upload, old).created = now() - timedelta(days=8)
    studio = again(studio)
    assert studio.uploads.get(kept).received == 10
    assert [path.name for path in (studio.settings.data / "uploads").iterdir()] == [kept]
    with pytest.raises(NotFound):
        studio.uploads.get(old)
    studio.close()


def test_an_upload_that_had_arrived_is_finished_however_late_pampa_starts_again(studio, episode, talk_file):
    upload = arrived(studio, episode, talk_file(seconds=1))
    with studio.uploads._sessions.begin() as session:
        session.get_one(Upload, upload).created = now() - timedelta(days=30)
    studio = again(studio)
    studio.jobs.wait()
    assert [r.state for r in studio.recordings.of_episode(episode)] == ["ready"]
    studio.close()


def test_what_was_half_made_is_swept(studio, episode):
    data = studio.settings.data
    half = [
        data / "conformed" / "abc.making-1-2",
        data / "conformed" / "old.making-77",
        data / "uploads" / "copy-1-a.wav",
    ]
    for path in half[:2]:
        path.mkdir()
        (path / "sound.f32").write_bytes(bytes(100))
    half[2].write_bytes(bytes(100))
    stems = studio.media.delivery(episode, "stems-000001.making")
    stems.write_bytes(bytes(100))
    studio = again(studio)
    assert not any(path.exists() for path in [*half, stems])
    studio.close()


# -- jobs ------------------------------------------------------------------------------------------------------


def put_job(studio, episode, **changes):
    with studio.jobs._sessions.begin() as session:
        job = studio.jobs.add(session, "bring in", episode, "Bringing in a.wav", recording=changes.pop("recording", 1))
        for name, value in changes.items():
            setattr(job, name, value)
        return job.id


def state_of(studio, job_id):
    with studio.jobs._sessions() as session:
        return session.get_one(Job, job_id).state


def test_a_job_that_was_under_way_at_two_kills_is_not_begun_a_third_time(studio, episode, talk_file):
    """And whoever waits for it is told: the recording is not coming in for ever."""
    recording = studio.recordings.add_file(episode, talk_file(seconds=1))
    studio.jobs.wait()
    with studio.jobs._sessions.begin() as session:
        session.get_one(Recording, recording.id).state = "waiting"
    killing = put_job(studio, episode, state="running", attempts=MOST_ATTEMPTS, recording=recording.id)
    studio = again(studio)
    studio.jobs.wait()
    assert state_of(studio, killing) == "failed"
    [told] = studio.recordings.of_episode(episode)
    assert told.state == "failed"
    assert "not begun again" in told.error
    studio.close()


def test_a_restart_that_was_asked_for_is_no_kill(studio, episode, talk_file):
    started, release = threading.Event(), threading.Event()

    def work(parameters, progress, job_id):
        started.set()
        release.wait(10)
        progress("Working", 0.5)

    studio.jobs.register("long", work)
    job = studio.jobs.start("long", episode, "Long")
    started.wait(10)
    closing = threading.Thread(target=studio.close)
    closing.start()
    while not studio.jobs._closing.is_set():
        pass
    release.set()
    closing.join()
    [row] = sqlite3.connect(studio.settings.data / "pampa.db").execute(
        f"SELECT state, attempts FROM jobs WHERE id={job}"
    )
    assert row == ("waiting", 0)


@pytest.mark.parametrize("ask", ["finding", "joins"])
def test_stopping_a_job_that_waits_lets_it_be_asked_for_again(studio, two_people, ask):
    """It used to be at work until a restart."""
    release = threading.Event()
    studio.jobs.register("blocks", lambda parameters, progress, job_id: release.wait(20))
    for _ in range(2):
        studio.jobs.start("blocks", two_people, "Blocking")
    begin = studio.finding.of_episode if ask == "finding" else studio.joins.check
    assert begin(two_people).waits
    [waiting] = [job for job in studio.jobs.open_jobs(two_people) if job["kind"] != "blocks"]
    assert waiting["state"] == "waiting"
    studio.jobs.cancel(waiting["id"])
    assert state_of(studio, waiting["id"]) == "cancelled"
    again_begun = begin(two_people)
    release.set()
    assert again_begun.waits
    assert [job["id"] for job in studio.jobs.open_jobs(two_people) if job["kind"] != "blocks"] != [waiting["id"]]
    studio.jobs.wait()


def test_a_delivery_is_of_what_was_ordered_whatever_is_edited_meanwhile(studio, two_people):
    """Three of five used to hold later edits."""
    release = threading.Event()
    studio.jobs.register("blocks", lambda parameters, progress, job_id: release.wait(20))
    for _ in range(2):
        studio.jobs.start("blocks", two_people, "Blocking")
    state = studio.editing.state(two_people)
    ordered = studio.sending.start(two_people, [Wanted(Format("flac", 16), Aim(-20.0, -1.0), mono=True)])
    studio.editing.edit(two_people, "take_out", {"start": 0, "stop": 6 * RATE})
    release.set()
    studio.jobs.wait()
    [delivery] = studio.sending.of_episode(two_people)
    assert (delivery.job_id, delivery.revision) == (ordered, state.revision)
    assert soundfile.info(studio.sending.file(delivery.id)[0]).frames == state.document.length


# -- opening ---------------------------------------------------------------------------------------------------


def test_a_newer_a_damaged_and_a_held_database_are_told_in_a_sentence(tmp_path):
    path = tmp_path / "pampa.db"
    open_database(path).engine.dispose()
    with sqlite3.connect(path) as database:
        database.execute("UPDATE alembic_version SET version_num = '9999'")
    with pytest.raises(DatabaseNewer, match="newer Pampa"):
        open_database(path)
    held = sqlite3.connect(tmp_path / "held.db")
    held.execute("PRAGMA journal_mode=WAL")
    held.execute("BEGIN IMMEDIATE")
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr("pampa.store.database.WAIT_S", 0.1)
        with pytest.raises(DatabaseBusy, match="Close it"):
            open_database(tmp_path / "held.db")
    held.close()
    (tmp_path / "damaged.db").write_bytes(BAD_BYTES * 100)
    with pytest.raises(DatabaseDamaged, match="pampa restore"):
        open_database(tmp_path / "damaged.db")


def test_a_first_start_that_an_older_release_left_half_way_begins_again(tmp_path):
    """Its tables were made outside the transaction: "table settings already exists" for ever."""
    with sqlite3.connect(tmp_path / "pampa.db") as database:
        database.execute("CREATE TABLE settings (key VARCHAR PRIMARY KEY, value VARCHAR NOT NULL)")
        database.execute("CREATE TABLE shows (id INTEGER PRIMARY KEY, name VARCHAR)")
    open_database(tmp_path / "pampa.db").engine.dispose()


def test_a_sample_whose_making_was_stopped_is_made_again(tmp_path, monkeypatch):
    """Its folder "held other things" for ever."""
    served = []
    monkeypatch.setattr("pampa.cli.serving._serve", lambda settings, tell, before: served.append(settings.data))
    monkeypatch.setattr("pampa.demo.assemble.assemble", stopped)
    with pytest.raises(KeyboardInterrupt):
        serve_demo(tmp_path / "demo", 8400, fresh=False)
    assert not (tmp_path / "demo").exists()
    (tmp_path / "old" / "sample").mkdir(parents=True)  # as release 0.1.0 left it
    monkeypatch.setattr("pampa.demo.assemble.assemble", lambda folder: folder.mkdir(parents=True))
    monkeypatch.setattr("pampa.demo.build.build", lambda *given: None)
    for name in ("demo", "old"):
        serve_demo(tmp_path / name, 8400, fresh=False)
        assert (tmp_path / name / MADE).exists()
    assert served == [tmp_path / "demo", tmp_path / "old"]


def stopped(folder):
    folder.mkdir(parents=True)
    (folder / "marisol_local.wav").write_bytes(b"RIFF")
    raise KeyboardInterrupt


def test_the_sample_is_not_made_over_something_else_nor_under_a_running_pampa(tmp_path, studio):
    (tmp_path / "mine").mkdir()
    (tmp_path / "mine" / "diary.txt").write_text("dear diary")
    with pytest.raises(PampaError, match="other things"):
        serve_demo(tmp_path / "mine", 8400, fresh=True)
    assert (tmp_path / "mine" / "diary.txt").exists()
    with pytest.raises(InUse):
        serve_demo(studio.settings.data, 8400, fresh=True)
    assert (studio.settings.data / "pampa.db").exists()


def test_the_data_folder_is_for_its_owner_alone(studio):
    data = studio.settings.data
    assert data.stat().st_mode & 0o777 == 0o700
    assert (data / "pampa.db").stat().st_mode & 0o777 == 0o600


# -- what piles up ---------------------------------------------------------------------------------------------


def test_three_hundred_recordings_take_no_descriptors_and_little_memory(studio, episode, talk_file):
    """Each used to hold one for as long as Pampa ran; 1,000 are the usual limit."""
    first = studio.recordings.add_file(episode, talk_file(seconds=20))
    studio.jobs.wait()
    folder = studio.sounds.folder(first.id)
    numbers = []
    with studio.recordings._sessions.begin() as session:
        known = session.get_one(Recording, first.id)
        for n in range(300):
            row = Recording(
                episode_id=episode, name=f"{n}.wav", sha256=f"{n:032x}" * 2, suffix=".wav", size=1, state="ready",
                facts=known.facts, placed=True,
            )  # fmt: skip
            session.add(row)
            session.flush()
            shutil.copytree(folder, studio.media.conformed(conformed_key(row)), copy_function=link)
            numbers.append(row.id)
    before, held = descriptors(), anonymous_memory()
    for number in numbers:
        assert studio.sounds.conformed(number).read(RATE, RATE + 480).any()
        studio.sounds.analysis(number)
    assert descriptors() - before < 5
    assert anonymous_memory() - held < 60 << 20


def link(source, target):
    Path(target).hardlink_to(source)


def descriptors():
    return len(list(Path("/proc/self/fd").iterdir()))


def anonymous_memory():
    told = dict(line.split(":", 1) for line in Path("/proc/self/status").read_text().splitlines())
    return int(told["RssAnon"].split()[0]) << 10


def test_the_cache_is_trimmed_while_pampa_runs_by_last_use(studio, two_people):
    for start in (0, RATE):
        studio.listening.sound(two_people, start=start, frames=RATE)
    folders = sorted((studio.settings.data / "treated").iterdir())
    assert len(folders) == 2
    os.utime(folders[1], (1, 1))
    studio.space._limit = 1 + max(sum(f.stat().st_size for f in folder.iterdir()) for folder in folders)
    studio.space.trim()
    assert sorted((studio.settings.data / "treated").iterdir()) == [folders[0]]


# -- deleting for good -----------------------------------------------------------------------------------------


def test_a_removed_recording_is_deleted_for_good_and_silent_where_undo_brings_it_back(studio, two_people):
    anders = studio.recordings.of_episode(two_people)[1]
    track = next(t for t in studio.editing.state(two_people).document.tracks if t.clips[0].recording == anders.id)
    original = studio.media.original(anders.sha256, anders.suffix)
    with pytest.raises(EditRefused, match="off the list first"):
        studio.space.delete_recording(anders.id)
    studio.recordings.remove(anders.id)
    with pytest.raises(EditRefused, match="still lies on a track"):
        studio.space.of_recording(anders.id)
    studio.editing.edit(two_people, "remove_track", {"track": track.id})
    told = studio.space.of_recording(anders.id)
    assert told.bytes > original.stat().st_size
    assert studio.space.delete_recording(anders.id) == told
    assert not original.exists()
    assert not studio.media.conformed(conformed_key(anders)).exists()
    assert studio.recordings.of_episode(two_people, removed=True) == []
    studio.editing.undo(two_people)
    alone = studio.listening.sound(two_people, start=0, frames=5 * RATE, only=frozenset({track.id})).sound
    assert not alone.any()
    assert studio.listening.sound(two_people, start=0, frames=5 * RATE).sound.any()
    assert studio.listening.standing(two_people, wait=True).loudness.integrated_lufs is not None
    with pytest.raises(NotFound):
        studio.space.delete_recording(anders.id)


def test_what_another_episode_needs_stays(studio, two_people):
    marisol = studio.recordings.of_episode(two_people)[0]
    other = studio.shows.make_episode(1, "Reading the Bar").id
    studio.recordings.borrow(marisol.id, other, person="Marisol Vey", role="person")
    studio.shows.change_episode(two_people, archived=True)
    studio.space.delete_episode(two_people)
    assert studio.media.original(marisol.sha256, marisol.suffix).exists()
    [kept] = studio.recordings.of_episode(other)
    assert studio.sounds.conformed(kept.id).read(0, 480).shape == (480, 1)


def test_an_archived_show_goes_with_everything(studio, two_people):
    with pytest.raises(EditRefused, match="Archive the episode first"):
        studio.space.of_episode(two_people)
    with pytest.raises(EditRefused, match="Archive the show first"):
        studio.space.delete_show(1)
    studio.larder.keep(studio.recordings.of_episode(two_people)[0].id, kind="effects", name="A word")
    studio.jobs.wait()
    studio.shows.change_show(1, name=None, host=None, archived=True)
    told = studio.space.of_show(1)
    assert told.recordings == 3
    studio.space.delete_show(1)
    assert studio.shows.all_shows(archived=True) == []
    assert not [path for path in (studio.settings.data / "originals").rglob("*") if path.is_file()]
    with studio.recordings._sessions() as session:
        assert session.scalars(select(Recording)).all() == []


def test_files_that_a_stop_left_undeleted_go_at_the_next_start(studio, two_people, monkeypatch):
    studio.shows.change_episode(two_people, archived=True)
    monkeypatch.setattr(type(studio.space), "_delete_files", lambda self: None)
    studio.space.delete_episode(two_people)
    originals = [path for path in (studio.settings.data / "originals").rglob("*") if path.is_file()]
    assert originals
    monkeypatch.undo()
    studio = again(studio)
    assert not any(path.exists() for path in originals)
    studio.close()


def test_conforming_the_same_file_for_two_episodes_keeps_what_was_measured(studio, two_people, tmp_path):
    """The second used to delete what was known beside the first."""
    marisol = studio.recordings.of_episode(two_people)[0]
    kept = studio.sounds.folder(marisol.id) / "mends"
    kept.mkdir(exist_ok=True)
    (kept / "hum-1.npz").write_bytes(zlib.compress(np.zeros(10).tobytes()))
    other = studio.shows.make_episode(1, "Reading the Bar").id
    copy = tmp_path / "marisol.wav"
    shutil.copyfile(studio.media.original(marisol.sha256, marisol.suffix), copy)
    studio.recordings.add_file(other, copy)
    studio.jobs.wait()
    assert (kept / "hum-1.npz").exists()
