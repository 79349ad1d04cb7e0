"""The same on workers of a scheduler: same bits, nothing lost when one dies, and the studio's own jobs."""

import os
import signal
import threading
import time

import numpy as np
import pytest

from pampa.batch.run import run
from pampa.batch.task import lost
from pampa.core.cluster import Beside, Cluster
from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim
from pampa.core.errors import PampaError
from pampa.core.executor import Threads, Urgency, urgent
from pampa.studio.sending import Wanted
from tests.batch.conftest import sound_of
from tests.conftest import write_talk

pytestmark = pytest.mark.long
PLAN = """out = "OUT"
SHARED
[[work]]
files = ["in"]
do = ["clean", "level", "deliver"]
format = "flac"
"""


@pytest.mark.parametrize("address", ["{folder}/share", "file://{folder}/share"])
def test_workers_make_the_same_bits_though_one_is_killed_in_mid_run(planned, files, workers, address):
    for seed in range(4):
        write_talk(files / "in" / f"more{seed}.wav", 6, seed=20 + seed)
    shared = address.format(folder=files)
    there = planned(PLAN.replace("OUT", "there").replace("SHARED", f'shared = "{shared}"'), "there.toml")
    here = planned(PLAN.replace("OUT", "here").replace("SHARED", ""), "here.toml")
    cluster = Cluster(workers.address, lost)
    killed = threading.Event()

    def told(name, share):
        if not killed.is_set():
            killed.set()
            os.kill(workers.pids()[0], signal.SIGKILL)

    try:
        outcomes = run(there, cluster, elsewhere=True, told=told)
    finally:
        cluster.close()
    assert killed.is_set()
    assert [each["state"] for each in outcomes].count("done") == 7
    run(here, Threads(2), elsewhere=False)
    made = sorted((files / "here").rglob("*.flac"))
    assert len(made) == 7
    for path in made:
        assert np.array_equal(sound_of(path), sound_of(files / "there" / path.relative_to(files / "here"))), path


def poison(item):
    if item == 1:
        time.sleep(0.5)
        os._exit(1)
    return item * 10


def test_an_item_that_kills_every_worker_is_left_out_and_what_waited_beside_it_is_done(workers):
    cluster = Cluster(workers.address, lambda item: f"lost {item}")
    try:
        assert list(cluster.map(poison, range(5))) == [0, "lost 1", 20, 30, 40]
    finally:
        cluster.close()


def test_nobody_at_the_address_is_told(monkeypatch):
    monkeypatch.setattr("pampa.core.cluster.ANSWERS_WITHIN_S", 0.5)
    with pytest.raises(PampaError, match="No scheduler answers"):
        Cluster("tcp://127.0.0.1:1")


def where(item):
    time.sleep(0.01)
    return os.getpid()


def test_jobs_go_to_workers_what_is_heard_stays_and_a_lost_scheduler_is_made_up_for(workers):
    beside = Beside(2, Cluster(workers.address))
    assert set(beside.map(where, range(4))) <= set(workers.pids())
    with urgent(Urgency.HEARD):
        assert set(beside.map(where, range(4))) == {os.getpid()}
    unsendable = threading.Lock()
    assert list(beside.map(lambda item: (item, unsendable.locked()), [1])) == [(1, False)]
    beside.close()
    assert list(beside.map(where, range(2))) == [os.getpid()] * 2


def test_a_studio_delivers_the_same_bits_with_workers(studio, two_people, workers, monkeypatch):
    wanted = [Wanted(Format("flac", 24), Aim(-16.0, -1.0))]

    def made():
        studio.sending.start(two_people, wanted)
        studio.jobs.wait()
        return sound_of(studio.sending.file(studio.sending.of_episode(two_people)[0].id)[0])

    here = made()
    beside = Beside(2, Cluster(workers.address))
    for part in (studio.sending, studio.listening, studio.sounds):
        monkeypatch.setattr(part, "_executor", beside)
    try:
        studio.space.empty_caches()
        assert np.array_equal(made(), here)
    finally:
        beside.close()
