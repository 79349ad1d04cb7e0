"""What tests share: a studio over an empty folder, and the sample episode, assembled once."""

import shutil
from pathlib import Path

import pytest
import soundfile
from hypothesis import settings

from pampa.core.sound import RATE
from pampa.demo.assemble import Truth, assemble
from pampa.demo.build import build
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio
from tests.signals import talk

settings.register_profile("pampa", deadline=None)
settings.load_profile("pampa")


@pytest.fixture
def studio(tmp_path):
    studio = Studio(Settings(data=tmp_path / "data", workers=2))
    yield studio
    studio.close()


@pytest.fixture
def episode(studio):
    """An empty episode of a made-up show."""
    show = studio.shows.make_show("Slack Water", "Marisol Vey")
    return studio.shows.make_episode(show.id, "The Pilot Ladder", 12).id


@pytest.fixture
def talk_file(tmp_path):
    """Makes WAV files of talk: `talk_file("marisol.wav", seconds=8)`."""

    def make(name="marisol_local.wav", *, seconds=8.0, seed=1, dbfs=-24.0):
        path = tmp_path / name
        soundfile.write(path, talk(seconds, seed=seed, dbfs=dbfs), RATE, subtype="PCM_24")
        return path

    return make


@pytest.fixture
def two_people(studio, episode, talk_file):
    """An episode with Marisol and Anders on tracks of their own, 12 s each."""
    for seed, person in enumerate(("Marisol Vey", "Anders Quill"), 1):
        studio.recordings.add_file(episode, talk_file(f"{seed}.wav", seconds=12, seed=seed), person=person)
        studio.jobs.wait()
    return episode


@pytest.fixture(scope="session")
def sample(tmp_path_factory) -> tuple[Path, Truth]:
    """The files of the sample episode and the truth about them."""
    folder = tmp_path_factory.mktemp("sample")
    return folder, assemble(folder)


@pytest.fixture(scope="session")
def demo_data(sample, tmp_path_factory) -> Path:
    """A data folder with the sample show in it. Copy it before changing anything."""
    folder, truth = sample
    data = tmp_path_factory.mktemp("demo") / "data"
    studio = Studio(Settings(data=data, workers=2))
    try:
        build(studio, folder, truth, lambda text: None)
    finally:
        studio.close()
    return data


@pytest.fixture
def demo_copy(demo_data, tmp_path) -> Path:
    """The sample show to work in. Caches are linked, not copied: they are never written to in place."""
    data = tmp_path / "demo"
    shutil.copytree(demo_data, data, copy_function=_link_or_copy)
    return data


def _link_or_copy(source: str, target: str) -> None:
    if source.endswith(".f32"):
        Path(target).hardlink_to(source)
    else:
        shutil.copy2(source, target)
