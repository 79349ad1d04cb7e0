"""The job list: one job for a key, jobs that wait for others, and stops that outlive Pampa."""

import threading

import pytest

from pampa.core.errors import Cancelled
from pampa.store.models import Job
from pampa.studio.jobs import Jobs
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio


@pytest.fixture
def gate(studio):
    """Jobs of the kind "gate" run until it is opened; what has run is told in order."""
    opened, ran = threading.Event(), []

    def work(parameters, progress, job_id):
        opened.wait(20)
        ran.append(parameters["name"])

    studio.jobs.register("gate", work)
    studio.jobs.register("note", lambda parameters, progress, job_id: ran.append(parameters["name"]))
    yield opened, ran
    opened.set()


def begun_again(studio, kind, work):
    """The studio after a restart, with a kind of job that it does not have of its own."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Jobs, "resume", lambda jobs: None)
        again = Studio(Settings(data=studio.settings.data, workers=2))
    again.jobs.register(kind, work)
    again.jobs.resume()
    return again


def row(studio, number):
    with studio.jobs._sessions() as session:
        return session.get_one(Job, number)


def test_what_is_open_under_a_key_is_not_begun_twice(studio, episode, gate):
    opened, ran = gate
    first = studio.jobs.start("gate", episode, "Gate", key="the gate", name="a")
    assert studio.jobs.start("gate", episode, "Gate", key="the gate", name="b") == first
    assert studio.jobs.open_with("the gate") == first
    opened.set()
    studio.jobs.wait()
    assert ran == ["a"]
    assert studio.jobs.open_with("the gate") is None
    assert studio.jobs.start("gate", episode, "Gate", key="the gate", name="c") != first
    studio.jobs.wait()
    assert ran == ["a", "c"]


def test_many_who_ask_at_once_get_one_job(studio, episode, gate):
    opened, ran = gate
    numbers = []
    ask = lambda: numbers.append(studio.jobs.start("gate", episode, "Gate", key="one", name="a"))  # noqa: E731
    threads = [threading.Thread(target=ask) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    opened.set()
    studio.jobs.wait()
    assert len(set(numbers)) == 1
    assert ran == ["a"]


def test_a_job_waits_for_those_before_it_however_they_end(studio, episode, gate):
    opened, ran = gate
    first = studio.jobs.start("gate", episode, "Gate", name="first")
    second = studio.jobs.start("gate", episode, "Gate", name="second")
    last = studio.jobs.start("note", episode, "Note", key="note", after=[first], name="last")
    assert studio.jobs.start("note", episode, "Note", key="note", after=[second], name="never") == last
    assert row(studio, last).after == [first, second]
    studio.jobs.cancel(second)
    opened.set()
    studio.jobs.wait()
    assert ran[-1] == "last"
    assert "never" not in ran


def test_a_job_that_waited_for_others_is_taken_up_after_a_restart(studio, episode, gate):
    opened, _ = gate
    first = studio.jobs.start("gate", episode, "Gate", name="first")
    last = studio.jobs.start("note", episode, "Note", after=[first], name="last")
    opened.set()
    studio.close()
    with studio.jobs._sessions.begin() as session:
        session.get_one(Job, first).state = "done"
        session.get_one(Job, last).state = "waiting"
    ran = []
    again = begun_again(studio, "note", lambda parameters, progress, job_id: ran.append(parameters["name"]))
    again.jobs.wait()
    assert ran == ["last"]
    again.close()


def test_a_job_that_was_told_to_stop_is_not_taken_up_again(studio, episode):
    """Pampa is killed after somebody pressed Stop and before the job has noticed."""
    begun, release = threading.Event(), threading.Event()

    def work(parameters, progress, job_id):
        begun.set()
        release.wait(20)
        raise Cancelled

    studio.jobs.register("long", work)
    number = studio.jobs.start("long", episode, "Long")
    begun.wait(10)
    studio.jobs.cancel(number)
    assert row(studio, number).stopping
    assert row(studio, number).state == "running"
    release.set()
    studio.jobs.wait()
    with studio.jobs._sessions.begin() as session:  # as the kill would have left it
        session.get_one(Job, number).state = "running"
    studio.close()
    again = begun_again(studio, "long", lambda parameters, progress, job_id: pytest.fail("it was begun again"))
    again.jobs.wait()
    assert row(again, number).state == "cancelled"
    again.close()
