"""Small files for batches, and workers on loopback."""

from types import SimpleNamespace

import pytest
import soundfile

from pampa.batch.plan import read_plan
from tests.conftest import write_talk


@pytest.fixture
def files(tmp_path):
    """Three short talks in a folder, one of them inside another one, and a file that is none."""
    (tmp_path / "in" / "deep").mkdir(parents=True)
    for seed, name in enumerate(("a", "b", "deep/c"), 1):
        write_talk(tmp_path / "in" / f"{name}.wav", 3, seed)
    (tmp_path / "in" / "broken.mp3").write_text("no sound")
    (tmp_path / "in" / "notes.txt").write_text("not asked for")
    return tmp_path


@pytest.fixture
def planned(files):
    """Makes a plan of a text."""

    def make(text, name="plan.toml"):
        (files / name).write_text(text)
        return read_plan(files / name)

    return make


@pytest.fixture(scope="module")
def workers():
    """A scheduler and two workers in processes of their own, on loopback."""
    import dask
    from distributed import LocalCluster

    # Work that kills two workers is given up, not only that which kills four: each takes seconds to come back.
    with (
        dask.config.set({"distributed.scheduler.allowed-failures": 1}),
        LocalCluster(
            n_workers=2, threads_per_worker=1, processes=True, host="127.0.0.1", dashboard_address=":0", silence_logs=50
        ) as cluster,
    ):
        yield SimpleNamespace(
            address=cluster.scheduler_address, pids=lambda: [worker.pid for worker in cluster.workers.values()]
        )


def sound_of(path):
    return soundfile.read(path, dtype="int32")[0]
