"""Restarts: what is said again, told from phones; and what is not taken for one."""

import numpy as np
import pytest

from pampa.core.finds import judge
from pampa.core.finds.restarts import _apart, candidates_of, standing_out, tries_of
from pampa.core.finds.said_again import Said, against_cohort, likenesses, said_by
from pampa.core.speech.sounds import KINDS, PHONES, Sounds

EACH = 8
"""Frames that a phone lasts here."""


def spoken(*phones, each=EACH, sure=0.9):
    """Sounds of somebody who says these phones, and words wherever it is not "sil"."""
    rows = np.full((len(phones) * each, len(PHONES)), (1 - sure) / (len(PHONES) - 1))
    kinds = np.zeros((len(rows), len(KINDS)), np.uint8)
    for n, phone in enumerate(phones):
        rows[n * each : (n + 1) * each, PHONES.index(phone)] = sure
        kinds[n * each : (n + 1) * each, KINDS.index("rest" if phone == "sil" else "word")] = 255
    return Sounds(kinds, np.zeros(len(rows), np.uint8), np.round(255 * np.sqrt(rows)).astype(np.uint8))


def words_and_said(sounds):
    words = sounds.kinds[:, KINDS.index("word")] > 0
    return words, said_by(sounds, words)


def tries(sounds):
    words, said = words_and_said(sounds)
    return tries_of(said, words)


def candidates(sounds):
    return candidates_of(sounds, *words_and_said(sounds))


SILENT = ["sil"] * 4
GOES_ON = ["aa", "k", "iy", "n", "uw", "z"]


def test_a_beginning_that_is_said_again_is_found_with_its_edges():
    found = tries(spoken(*SILENT, "w", "iy", "g", "ow", "w", "iy", "g", "ow", *GOES_ON, *SILENT))
    best = max(found, key=lambda each: each.score)
    assert (best.start, best.stop, best.again) == (4 * EACH, 8 * EACH, 8 * EACH)
    assert best.alike_until == best.stop
    assert best.again_until == 12 * EACH


@pytest.mark.parametrize("stop", [1, 6, 15])
def test_a_stop_between_may_last_a_while(stop):
    found = tries(spoken(*SILENT, "w", "iy", "g", "ow", *["sil"] * stop, "w", "iy", "g", "ow", *GOES_ON, *SILENT))
    best = max(found, key=lambda each: each.score)
    assert (best.stop, best.again) == (8 * EACH, (8 + stop) * EACH)


def test_a_try_that_ended_otherwise_than_it_was_said_again_is_found_too():
    found = tries(spoken(*SILENT, "w", "iy", "g", "ow", "f", "er", "sil", "w", "iy", "g", "ow", *GOES_ON, *SILENT))
    best = max(found, key=lambda each: each.score)
    assert (best.start, best.alike_until, best.stop) == (4 * EACH, 8 * EACH, 10 * EACH)


def test_it_may_be_said_again_faster():
    slow = spoken(*SILENT, "w", "iy", "g", "ow")
    fast = spoken("w", "iy", "g", "ow", *GOES_ON, *SILENT, each=6)
    both = Sounds(*(np.concatenate([a, b]) for a, b in zip(vars(slow).values(), vars(fast).values(), strict=True)))
    best = max(tries(both), key=lambda each: each.score)
    assert best.start == pytest.approx(4 * EACH, abs=4)
    assert best.again == 8 * EACH


def test_nothing_is_said_again_where_all_phones_differ():
    assert not [each for each in tries(spoken(*SILENT, *PHONES[1:], *SILENT)) if each.score > 8]


def broken(sounds, first, last):
    """The same, where the network takes what lies between two frames for broken off; and what may be restarts then."""
    taken_back = sounds.taken_back.copy()
    taken_back[first:last] = 200
    told = Sounds(sounds.kinds, taken_back, sounds.phones)
    return candidates(told)


