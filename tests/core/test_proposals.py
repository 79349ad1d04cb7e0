"""What a check-up proposes, by voices that were spoilt in known ways: enough where it is needed, nothing where not."""

import json

import numpy as np
import pytest
import soundfile
import soxr
from scipy.signal import butter, oaconvolve, sosfiltfilt

from pampa.core.checkup.speech import Parts
from pampa.core.checkup.trial import Trial
from pampa.core.executor import Threads
from pampa.core.mend.noise import amount_for, depth_db
from pampa.core.proposals.findings import findings
from pampa.core.proposals.proposed import proposed
from pampa.core.proposals.trying import STRETCH_S, checked_up, stretches, together
from pampa.core.sound import RATE, ArraySource
from pampa.demo.assemble import NOLA, VOICES
from tests.signals import noise, silence, sine

NOTHING = np.zeros((0, 2))
DRY_ROOM_DBFS = -75


@pytest.fixture(scope="module")
def voice():
    """Nola's lines one after another, speech at -26 dBFS, with pauses, in a quiet room."""
    parts = [silence(0.8)[:, 0]]
    for line in json.loads((VOICES / "lines.json").read_text()):
        if line["speaker"] == NOLA:
            sound, rate = soundfile.read(VOICES / line["file"], dtype="float32")
            parts += [soxr.resample(sound, rate, RATE), silence(0.5)[:, 0]]
    sound = np.concatenate(parts)
    loud = np.abs(sound) > 0.01
    sound *= 10 ** (-26 / 20) / np.sqrt((sound[loud] ** 2).mean())
    return sound[:, None] + noise(sound.size / RATE, dbfs=DRY_ROOM_DBFS)


def check(sound):
    return checked_up(ArraySource(np.asarray(sound, np.float32)), clipped=NOTHING)


def amounts(sound):
    return {name: value for name, value in vars(proposed(findings(check(sound)))).items() if value and name != "phase"}


def hissed(voice, dbfs):
    return voice + noise(len(voice) / RATE, dbfs=dbfs, seed=4)


def roomy(voice, seconds):
    rng = np.random.default_rng(8)
    t = np.arange(round(seconds * RATE)) / RATE
    tail = rng.standard_normal(t.size) * np.exp(-6.91 * t / seconds)
    tail[: RATE // 200] = 0
    answer = tail / np.sqrt((tail**2).sum()) * 0.8
    answer[0] = 1
    return oaconvolve(voice[:, 0], answer)[: len(voice), None]


def clicked(voice, every_s):
    out = voice.copy()
    click = np.random.default_rng(5).standard_normal(150) * np.hanning(150)
    for at in np.arange(1.2, len(voice) / RATE - 0.2, every_s):
        out[round(at * RATE) : round(at * RATE) + 150, 0] += 0.05 * click
    return out


def struck(voice):
    t = np.arange(round(0.1 * RATE)) / RATE
    thump = 0.3 * np.sin(2 * np.pi * 45 * t) * np.exp(-t * 28) * np.minimum(t * 200, 1)
    out = voice.copy()
    for at in np.arange(1.0, len(voice) / RATE - 0.2, 2.5):
        out[round(at * RATE) : round(at * RATE) + thump.size, 0] += thump
    return out


def sharp(voice):
    """Every s louder by 9 dB: what lies between 5 and 10 kHz where that outweighs the voice."""
    high = sosfiltfilt(butter(4, (5000, 10_000), "band", fs=RATE, output="sos"), voice[:, 0])
    low = sosfiltfilt(butter(4, (200, 3000), "band", fs=RATE, output="sos"), voice[:, 0])
    cells = len(voice) // 480
    power = [(band[: cells * 480].reshape(-1, 480) ** 2).mean(axis=1) for band in (high, low)]
    hissing = np.convolve(np.repeat((power[0] > power[1]) * 1.0, 480), np.hanning(480) / 240, "same")
    return voice + (1.8 * high * np.pad(hissing, (0, len(voice) - hissing.size)))[:, None]


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
    assert set(amounts(clicked(voice, 1.7))) == {"clicks"}
    assert set(amounts(struck(voice))) == {"plosives"}
    assert check(sharp(voice)).trial.sharp > check(voice).trial.sharp + 3
    assert [f.process for f in findings(check(sharp(voice))) if f.process] == ["sibilance"]


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
    one = Trial(20, speech_dbfs=-20, noise_dbfs=-50, loss_db=0.1, room_db=0.2, clicks=2, sharp=1, talk_s=10)
    two = Trial(20, speech_dbfs=-20, noise_dbfs=-50, loss_db=0.3, room_db=0.6, clicks=1, sharp=2, talk_s=14)
    silent = Trial(20)
    both = together([one, silent, two])
    assert both == Trial(60, -20, -50, 0.3, 0.4, 3, 0, 3, 24)
    assert (both.clicks_per_min, both.sharp_per_min, both.over_noise_db) == (3, 7.5, 30)


def test_any_number_of_workers_finds_the_same(voice):
    source = ArraySource(np.tile(hissed(voice, -50), (5, 1)))
    assert checked_up(source, clipped=NOTHING) == checked_up(source, clipped=NOTHING, executor=Threads(3))
