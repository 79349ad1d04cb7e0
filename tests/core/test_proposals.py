"""What a check-up proposes, by voices that were spoilt in known ways: enough where it is needed, nothing where not."""

import numpy as np
import pytest
from bench.spoilt import clicked, sharp, struck, tail, talk_of
from scipy.signal import oaconvolve

from pampa.core.checkup.speech import Parts
from pampa.core.checkup.trial import Trial
from pampa.core.executor import Threads
from pampa.core.mend.noise import amount_for, depth_db
from pampa.core.proposals.findings import findings
from pampa.core.proposals.proposed import proposed
from pampa.core.proposals.trying import STRETCH_S, checked_up, stretches, together
from pampa.core.sound import RATE, ArraySource
from pampa.demo.assemble import VOICES
from tests.signals import noise, silence, sine

NOTHING = np.zeros((0, 2))


@pytest.fixture(scope="module")
def voice():
    """Nola's lines one after another, speech at -26 dBFS, with pauses, in a quiet room."""
    *_, nola = talk_of(VOICES)
    return nola[:, None]


def check(sound):
    return checked_up(ArraySource(np.asarray(sound, np.float32)), clipped=NOTHING)


def amounts(sound):
    return {name: value for name, value in vars(proposed(findings(check(sound)))).items() if value and name != "phase"}


def hissed(voice, dbfs):
    return voice + noise(len(voice) / RATE, dbfs=dbfs, seed=4)


def roomy(voice, seconds):
    answer = tail(np.random.default_rng(8), seconds)
    return oaconvolve(voice[:, 0], answer)[: len(voice), None]


def test_a_good_recording_is_left_alone(voice):
    assert amounts(voice) == {}


@pytest.mark.parametrize("dbfs", [-26, -36, -46])
def test_noise_is_weighed_against_the_talk_also_where_no_floor_is_heard(voice, dbfs):
    """As loud as the talk, 10 and 20 dB under it. White noise has a quarter of its power where its network listens."""
    trial = check(hissed(voice, dbfs)).trial
    assert trial.over_noise_db == pytest.approx(-26 - dbfs, abs=3)
    assert set(amounts(hissed(voice, dbfs))) == {"noise"}


def test_what_is_left_of_noise_lies_far_under_the_talk(voice):
    for dbfs in (-44, -50):
        found = check(hissed(voice, dbfs))
        left = found.trial.over_noise_db + depth_db(amounts(hissed(voice, dbfs))["noise"] / 100)
        assert left == pytest.approx(55, abs=1.5)


@pytest.mark.parametrize("depth", [0.0, 7.5, 20.0, 41.0, 60.0])
def test_an_amount_is_found_for_every_depth(depth):
    assert depth_db(amount_for(depth)) == pytest.approx(depth)


@pytest.mark.parametrize("seconds", [0.3, 0.6])
def test_a_room_is_heard(voice, seconds):
    assert amounts(roomy(voice, seconds))["reverb"] == 50


def test_clicks_thumps_and_sharp_s_are_proposed_each_where_it_is(voice):
    rng = np.random.default_rng(5)
    assert set(amounts(clicked(rng, voice[:, 0], True)[:, None])) == {"clicks"}
    assert set(amounts(struck(rng, voice[:, 0], True)[:, None])) == {"plosives"}
    hissing = check(sharp(voice[:, 0], 1.8)[:, None])
    assert hissing.trial.sharp > check(voice).trial.sharp + 3
    assert [f.process for f in findings(hissing) if f.process] == ["sibilance"]


def test_hum_under_the_talk_is_taken_before_noise_is_weighed(voice):
    hum = sum(sine(50 * k, dbfs=-30 - 3 * k, seconds=len(voice) / RATE + 1) for k in (1, 2, 3, 5))[: len(voice)]
    assert set(amounts(voice + hum)) == {"hum"}