def test_a_word_that_is_broken_off_and_said_otherwise_is_found_by_how_it_breaks_off():
    sounds = spoken(*SILENT, "w", "iy", "sil", "sil", *GOES_ON, *SILENT)
    assert not candidates(sounds)
    found = broken(sounds, 4 * EACH, 6 * EACH)
    assert [(each.start, each.stop, each.again) for each in found] == [(4 * EACH, 6 * EACH, 8 * EACH)]
    assert found[0].score == 0
    assert found[0].broken_off


def test_what_is_broken_off_and_comes_again_has_the_score_of_its_likeness():
    sounds = spoken(*SILENT, "w", "iy", "g", "ow", "w", "iy", "g", "ow", *GOES_ON, *SILENT)
    best = max(candidates(sounds), key=lambda each: each.score)
    assert broken(sounds, 4 * EACH + 3, 8 * EACH)[-1].score == best.score


def test_what_nothing_follows_was_not_begun_anew():
    sounds = spoken(*GOES_ON, *["sil"] * 30)
    assert not [each for each in broken(sounds, 4 * EACH, 6 * EACH) if each.again >= 6 * EACH]


def test_of_two_that_lie_over_each_other_the_one_that_ranks_higher_is_taken():
    one, two = candidates_of_two()
    assert [each for _, each in _apart([(0.6, one), (0.9, two)])] == [two]
    assert [each for _, each in _apart([(0.9, one), (0.6, two)])] == [one]


def candidates_of_two():
    sounds = spoken(*SILENT, "w", "iy", "g", "ow", "w", "iy", "g", "ow", *GOES_ON, *SILENT)
    found = broken(sounds, 4 * EACH + 3, 8 * EACH)
    assert len(found) >= 2
    return found[0], found[-1]


def stands_out(talk, also=()):
    """Of somebody who says "wi" twice after a long stop, amid other talk and what is `also` said: how far it does."""
    stop = SILENT * 3
    before, after = (list(np.random.default_rng(seed).permutation(talk)) for seed in (1, 2))
    sounds = spoken(*before, *also, *stop, "w", "iy", "w", "iy", *stop, *after, *also)
    _, said = words_and_said(sounds)
    again = np.array([(len(talk) + len(also) + len(stop) + 2) * EACH])
    return against_cohort(said, again - 2 * EACH, again, again)[0]


def test_what_comes_again_by_chance_too_stands_out_less_than_what_does_not():
    others = [phone for phone in PHONES[1:] if phone not in ("w", "iy")] * 3
    rare, common = stands_out(others), stands_out(others, ["w", "iy", "k", "aa"] * 20)
    assert (rare > common).all()
    assert (rare[[1, 3]] > 0).all(), "more alike than at any other moment"
    assert (common[[1, 3]] < 0.1 * rare[[1, 3]]).all(), "others are as much alike"


def test_where_there_is_nothing_else_nothing_stands_out():
    assert not stands_out([]).any()
    sounds = spoken(*SILENT, "w", "iy", "g", "ow", "w", "iy", "g", "ow", *GOES_ON, *SILENT)
    _, said = words_and_said(sounds)
    assert len(standing_out(tries(sounds), said)) == len(tries(sounds)) > 0
    assert standing_out([], said) == []


def test_no_frames_and_no_words_are_no_trouble():
    assert tries(spoken()) == []
    assert tries(spoken(*SILENT)) == []


def test_the_kernel_never_reaches_over_the_end():
    said = Said(np.full((30, 4), 0.5, np.float32), np.array([1, 29]))
    table = likenesses(said, np.array([1, 29]), np.array([1, 29]))
    assert table.shape == (2, 4)
    assert (table[:, 3] <= 30).all()


@pytest.mark.parametrize("kind", ["filler", "restart", "agreement", "breath"])
def test_a_judge_is_sure_between_nothing_and_everything_whatever_it_is_told(kind):
    names, (mean, *_) = judge._weights(kind)
    assert len(names) == len(set(names)) == mean.size
    sure = judge.sure(kind, [dict.fromkeys(names, value) for value in (0.0, 1e6, -1e6)])
    assert ((sure >= 0) & (sure <= 1)).all()
    assert judge.sure(kind, []).shape == (0,)
