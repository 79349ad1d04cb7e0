"""Chatter is proposed where people mark it themselves, and programme is never taken for it."""

import numpy as np
import pytest

from pampa.core.finds.chatter import find_chatter
from pampa.core.finds.finds import Find
from pampa.core.speech.activity import Activity
from pampa.core.speech.features import PER_S

LENGTH_S = 120


def person(spans, knock=None, falls=True):
    """Somebody who talks in these seconds, and knocks once: over at once, or with a voice that goes on."""
    talking = np.zeros(LENGTH_S * PER_S, bool)
    for first, last in spans:
        talking[round(first * PER_S) : round(last * PER_S)] = True
    level = np.where(talking, -20.0, -60.0).astype(np.float32)
    if knock is not None:
        at = round(knock * PER_S)
        level[at : at + (5 if falls else 30)] = -10
    quiet = np.full(talking.size, -200.0, np.float32)
    return Activity(talking, talking, level, -60.0, -20.0, quiet)


def found(one, other, knock=None):
    knocks = [Find("knock", 0, knock, knock + 0.3, 0.9, "")] if knock is not None else []
    return find_chatter([one, other], knocks)


CHAT = ([(2, 4), (7, 9)], [(4.5, 6.5)])
OPENING = [(14, 27), (40, 52), (70, 100)]
ANSWERS = [(30, 38), (55, 66)]


def test_what_is_said_before_a_clap_and_a_stop_is_chatter():
    before = found(person([*CHAT[0], *OPENING], knock=10), person([*CHAT[1], *ANSWERS]), knock=10)
    assert [(round(each.start_s), round(each.end_s)) for each in before] == [(2, 9)]


@pytest.mark.parametrize("case", ["a cough", "no stop", "one greets alone", "no clap"])
def test_a_programme_that_begins_at_once_is_left_alone(case):
    if case == "a cough":
        told = found(person([*CHAT[0], *OPENING], knock=10, falls=False), person([*CHAT[1], *ANSWERS]), knock=10)
    elif case == "no stop":
        told = found(person([(2, 9.5), (10.5, 27), *OPENING[1:]], knock=10), person([*ANSWERS]), knock=10)
    elif case == "one greets alone":
        told = found(person([(1, 11.5), *OPENING], knock=12), person([(11.6, 11.9), *ANSWERS]), knock=12)
    else:
        told = found(person([*CHAT[0], *OPENING]), person([*CHAT[1], *ANSWERS]))
    assert told == []


def test_a_few_words_of_both_after_the_closing_words_and_a_stop_are_chatter():
    told = found(person([*OPENING, (103, 104)]), person([*ANSWERS, (104.5, 106)]))
    assert [(round(each.start_s), round(each.end_s)) for each in told] == [(103, 106)]


def test_thanks_after_a_pause_belong_to_the_programme():
    assert found(person([*OPENING, (103, 104)]), person(ANSWERS)) == []


def test_a_guest_who_ends_on_a_long_answer_and_is_thanked_closes_nothing():
    host = person([(14, 27), (40, 52), (103, 104)])
    guest = person([(30, 38), (55, 66), (70, 100), (104.5, 106)])
    assert found(host, guest) == []
