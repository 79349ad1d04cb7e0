"""Threads that share the work: in order, the most urgent first, and never more at once than there are."""

import threading
import time
from functools import partial

import pytest

from pampa.core.executor import Threads, Urgency, urgent


class Watched:
    """Work that notes what was begun, and how many were at it at once."""

    def __init__(self, seconds=0.01):
        self.lock, self.seconds = threading.Lock(), seconds
        self.begun, self.at_work, self.most = [], 0, 0

    def __call__(self, name):
        with self.lock:
            self.begun.append(name)
            self.at_work += 1
            self.most = max(self.most, self.at_work)
        time.sleep(self.seconds)
        with self.lock:
            self.at_work -= 1
        return name


def in_background(work):
    thread = threading.Thread(target=work)
    thread.start()
    return thread


def test_results_come_in_order_and_several_maps_share_the_same_threads():
    executor, work = Threads(2), Watched()
    found = {}

    def one(name):
        found[name] = list(executor.map(work, [(name, n) for n in range(8)]))

    for thread in [in_background(partial(one, name)) for name in range(4)]:
        thread.join()
    assert found == {name: [(name, n) for n in range(8)] for name in range(4)}
    assert work.most == 2


def test_of_a_few_things_the_next_begins_as_soon_as_one_is_done():
    """However long the first takes, the others do not wait for it."""
    executor, others = Threads(2), threading.Semaphore(0)
    done = []

    def first():
        assert all(others.acquire(timeout=5) for _ in range(6))
        done.append("first")

    def short():
        done.append("short")
        others.release()

    executor.at_once([first, *[short] * 6])
    assert done == ["short"] * 6 + ["first"]


def test_what_fails_of_a_few_things_is_raised_and_the_others_are_left():
    def fails():
        raise ValueError("no")

    with pytest.raises(ValueError, match="no"):
        Threads(2).at_once([fails, lambda: None])


def test_work_that_asks_for_more_work_does_it_itself():
    executor, work = Threads(2), Watched()
    nested = executor.map(lambda n: list(executor.map(work, [(n, k) for k in range(3)])), range(4))
    assert list(nested) == [[(n, k) for k in range(3)] for n in range(4)]
    assert work.most == 2


def test_the_most_urgent_is_begun_first():
    executor, work, gate = Threads(1), Watched(0), threading.Event()
    waiting = [in_background(lambda: list(executor.map(lambda _: gate.wait(5), [0])))]
    while not executor._threads or executor._waiting:
        time.sleep(0.001)

    def asked(name, urgency):
        with urgent(urgency):
            list(executor.map(work, [name]))

    for n, (name, urgency) in enumerate([("job", Urgency.WORK), ("picture", Urgency.SEEN), ("sound", Urgency.HEARD)]):
        waiting.append(in_background(partial(asked, name, urgency)))
        while len(executor._waiting) <= n:
            time.sleep(0.001)
    gate.set()
    for thread in waiting:
        thread.join()
    assert work.begun == ["sound", "picture", "job"]


def test_while_somebody_waits_for_sound_nothing_else_is_begun():
    executor, work = Threads(2), Watched(0)
    with executor.heard():
        jobs = in_background(lambda: list(executor.map(work, range(6))))
        time.sleep(0.1)
        assert work.begun == []
    jobs.join()
    assert len(work.begun) == 6


def test_whoever_holds_what_the_threads_wait_for_does_his_own_work():
    """Both threads wait for a lock whose holder waits for the threads."""
    executor, held = Threads(2), threading.Lock()

    def needs_it():
        with held:
            return "after"

    with held:
        others = [in_background(lambda: executor.seen(needs_it)) for _ in range(2)]
        time.sleep(0.05)
        assert list(executor.map(abs, [-1, -2])) == [1, 2]
    for thread in others:
        thread.join(5)
        assert not thread.is_alive()


def test_an_error_reaches_who_asked_and_what_is_left_is_not_begun():
    executor, work = Threads(1), Watched()

    def fails(n):
        if n == 1:
            raise ValueError("this one")
        return work(n)

    with pytest.raises(ValueError, match="this one"):
        list(executor.map(fails, range(50)))
    assert list(executor.map(abs, [-3])) == [3]
    assert len(work.begun) < 4
