"""Finds, on a conversation put together from the sample's dry lines: what is in it and where is known."""

import json
from functools import cache

import numpy as np
import pytest
import soundfile
import soxr
from scipy.signal import butter, lfilter, sosfilt

from pampa.core.finds.find import Heard, _audible, _clicks, find, hear, not_looked_at
from pampa.core.finds.knocks import find_knocks
from pampa.core.finds.silences import find_silences
from pampa.core.mend.clicks import Click
from pampa.core.sound import RATE, ArraySource
from pampa.core.speech.activity import Activity, activities
from pampa.core.speech.breaths import find_breaths
from pampa.core.speech.features import PER_S, measure_features
from pampa.core.speech.sounds import KINDS, PHONES, Sounds
from pampa.demo.assemble import VOICES

FIRST_S, LAST_S = 48.0, 137.0
PEOPLE = ("Marisol Vey", "Anders Quill")
LEAK_DB, FLOOR_DB = (-40.0, -46.0), (-66.0, -60.0)
TRUE_KINDS = {"repeat": "restart", "false_start": "restart", "cough": "knock"}


@cache
def lines():
    every = json.loads((VOICES / "lines.json").read_text())
    return [line for line in every if line["start_s"] >= FIRST_S and line["start_s"] + line["duration_s"] <= LAST_S]


@cache
def conversation():
    """Both recordings: quiet rooms, and each a little in the other's microphone."""
    rng = np.random.default_rng(5)
    dry = np.zeros((2, round((LAST_S - FIRST_S + 1) * RATE)))
    for line in lines():
        sound, rate = soundfile.read(VOICES / line["file"])
        at = round((line["start_s"] - FIRST_S) * RATE)
        sound = soxr.resample(sound, rate, RATE)
        dry[PEOPLE.index(line["speaker"]), at : at + len(sound)] += sound
    floors = rng.standard_normal(dry.shape) * 10 ** (np.array(FLOOR_DB) / 20)[:, None]
    both = dry + dry[::-1] * 10 ** (np.array(LEAK_DB) / 20)[:, None] + floors
    return [np.ascontiguousarray(sound[:, None], np.float32) for sound in both]


@cache
def heard():
    return [hear(ArraySource(sound)) for sound in conversation()]


@cache
def found():
    return find(heard(), silence_s=1.2)


def truth(kind):
    """(track, start, end) of every such thing, in seconds of the conversation."""
    return [
        (PEOPLE.index(line["speaker"]), *(line["start_s"] + part[edge] - FIRST_S for edge in ("start_s", "end_s")))
        for line in lines() for part in line["segments"]
        if TRUE_KINDS.get(part["kind"], part["kind"]) == kind
    ]  # fmt: skip


def precision_and_recall(kind, slack_s=0.0):
    true, told = truth(kind), [(f.track, f.start_s, f.end_s) for f in found() if f.kind == kind]

    def meet(a, b):
        return a[0] == b[0] and a[1] - slack_s < b[2] and b[1] - slack_s < a[2]

    right = sum(any(meet(one, other) for other in true) for one in told)
    known = sum(any(meet(one, other) for other in told) for one in true)
    return right / max(len(told), 1), known / len(true)


@pytest.mark.parametrize(
    ("kind", "least_precision", "least_recall"),
    [("filler", 0.9, 0.6), ("breath", 0.85, 0.85), ("restart", 0.8, 0.6), ("backchannel", 0.8, 0.8)],
)
def test_what_is_found_is_right_and_most_is_found(kind, least_precision, least_recall):
    precision, recall = precision_and_recall(kind)
    assert precision >= least_precision
    assert recall >= least_recall


def test_clicks_of_the_mouth_are_found():
    precision, recall = precision_and_recall("click", 0.015)
    assert precision >= 0.8
    assert recall >= 0.9


