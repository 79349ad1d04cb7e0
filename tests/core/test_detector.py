"""Where somebody speaks, told from levels alone: rooms, noises and recorders of several kinds."""

import numpy as np
import pytest

from pampa.core.speech.detector import SILENT_DB, levels_of, room_db, smoothed_db, where_spoken

CELLS = 1500


def spoken(rng, pauses_s=1.2):
    """True for cells of 20 ms in which somebody speaks: words of 0.3 to 1.5 s between pauses."""
    where = np.zeros(CELLS, bool)
    at = 40
    while at < CELLS - 100:
        length = int(rng.integers(15, 75))
        where[at : at + length] = True
        at += length + int(rng.integers(20, round(50 * pauses_s)))
    return where


def energy(where, talk_db, room_db, rng, wavers_db=0.3):
    """Mean squares of words that rise and fall by some dB, over a room that wavers."""
    talk = np.where(where, 10 ** ((talk_db + rng.normal(0, 3, where.size)) / 10), 0.0)
    return talk + 10 ** ((room_db + rng.normal(0, wavers_db, where.size)) / 10)


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("room", [-75, -55, -40])
def test_words_are_told_from_rooms_of_any_loudness(room, seed):
    rng = np.random.default_rng(seed)
    where = spoken(rng)
    told = where_spoken(energy(where, -24, room, rng))
    inside = np.convolve(where, np.ones(5), "same") == 5
    outside = np.convolve(where, np.ones(9), "same") == 0
    assert told[inside].mean() > 0.97
    assert told[outside].mean() < 0.01


def test_a_recorder_that_gates_has_no_room_in_its_silence():
    rng = np.random.default_rng(1)
    where = spoken(rng)
    gated = np.where(np.convolve(where, np.ones(15), "same") > 0, energy(where, -24, -60, rng), 0.0)
    levels = levels_of(smoothed_db(gated, 3))
    assert levels.room_db == pytest.approx(-60, abs=2.5)
    silent = np.convolve(gated, np.ones(3), "same") == 0
    assert silent.sum() > 50
    assert not levels.room[silent].any()
    assert levels.talk()[where].mean() > 0.97


@pytest.mark.parametrize("wavers_db", [0.1, 1.0, 2.0])
def test_noise_that_wavers_is_nobody(wavers_db):
    rng = np.random.default_rng(2)
    assert not where_spoken(energy(np.zeros(CELLS, bool), 0, -40, rng, wavers_db)).any()


def test_what_is_asked_for_the_soft_ends_reaches_farther():
    rng = np.random.default_rng(3)
    where = spoken(rng)
    sound = energy(where, -24, -75, rng)
    tail = np.flatnonzero(np.diff(where.astype(int)) == -1)[2] + 1
    sound[tail : tail + 8] += 10 ** (-45.5 / 10)
    levels = levels_of(smoothed_db(sound, 1))
    soft, sure = levels.talk(under_top_db=30.0), levels.talk()
    assert soft[tail : tail + 8].all()
    assert not sure[tail : tail + 8].any()
    assert not (sure & ~soft).any()


@pytest.mark.parametrize("sound", [np.zeros(0), np.zeros(200), np.full(1, 1e-4), np.full(300, 1e-4)])
def test_nobody_speaks_in_nothing_and_in_a_steady_sound(sound):
    assert not where_spoken(sound).any()
    assert where_spoken(sound).size == sound.size


def test_the_room_is_what_lies_around_the_quietest_tenth():
    level = np.concatenate([np.full(100, -130.0), np.full(50, -62.0), np.full(50, -60.0), np.full(300, -20.0)])
    assert room_db(level) == pytest.approx(10 * np.log10((10**-6.2 + 10**-6) / 2))
    assert room_db(np.full(9, -150.0)) == SILENT_DB
