"""Bleed, gate and drop-outs: what others say and what is missing, with word ends whole."""

import numpy as np
import pytest

from pampa.core.mend.amounts import Amounts, Other
from pampa.core.mend.clean import basis, chain, measure
from pampa.core.mend.processes import Facts
from pampa.core.mend.sharing import shares_db
from pampa.core.runs import runs_of
from pampa.core.sound import RATE, ArraySource
from pampa.core.speech.activity import activities
from pampa.core.speech.features import PER_S, measure_features
from pampa.core.sync.one_room import hearing_db, in_one_room, polarity
from pampa.core.timeline.document import Clip, Document, Mending, Track
from pampa.core.timeline.mending import amounts_in
from pampa.demo.assemble import ANDERS, MARISOL
from tests.core.test_mending import NO_FACTS, voice
from tests.signals import noise

BLEED_DB = -17.0


@pytest.fixture(scope="module")
def two_microphones():
    """Marisol and Anders in one room for 30 s: each hears the other softer. Sources, and the dry voices."""
    dry = [voice(person, 60) for person in (MARISOL, ANDERS)]
    leak = np.float32(10 ** (BLEED_DB / 20))
    heard = [own + leak * other + noise(30, dbfs=-72, seed=n)
             for n, (own, other) in enumerate((dry, dry[::-1]))]  # fmt: skip
    return [ArraySource(sound, RATE) for sound in heard], dry


def level_db(sound):
    return 10 * np.log10(np.mean(sound.astype(np.float64) ** 2) + 1e-20)


def frames_of(dry):
    (person,) = activities([measure_features(ArraySource(dry, RATE))])
    return person.talking