def test_silences_have_their_edges_within_forty_milliseconds():
    """Against the times at which anybody makes a sound."""
    anyone = np.zeros(round((LAST_S - FIRST_S) * 1000), bool)
    for line in lines():
        for part in line["segments"]:
            if part["kind"] != "pause":
                start, stop = (round((line["start_s"] + part[edge] - FIRST_S) * 1000) for edge in ("start_s", "end_s"))
                anyone[start:stop] = True
    edges = np.flatnonzero(np.diff(np.concatenate([[1], anyone, [1]]).astype(int))).reshape(-1, 2)
    inside = edges[(edges[:, 0] > 2000) & (edges[:, 1] < len(anyone) - 1000)]
    true = [(a / 1000, b / 1000) for a, b in inside if b - a > 1250]
    told = [(f.start_s, f.end_s) for f in found() if f.kind == "silence" and f.length_s > 1.25]
    assert len(told) == len(true) > 0
    assert np.abs(np.array(told) - np.array(true)).max() <= 0.04


def test_what_leaks_in_is_nobodys_speech():
    """While one person talks alone, the other is not taken to talk."""
    people = activities([each.features for each in heard()])
    alone = np.zeros(people[0].talking.size, bool)
    for line in sorted(lines(), key=lambda line: line["speaker"]):  # Anders, and then Marisol
        start, stop = (round((line["start_s"] - FIRST_S + s) * PER_S) for s in (-0.1, line["duration_s"] + 0.1))
        alone[max(start, 0) : stop] = line["speaker"] == PEOPLE[1]
    assert people[0].talking[alone].mean() < 0.005


def test_the_order_of_segments_and_of_people_does_not_matter():
    swapped = find(heard()[::-1], silence_s=1.2)
    assert {(f.kind, 1 - f.track, f.start_s, f.end_s) for f in swapped} == {
        (f.kind, f.track, f.start_s, f.end_s) for f in found()
    }


def test_every_find_says_why_and_lies_in_the_conversation():
    for each in found():
        assert each.evidence.endswith(".")
        assert 0 <= each.start_s < each.end_s <= LAST_S - FIRST_S + 1
        assert 0.5 <= each.confidence <= 1


@pytest.mark.parametrize("seconds", [0, 0.3, 5])
def test_nothing_is_found_in_silence_or_in_noise_alone(seconds):
    quiet = np.zeros((round(seconds * RATE), 1), np.float32)
    noise = 0.01 * np.random.default_rng(1).standard_normal((round(seconds * RATE), 1)).astype(np.float32)
    nothing = [hear(ArraySource(quiet)), hear(ArraySource(noise))]
    assert [f for f in find(nothing) if f.kind != "click"] == []


def test_one_person_alone_and_recordings_of_different_lengths():
    alone = find(heard()[1:])
    assert {"filler", "breath", "restart"} <= {f.kind for f in alone}
    short = ArraySource(conversation()[0][: 20 * RATE])
    assert find([hear(short), heard()[1]])


def test_features_do_not_hang_on_the_rate_or_the_channels():
    sound = conversation()[1][: 5 * RATE]
    plain = measure_features(ArraySource(sound))
    both = measure_features(ArraySource(np.repeat(sound, 2, axis=1)))
    lower = measure_features(ArraySource(soxr.resample(sound, RATE, 44_100).astype(np.float32), 44_100))
    np.testing.assert_array_equal(plain.speech, both.speech)
    talking = plain.speech > -50
    assert np.abs(plain.speech - lower.speech)[talking].max() < 1.0


def test_silence_before_and_after_a_conversation_is_none_of_it():
    sounding = np.zeros(1000, bool)
    sounding[[300, 600]] = True
    (only,) = find_silences([sounding], 1.2)
    assert (only.start_s, only.end_s) == (3.01, 6.0)
    assert find_silences([sounding], 3.5) == []
    assert find_silences([], 1.2) == find_silences([np.zeros(500, bool)], 1.2) == []


def test_a_recording_that_is_not_conformed_is_refused():
    with pytest.raises(ValueError, match="48000"):
        hear(ArraySource(np.zeros((100, 1), np.float32), 44_100))


def test_who_talks_meanwhile_is_told():
    """An agreement noise is never alone, a silence always is."""
    assert all(f.alone for f in found() if f.kind == "silence")
    assert not any(f.alone for f in found() if f.kind == "backchannel")


