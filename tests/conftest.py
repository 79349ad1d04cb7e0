"""What tests share: a studio over an empty folder, and the sample episode, assembled once."""

import fcntl
import gc
import hashlib
import json
import shutil
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import pytest
import soundfile
from hypothesis import settings

from pampa.core.proposals.trying import checked_up
from pampa.core.sound import RATE
from pampa.demo.assemble import Truth, assemble
from pampa.demo.build import build
from pampa.studio import checking_up
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio
from tests.signals import talk

settings.register_profile("pampa", deadline=None)
settings.load_profile("pampa")


LONG = ("test_sync", "test_mend_hum", "test_beat", "test_deliver", "test_checkup", "test_finds", "test_turns")
"""What a quick run leaves out: long passes over minutes of sound, which few changes touch."""


def pytest_collection_modifyitems(items):
    for item in items:
        if item.path.stem in LONG or "any_division" in item.name:
            item.add_marker("long")
    # Whoever begins with the second half need not wait for the sample, which the other makes meanwhile.
    items.sort(key=lambda item: "sample" not in item.fixturenames)


def pytest_collection_finish():
    """What is loaded by now stays: looking through it for garbage again and again takes a tenth of the tests."""
    gc.freeze()
    gc.set_threshold(10_000, 20, 20)


@pytest.fixture(scope="session", autouse=True)
def checked_up_once():
    """A process checks the same sound up once: many tests bring in the same seconds of talk."""
    known = {}

    def once(source, *, clipped, sides_db, missing, executor):
        sound = hashlib.blake2b(np.ascontiguousarray(source.read(0, source.frames)))
        key = (sound.digest(), clipped.tobytes(), sides_db, tuple(map(tuple, missing)))
        if key not in known:
            known[key] = checked_up(source, clipped=clipped, sides_db=sides_db, missing=missing, executor=executor)
        return known[key]

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(checking_up, "checked_up", once)
        yield


@pytest.fixture
def studio(tmp_path, request):
    """A studio over an empty folder, or over a copy of what a fixture asks for that has data of its own."""
    ready = next((f"{name}_data" for name in ("two_people", "dropped") if name in request.fixturenames), "empty_data")
    linked_copy(request.getfixturevalue(ready), tmp_path / "data")
    studio = Studio(Settings(data=tmp_path / "data", workers=2))
    yield studio
    studio.close()


@pytest.fixture
def episode(studio):
    """An empty episode of a made-up show."""
    return make_episode(studio)


def make_episode(studio: Studio) -> int:
    show = studio.shows.make_show("Slack Water", "Marisol Vey")
    return studio.shows.make_episode(show.id, "The Pilot Ladder", 12).id


@pytest.fixture
def talk_file(tmp_path):
    """Makes WAV files of talk: `talk_file("marisol.wav", seconds=8)`."""

    def make(name="marisol_local.wav", *, seconds=8.0, seed=1, dbfs=-24.0):
        return write_talk(tmp_path / name, seconds, seed, dbfs)

    return make


def write_talk(path: Path, seconds: float, seed: int, dbfs: float = -24.0) -> Path:
    soundfile.write(path, talk(seconds, seed=seed, dbfs=dbfs), RATE, subtype="PCM_24")
    return path


def beginning(path: Path, to: Path, seconds: float) -> Path:
    """The first seconds of a file, as a WAV or FLAC file of the same name in another folder."""
    rate = soundfile.info(path).samplerate
    sound, _ = soundfile.read(path, frames=round(seconds * rate))
    soundfile.write(to / path.name, sound, rate, "PCM_24")
    return to / path.name


@pytest.fixture
def two_people(studio):
    """An episode with Marisol and Anders on tracks of their own, 12 s each."""
    return 1


@pytest.fixture(scope="session")
def empty_data(made_once) -> Path:
    """A data folder as it is after the first start: each of its own goes through all states of the database."""
    return made_once("empty-data", lambda data: Studio(Settings(data=data, workers=2)).close())


@pytest.fixture(scope="session")
def two_people_data(made_once) -> Path:
    """A data folder with the episode of `two_people`."""

    def make(data: Path) -> None:
        studio = Studio(Settings(data=data, workers=2))
        try:
            episode = make_episode(studio)
            with TemporaryDirectory() as folder:
                for seed, person in enumerate(("Marisol Vey", "Anders Quill"), 1):
                    studio.recordings.add_file(
                        episode, write_talk(Path(folder) / f"{seed}.wav", 12, seed), person=person
                    )
                    studio.jobs.wait()
        finally:
            studio.close()

    return made_once("two-people-data", make)


@pytest.fixture(scope="session")
def made_once(tmp_path_factory, worker_id) -> Callable[[str, Callable[[Path], None]], Path]:
    """Makes a folder by its name that all processes of a test run share: the first one makes it, others wait."""
    base = tmp_path_factory.getbasetemp()
    shared = base if worker_id == "master" else base.parent

    def once(name: str, make: Callable[[Path], None]) -> Path:
        folder = shared / name
        with (shared / f"{name}.lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            if not folder.exists():
                making = shared / f"{name}.making"
                make(making)
                making.rename(folder)
        return folder

    return once


@pytest.fixture(scope="session")
def sample(made_once) -> tuple[Path, Truth]:
    """The files of the sample episode and the truth about them."""
    folder = made_once("sample", assemble)
    return folder, Truth(**json.loads((folder / "truth.json").read_text()))


@pytest.fixture(scope="session")
def demo_data(sample, made_once) -> Path:
    """A data folder with the sample show in it, looked through for finds. Copy it before changing anything."""
    folder, truth = sample

    def make(data: Path) -> None:
        studio = Studio(Settings(data=data, workers=2))
        try:
            build(studio, folder, truth, lambda text: None)
            studio.finding.of_episode(2)
            studio.jobs.wait(300)
            studio.listening.standing(2, wait=True)
        finally:
            studio.close()

    return made_once("demo-data", make)


@pytest.fixture
def demo_copy(demo_data, tmp_path) -> Path:
    """The sample show to work in. All but the database is linked, not copied: files are never written to in place."""
    return linked_copy(demo_data, tmp_path / "demo")


def linked_copy(data: Path, to: Path) -> Path:
    """A data folder to work in, like another one that stays as it is."""
    shutil.copytree(data, to, copy_function=_link_or_copy)
    return to


def _link_or_copy(source: str, target: str) -> None:
    if Path(source).name.startswith(("pampa.db", "in-use")):
        shutil.copy2(source, target)
    else:
        Path(target).hardlink_to(source)