def test_a_wave_that_leans_is_told_and_left_as_it_is(voice):
    told = [f for f in findings(check(np.maximum(voice, -0.3 * np.abs(voice)))) if f.kind == "phase"]
    assert told
    assert "nobody hears" in told[0].text
    assert told[0].process is None


@pytest.mark.parametrize(
    "nobody", [noise(20, dbfs=-30), noise(20, dbfs=-64), silence(20), sine(440, dbfs=-20, seconds=20)],
    ids=["loud noise", "a room", "silence", "a tone"],
)  # fmt: skip
def test_where_nobody_speaks_nothing_is_proposed(nobody):
    assert amounts(nobody) == {}
    assert not [f for f in findings(check(nobody)) if f.process]


@pytest.mark.parametrize("seconds", [1.5, 3.0])
def test_a_room_that_rings_on_is_not_told_as_noise(voice, seconds):
    """A church: it is there after words, and gone in the longest pause."""
    sound = roomy(voice, seconds)
    told = [f.text for f in findings(check(sound)) if f.kind == "noise"]
    assert len(told) == 1
    assert "comes and goes with it: a room that rings on" in told[0]
    assert {"noise", "reverb"} <= {f.process for f in findings(check(sound))}


def test_a_short_room_is_left_to_reverberation_and_its_own_noise_is_told(voice):
    found = {f.kind: f for f in findings(check(roomy(voice, 0.5)))}
    assert "That is quiet enough" in found["noise"].text
    assert found["reverb"].amount == 50


def test_singing_is_not_taken_for_noise_and_why_is_said():
    t = np.arange(20 * RATE) / RATE
    notes = np.repeat([0, 2, 4, 5, 7, 5, 4, 2, 0, -3], 2 * RATE)
    turned = 2 * np.pi * np.cumsum(220 * 2 ** (notes / 12) * (1 + 0.01 * np.sin(2 * np.pi * 5.5 * t))) / RATE
    song = 0.03 * sum(np.sin(k * turned) / k for k in range(1, 20))[:, None] + noise(20, dbfs=-75)
    assert amounts(song) == {}
    assert [f.kind for f in findings(check(song))] == ["tones"]


def test_next_to_nothing_is_examined_and_not_tried():
    assert check(noise(0.4)).trial is None
    assert amounts(noise(0.4)) == {}


def test_it_is_tried_where_most_is_said():
    length, talk = round(STRETCH_S * RATE), np.zeros(50 * 300, bool)
    talk[50 * 60 : 50 * 80] = talk[50 * 110 : 50 * 130] = talk[50 * 270 : 50 * 285] = True
    found = stretches(300 * RATE, Parts(talk, ~talk, -26.0, -70.0))
    assert [(start // RATE, frames) for start, frames in found] == [(60, length), (110, length), (265, length)]
    assert stretches(40 * RATE, Parts(talk, ~talk, -26.0, -70.0)) == [(0, 40 * RATE)]
    assert stretches(RATE // 2, Parts(talk, ~talk, -26.0, -70.0)) == []


def test_trials_of_one_recording_count_together():
    one = Trial(20, -20, -50, 0.5, loss_db=0.1, room_db=0.2, clicks=2, sharp=1, talk_s=10)
    two = Trial(20, -20, -50, 0.3, loss_db=0.3, room_db=0.6, clicks=1, sharp=2, talk_s=14)
    silent = Trial(20)
    both = together([one, silent, two])
    assert both == Trial(60, -20, -50, 0.4, 0.3, 0.4, 3, 0, 3, 24)
    assert (both.clicks_per_min, both.sharp_per_min, both.over_noise_db) == (3, 7.5, 30)


def test_any_number_of_workers_finds_the_same(voice):
    source = ArraySource(np.tile(hissed(voice, -50), (5, 1)))
    assert checked_up(source, clipped=NOTHING) == checked_up(source, clipped=NOTHING, executor=Threads(3))