def airy(*sounds, seconds=20, room_dbfs=-52.0):
    """A fan, a voice at second 3 and 16, and noise of the upper bands: (start_s, stop_s, dBFS) each."""
    rng = np.random.default_rng(8)
    t = np.arange(seconds * RATE) / RATE
    fan = lfilter([1], [1, -0.97], rng.standard_normal(t.size))
    out = fan / fan.std() * 10 ** (room_dbfs / 20)
    vowel = sum(np.sin(2 * np.pi * 140 * k * t) / k for k in range(1, 12)) * 0.1
    for start, stop in ((3, 5), (16, 18)):
        out[start * RATE : stop * RATE] += vowel[start * RATE : stop * RATE]
    upper = butter(2, [1500, 6500], "bandpass", fs=RATE, output="sos")
    for start, stop, dbfs in sounds:
        here = slice(round(start * RATE), round(stop * RATE))
        hiss = sosfilt(upper, rng.standard_normal(here.stop - here.start))
        out[here] += hiss / hiss.std() * np.hanning(hiss.size) * 10 ** (dbfs / 20)
    return ArraySource(out.astype(np.float32)[:, None])


def breaths_in(source):
    features = measure_features(source)
    return find_breaths(features, activities([features])[0])[0] / PER_S


def test_a_breath_under_a_fan_is_found_and_a_sharp_s_is_none():
    told = breaths_in(airy((10.0, 10.5, -58.0)))
    assert len(told) == 1
    assert told[0][0] == pytest.approx(10.15, abs=0.12)
    assert told[0][1] == pytest.approx(10.35, abs=0.12)
    sharp = breaths_in(airy((2.3, 2.7, -34.0), (15.5, 15.9, -34.0), (12.0, 12.4, -34.0)))
    assert len(sharp) == 0


def test_a_t_that_is_let_go_belongs_to_its_word_and_a_crackle_alone_is_nothing():
    sounding = np.zeros(400, bool)
    for start, stop in ((50, 100), (108, 110), (200, 202)):
        sounding[start:stop] = True
    level = np.zeros(400, np.float32)
    person = Activity(sounding, sounding, level, -60.0, -20.0, level)
    audible = _audible(person, np.zeros((0, 2), np.int64), hear(ArraySource(np.zeros((0, 1), np.float32))))
    assert audible[108:110].all()
    assert not audible[200:202].any()


def all_of(kind, frames=200):
    """What a network says that hears one kind all the time."""
    kinds = np.zeros((frames, len(KINDS)), np.uint8)
    kinds[:, KINDS.index(kind)] = 255
    return Sounds(kinds, np.zeros(frames, np.uint8), np.zeros((frames, len(PHONES)), np.uint8))


@pytest.mark.parametrize(("kind", "told"), [("rest", 1), ("word", 0), ("agree", 0)])
def test_a_word_that_begins_hard_is_no_knock(kind, told):
    features = measure_features(ArraySource(np.zeros((2 * RATE, 1), np.float32)))
    struck = slice(100, 130)
    features.peak[struck] = 0.3
    level = np.full(200, -70.0, np.float32)
    level[struck] = -20.0
    sounding = level > -60
    person = Activity(sounding, sounding, level, -70.0, -20.0, np.full(200, -200.0, np.float32))
    assert len(find_knocks(0, features, all_of(kind), person)) == told


@pytest.mark.parametrize(("kind", "told"), [("rest", 1), ("word", 0)])
def test_a_click_in_a_word_must_stand_out_far_more_than_one_in_what_rings_on_of_it(kind, told):
    nothing, talking = np.zeros(200, np.float32), np.ones(200, bool)
    sounds = all_of(kind)
    features = hear(ArraySource(np.zeros((0, 1), np.float32))).features
    known = Heard(features, [Click(RATE, RATE + 60, 13.0)], sounds)
    person = Activity(talking, talking, nothing, -60.0, -20.0, nothing)
    assert len(_clicks(0, known, person)) == told


def test_whose_words_cannot_be_followed_is_told_and_nothing_is_made_of_them():
    rng = np.random.default_rng(3)
    hiss = (rng.standard_normal((8 * RATE, 1)) * (np.arange(8 * RATE)[:, None] // RATE % 2) * 0.1).astype(np.float32)
    whispered = [heard()[0], hear(ArraySource(hiss))]
    assert [why is None for why in not_looked_at(whispered)] == [True, False]
    assert not [
        each for each in find(whispered) if each.track == 1 and each.kind in ("filler", "restart", "backchannel")
    ]
