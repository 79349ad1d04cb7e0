"""Work in processes of its own: what they say, and what becomes of them when they fail or are stopped."""

import os

import pytest

from pampa.core.faults import ASKED
from pampa.core.files.children import ChildFailed, ask_child

CHILD = "tests.core.childish"


class Stopped(Exception):
    """Somebody asked for a stop."""


def test_a_child_answers_from_a_process_of_its_own_that_no_fault_is_asked_of(monkeypatch):
    monkeypatch.setenv(ASKED, "whole:1")
    first, second = (ask_child(CHILD, "environment") for _ in range(2))
    assert first["seen"] is None
    assert len({first["pid"], second["pid"], os.getpid()}) == 3


@pytest.mark.parametrize(
    ("asked", "said"),
    [("crash", "the lead line parted"), ("raise", "a knot"), ("half", "ended with 0"), ("babble", "ended with -9")],
)
def test_a_child_without_an_answer_has_failed_and_the_log_says_what_it_said(caplog, asked, said):
    with pytest.raises(ChildFailed, match="ended with"):
        ask_child(CHILD, asked)
    assert said in caplog.text


def test_whoever_stops_it_ends_the_child():
    seen = []

    def progress(doing, share):
        seen.append((doing, share))
        raise Stopped

    with pytest.raises(Stopped):
        ask_child(CHILD, "wait", progress)
    assert seen == [("Reading", 0.1)]
