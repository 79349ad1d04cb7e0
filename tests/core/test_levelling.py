"""Levelling: every phrase at one loudness, and no room that comes up between them."""

from pathlib import Path

import numpy as np
import pytest
from bench.levelling import lift, lines, make, spread, steepest

import pampa
from pampa.core.loudness import measure_part
from pampa.core.sound import RATE, ArraySource
from pampa.core.speech.phrases import phrases_of
from pampa.core.voice.level_file import levelled
from pampa.core.voice.levelling import along, level_gain_db, told
from tests.signals import noise, silence, sine, talk


@pytest.fixture(scope="module")
def voices():
    return lines(Path(pampa.__file__).parent / "demo" / "voices")


def level(sound):
    return levelled(ArraySource(sound)).read(0, len(sound))


@pytest.mark.parametrize("kind", ["people", "sentences", "leaning in", "shouts and whispers", "answers at once"])
@pytest.mark.parametrize("loud_room", [False, True])
def test_sentences_come_out_even_and_the_room_stays_down(voices, kind, loud_room):
    """On voices with which nothing was tuned; the bench has more of them."""
    item = make(kind, voices, 7, loud_room=loud_room, count=14)
    sound = level(item.sound)
    assert spread(item, item.sound) > 5
    assert spread(item, sound) <= 1.0
    assert lift(item, sound) <= 2
    # 12 dB a second; the sound of a cell may lie at its edge, which makes 220 ms out of the 200 that are told.
    assert steepest(item, sound) <= 12 * 1.1


def test_an_even_file_stays_as_it_is(voices):
    item = make("even", voices, 3, count=14)
    sound = level(item.sound)
    talk_at = np.concatenate([np.arange(a, b) for a, b in item.sentences])
    whole = 10 * np.log10(np.mean(sound[talk_at] ** 2) / np.mean(item.sound[talk_at] ** 2))
    assert abs(whole) < 0.2
    assert spread(item, sound) - spread(item, item.sound) < 0.2


def test_talk_is_levelled_where_it_is_uneven_and_left_where_it_is_even():
    """Nine minutes at one level, then one in which every other phrase is 8 dB softer; all scatter by 1 dB.

    Minutes before that one, nothing of it is left.
    """
    rng = np.random.default_rng(4)
    energy = np.full(30_000, 1e-7)
    starts = np.arange(50, 30_000 - 150, 150)
    for n, start in enumerate(starts):
        soft = -8.0 if start > 27_000 and n % 2 else 0.0
        energy[start : start + 100] = 10 ** ((-24 + soft + rng.normal(0, 1)) / 10)
    gain = level_gain_db(energy)
    even = np.array([gain[start + 50] for start in starts if start < 15_000])
    uneven = np.array([gain[start + 50] for n, start in enumerate(starts) if start > 28_000 and n % 2])
    assert np.ptp(even) < 0.5
    assert uneven.min() > np.median(even) + 5


def test_the_gain_does_not_stay_up_after_somebody_soft():
    """Soft talk, four seconds of room, soft talk, and loud talk in between: the middle of the pause is at rest."""
    room = noise(30, dbfs=-60)
    sound = room.copy()
    for at, dbfs in ((1, -20), (8, -32), (16, -32), (23, -20)):
        sound[at * RATE : (at + 4) * RATE] += talk(4, dbfs=dbfs)
    gain = level_gain_db(measure_part(sound, RATE).energy)
    assert gain[10 * 50] > 3
    assert gain[14 * 50] == pytest.approx(0, abs=0.01)
    assert gain[18 * 50] > 3
    assert np.abs(np.diff(gain)).max() * 50 <= 12 + 1e-6