def test_others_are_lowered_while_they_talk_and_own_word_ends_stay_whole(two_microphones):
    """15 dB down and more; the last 100 ms of what is said within 1 dB, but for a soft yes under the other's talk."""
    (own, other), (dry, theirs) = two_microphones
    facts = Facts(np.zeros((0, 2)), others=lambda: [measure_features(other)])
    amounts = Amounts(bleed=100, among=(Other(2, 0),))
    before, after = own.read(0, own.frames), chain(own, amounts, measure(own, amounts, facts)).read(0, own.frames)
    talking, leaking = frames_of(dry), frames_of(theirs)
    near = np.convolve(talking, np.ones(61), "same") > 0
    alone = np.repeat(leaking & ~near[: leaking.size], RATE // PER_S)[: len(before)]
    assert level_db(after[: alone.size][alone]) <= level_db(before[: alone.size][alone]) - 15
    for first, last in runs_of(talking, bridge=8):
        end = slice(int(last - 10) * RATE // PER_S, int(last) * RATE // PER_S)
        if last - first > 80 and level_db(before[end]) > -60:
            assert abs(level_db(after[end]) - level_db(before[end])) < 1


def test_with_nobody_else_there_is_no_bleed(two_microphones):
    (own, _), _ = two_microphones
    assert measure(own, Amounts(bleed=100), NO_FACTS)["bleed"] is None


def test_pauses_are_lowered_by_what_was_asked_and_speech_keeps_its_samples(two_microphones):
    (own, _), _ = two_microphones
    alone = ArraySource(voice(MARISOL, 60) + noise(30, dbfs=-60), RATE)
    amounts = Amounts(gate=100)
    measured = measure(alone, amounts, NO_FACTS)
    before, after = alone.read(0, alone.frames), chain(alone, amounts, measured).read(0, alone.frames)
    start, stop = max(measured["gate"], key=lambda place: place[1] - place[0])
    assert level_db(before[start:stop]) - level_db(after[start:stop]) == pytest.approx(18, abs=0.1)
    talking = np.repeat(frames_of(voice(MARISOL, 60)), RATE // PER_S)
    assert (before[: talking.size][talking] == after[: talking.size][talking]).mean() > 0.99
    assert own.channels == 1


def with_gaps(stretches):
    sound = voice(MARISOL, 60) + noise(30, dbfs=-60)
    spoilt = sound.copy()
    for start, stop in stretches:
        spoilt[start:stop] = 0
    return sound, ArraySource(spoilt, RATE)


def loud_places(sound, count):
    power = (sound[: len(sound) // 4800 * 4800].reshape(-1, 4800) ** 2).mean(axis=1)
    return [int(cell) * 4800 + 1200 for cell in sorted(np.argsort(power)[::-1][: 3 * count : 3])]


def test_short_gaps_go_on_as_the_sound_around_them_and_nothing_else_changes():
    sound, _ = with_gaps([])
    stretches = [(place, place + 240) for place in loud_places(sound, 4)]
    truth, source = with_gaps(stretches)
    amounts = Amounts(drop_outs=100)
    out = chain(source, amounts, measure(source, amounts, NO_FACTS)).read(0, source.frames)
    gone = np.zeros(len(truth), bool)
    for start, stop in stretches:
        gone[start:stop] = True
    np.testing.assert_array_equal(out[~gone], source.data[~gone])
    error = level_db(out[gone] - truth[gone]) - level_db(truth[gone])
    assert error < -8


def test_a_long_gap_gets_the_room_and_no_hole():
    sound, _ = with_gaps([])
    (place,) = loud_places(sound, 1)
    _, source = with_gaps([(place, place + 9600)])
    amounts = Amounts(drop_outs=100)
    measured = measure(source, amounts, NO_FACTS)
    assert len(measured["drop_outs"].starts) == 1
    filled = chain(source, amounts, measured).read(place, place + 9600)
    assert level_db(filled) == pytest.approx(-60, abs=3)
    still = np.convolve((np.abs(filled[:, 0]) < 1e-7).astype(float), np.ones(20), "valid")
    assert still.max() < 20


def test_a_whole_recording_has_no_gaps():
    _, source = with_gaps([])
    assert measure(source, Amounts(drop_outs=100), NO_FACTS)["drop_outs"] is None


def test_who_is_among_them_follows_from_how_people_lie():
    """It is told by the episode each time: lined up otherwise, the bleed is looked for anew."""
    document = Document(
        (Track(1, "Marisol Vey", "person", (Clip(10, 1, 0, 0, 1000),)),
         Track(2, "Anders Quill", "person", (Clip(20, 2, 0, 300, 1000),))),
        mendings=(Mending(1, Amounts(bleed=70)), Mending(2, Amounts(hum=50))),
    )  # fmt: skip
    assert amounts_in(document, 1).among == (Other(2, 300, 0.0),)
    assert amounts_in(document, 2).among == ()
    moved = Document((document.tracks[0], Track(2, "Anders Quill", "person", (Clip(20, 2, 0, 400, 1000),))),
                     mendings=document.mendings)  # fmt: skip
    assert basis("bleed", amounts_in(document, 1)) != basis("bleed", amounts_in(moved, 1))
    assert basis("gate", amounts_in(document, 1)) == basis("gate", amounts_in(moved, 1))


@pytest.fixture(scope="module")
def one_room():
    """Three people at three microphones of one room, each late and softer in the others; the second is turned over."""
    rng = np.random.default_rng(3)
    dry = []
    for person, start in ((MARISOL, 40), (ANDERS, 40), (MARISOL, 140)):
        cells = voice(person, start, seconds=90)[:, 0].reshape(-1, RATE // 10)
        said = cells[np.sqrt((cells**2).mean(axis=1)) > 10 ** (-42 / 20)]  # without the pauses
        dry.append(said.ravel()[: 30 * RATE])
    turns_of = np.zeros((3, min(each.size for each in dry)), np.float32)
    for n in range(min(each.size for each in dry) // (3 * RATE)):  # three seconds each, in turn
        turns_of[n % 3, n * 3 * RATE : (n + 1) * 3 * RATE] = dry[n % 3][n * 3 * RATE : (n + 1) * 3 * RATE]
    heard = []
    for own in range(3):
        sound = np.zeros(turns_of.shape[1], np.float32)
        for other in range(3):
            late, gain = abs(own - other) * 190, 10 ** (-(0, 9, 13)[abs(own - other)] / 20)
            sound[late:] += gain * turns_of[other][: sound.size - late]
        sound += 10 ** (-66 / 20) * rng.standard_normal(sound.size).astype(np.float32)
        heard.append(ArraySource((-1 if own == 1 else 1) * sound[:, None], RATE))
    return heard, turns_of


def test_microphones_of_one_room_are_told_with_their_polarity(one_room, two_microphones):
    heard, _ = one_room
    features = [measure_features(each) for each in heard]
    assert in_one_room(hearing_db(features)) == [0, 1, 2]
    assert polarity(heard[0], heard[1]) < -0.8
    assert polarity(heard[0], heard[2]) > 0.8
    apart = [measure_features(ArraySource(dry, RATE)) for dry in two_microphones[1]]
    assert in_one_room(hearing_db(apart)) == []
    assert abs(polarity(ArraySource(noise(20, seed=1)), ArraySource(noise(20, seed=2)))) < 0.5


def test_each_microphone_at_its_share_takes_the_copies_out_of_the_sum(one_room):
    """While one talks the copies in the others are about twice as far down, and he stays within 1.5 dB."""
    heard, _ = one_room
    features = [measure_features(each) for each in heard]
    amounts = Amounts(sharing=100, among=(Other(2, 0), Other(3, 0)))
    shared = []
    for n, source in enumerate(heard):
        facts = Facts(np.zeros((0, 2)), others=lambda n=n: [features[k] for k in range(3) if k != n])
        treated = chain(source, amounts, measure(source, amounts, facts))
        shared.append(treated.read(0, treated.frames)[:, 0])
        parts = [treated.read(start, start + 7 * RATE // 2) for start in range(0, treated.frames, 7 * RATE // 2)]
        assert np.array_equal(np.concatenate(parts)[: treated.frames, 0], shared[-1])
    plain = [source.read(0, source.frames)[:, 0] for source in heard]
    won = []
    for n in range(heard[0].frames // (3 * RATE)):
        who, inside = n % 3, slice(n * 3 * RATE + RATE // 2, (n + 1) * 3 * RATE - RATE // 2)
        others = [k for k in range(3) if k != who]
        before = level_db(np.stack([plain[k][inside] for k in others])) - level_db(plain[who][inside])
        if level_db(plain[who][inside]) < -45 or before > -5:
            continue  # nobody talks there
        after = level_db(np.stack([shared[k][inside] for k in others])) - level_db(shared[who][inside])
        won.append(before - after)
        assert abs(level_db(shared[who][inside]) - level_db(plain[who][inside])) < 1.5
    assert min(won) > 4
    assert np.mean(won) > 8


def test_silence_and_one_microphone_have_nothing_to_share():
    quiet = ArraySource(np.zeros((3 * RATE, 1), np.float32), RATE)
    features = measure_features(quiet)
    assert shares_db(features, []) is None
    assert np.isfinite(shares_db(features, [features])).all()
    assert polarity(quiet, quiet) == 0.0