def test_what_a_phrase_lacks_at_its_ends_it_is_given_in_between():
    """Two people 9 dB apart who answer at once: 12 dB a second takes 0.75 s from the one gain to the other."""
    energy = np.full(4_700, 1e-8)
    spans = [(50 + 305 * n + 150 * (n // 2), 350 + 305 * n + 150 * (n // 2)) for n in range(12)]
    for n, (start, stop) in enumerate(spans):
        energy[start:stop] = 10 ** ((-24 - 9 * (n % 2)) / 10)
    gain_db = level_gain_db(energy)
    loud = [10 * np.log10(np.mean(energy[a:b] * 10 ** (gain_db[a:b] / 10))) for a, b in spans]
    assert np.ptp(loud[1:-1]) < 0.2
    assert np.abs(np.diff(gain_db)).max() <= 12 / 50 + 1e-9


def test_a_breath_or_a_knock_far_under_the_talk_is_not_lifted():
    sound = np.concatenate(
        [talk(4, dbfs=-20), noise(1, dbfs=-70), noise(0.4, dbfs=-46), noise(1, dbfs=-70), talk(4, dbfs=-20)]
    )
    gain = level_gain_db(measure_part(sound, RATE).energy)
    assert gain[round(5.2 * 50)] < 0.5


def test_a_phrase_is_parted_where_one_person_answers_another_at_once(voices):
    (_, one), (_, other) = sorted(voices.items())[:2]
    sound = np.concatenate([silence(1), one[0], other[0] * np.float32(0.25), silence(1)])
    phrases = phrases_of(measure_part(sound, RATE).energy)
    edge = (RATE + len(one[0])) / 960
    assert min(abs(phrase.start - edge) for phrase in phrases) < 25


@pytest.mark.parametrize("person", [0, 1])
def test_a_soft_person_in_a_loud_room_is_as_loud_as_in_a_quiet_one(voices, person):
    """Of soft words only the middles rise over the room: they alone are 1 dB louder than what is said."""
    said = [line * np.float32(10 ** (-12 / 20)) for line in sorted(voices.items())[person][1][:8]]
    sound = np.concatenate([part for line in said for part in (silence(1), line)] + [silence(1)])
    quiet, loud = (
        _loudness_of(phrases_of(measure_part(sound + noise(len(sound) / RATE, dbfs=dbfs)[: len(sound)], RATE).energy))
        for dbfs in (-70, -45)
    )
    assert abs(loud - quiet) < 0.6


def _loudness_of(phrases):
    """Of all phrases together, in LUFS."""
    cells = np.array([phrase.stop - phrase.start for phrase in phrases])
    return 10 * np.log10(cells @ 10 ** (np.array([phrase.lufs for phrase in phrases]) / 10) / cells.sum())


@pytest.mark.parametrize(
    "sound", [silence(2), noise(3, dbfs=-50), sine(440, seconds=3), noise(3, dbfs=0), talk(0.4), silence(0.01)]
)
def test_anything_gives_a_finite_gain_of_its_length(sound):
    energy = measure_part(sound, RATE).energy
    gain = level_gain_db(energy)
    assert gain.shape == energy.shape
    assert np.isfinite(gain).all()
    assert np.abs(gain).max(initial=0) < 1.5
    assert np.isfinite(level(sound)).all()


@pytest.mark.parametrize(("end_s", "phrases"), [(0.7, 1), (1.4, 2)])
def test_the_soft_end_of_a_sentence_is_not_another_person(end_s, phrases):
    """Who ends on a soft word is not lifted for it, and who answers at once does not come in too loud after it."""
    energy = np.full(250, 1e-8)
    energy[20:120] = 10**-2.4
    energy[120 : 120 + round(end_s * 50)] = 10**-3.1
    assert len(phrases_of(energy)) == phrases


def test_a_gain_is_the_same_in_any_division():
    gain = np.array([0.0, 3.0, -4.0, 2.0])
    whole = along(gain, -50, 5000)
    assert np.array_equal(np.concatenate([along(gain, -50, 777), along(gain, 777, 5000)]), whole)
    assert along(np.zeros(0), 0, 10).tolist() == [1.0] * 10


def test_it_is_told_in_numbers():
    assert "even" in told(np.zeros(100))
    assert told(np.repeat([-5.0, 3.0], 500)) == "from −3.0 to +5.0 dB, phrase by phrase"
