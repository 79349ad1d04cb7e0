"""What a file is for: told from its sound, and from how it goes with the others."""

import json

import numpy as np
import pytest
import soundfile
import soxr
from bench.conversations import RATE as TALK_RATE
from bench.conversations import at_work_rate, conversation

from pampa.core.purpose.call import find_call
from pampa.core.purpose.evidence import evidence_of
from pampa.core.purpose.kind import likely_of
from pampa.core.sound import RATE, ArraySource
from pampa.demo import effects, music
from pampa.demo.assemble import VOICES
from pampa.demo.synthesis import RATE as DEMO_RATE
from tests.signals import noise, silence, talk


def at_rate(sound, rate):
    sound = sound if sound.ndim == 2 else sound[:, None]
    return ArraySource(soxr.resample(sound, rate, RATE).astype(np.float32))


def said(who, seconds):
    lines = [line for line in json.loads((VOICES / "lines.json").read_text()) if line["speaker"] == who]
    sounds = [soundfile.read(VOICES / line["file"]) for line in lines[:20]]
    spaced = [np.concatenate([sound, np.zeros(rate // 2)]) for sound, rate in sounds]
    return np.concatenate(spaced)[: round(seconds * sounds[0][1])], sounds[0][1]


@pytest.mark.parametrize("who", ["Marisol Vey", "Anders Quill"])
@pytest.mark.parametrize("sides", [1, 2])
def test_a_person_is_a_person_in_one_channel_or_two(who, sides):
    sound, rate = said(who, 30)
    found = likely_of(evidence_of(at_rate(np.repeat(sound[:, None], sides, axis=1), rate)))
    assert (found.role, found.sure > 0.8) == ("person", True)


@pytest.mark.parametrize(("make", "role"), [(music.theme, "music"), (music.bed, "music"), (effects.engine, "effects"),
                                            (effects.fog_signal, "effects")])  # fmt: skip
def test_music_and_effects_are_told_from_talk_in_one_channel_too(make, role):
    sound = make()
    mono = sound.mean(axis=1) if sound.ndim == 2 else sound
    assert likely_of(evidence_of(at_rate(mono, DEMO_RATE))).role == role


def test_a_quiet_room_is_a_room_and_silence_is_nothing():
    found = likely_of(evidence_of(ArraySource(noise(20, dbfs=-62))))
    assert (found.role, found.sure > 0.8) == ("room tone", True)
    assert evidence_of(ArraySource(silence(5))) is None
    assert evidence_of(ArraySource(noise(0.1))) is None


@pytest.mark.parametrize("seconds", [0.4, 0.9, 1.9])
def test_what_is_too_short_to_be_laid_under_anything_is_no_room(seconds):
    assert likely_of(evidence_of(ArraySource(noise(seconds, dbfs=-62)))).role != "room tone"
    assert likely_of(evidence_of(ArraySource(talk(seconds, seed=3)))).role != "room tone"


def test_somebody_over_music_is_a_spot():
    sound, rate = said("Nola Brant", 14)
    under = soxr.resample(music.bed().mean(axis=1), DEMO_RATE, rate)[: len(sound) + 2 * rate]
    under *= 0.25 * sound.std() / under.std()
    under[rate : rate + len(sound)] += sound[: len(under) - rate]
    assert likely_of(evidence_of(at_rate(under, rate))).role == "spot"


def recorded(seed, names, bleed=0.03):
    """Both people's own recordings, the call, and another conversation, each with a start and a clock of its own."""
    rng = np.random.default_rng(seed)
    one, other = conversation(120, seed)
    stranger = conversation(120, seed + 100)[0]
    sounds = {"one": one + bleed * other, "other": other + bleed * one, "call": one + 0.7 * other, "stranger": stranger}
    made = []
    for name in names:
        late = sounds[name][round(rng.uniform(0, 4) * TALK_RATE) :]
        late = soxr.resample(late, TALK_RATE, TALK_RATE * (1 + rng.uniform(-50, 50) * 1e-6))
        made.append(at_work_rate(late + 1e-3 * rng.standard_normal(len(late))))
    return made


@pytest.mark.parametrize("names", [("one", "other", "call"), ("call", "one"), ("other", "call", "stranger")])
def test_the_call_is_the_one_in_which_all_others_are_heard(names):
    found = find_call(recorded(3, names))
    assert names[found.index] == "call"
    assert found.sure > 0.8


@pytest.mark.parametrize(
    ("names", "bleed"), [(("one", "other"), 0.0), (("one", "other"), 0.1), (("one", "stranger"), 0)]
)
def test_without_a_call_there_is_none(names, bleed):
    found = find_call(recorded(5, names, bleed))
    assert found is None or found.sure < 0.3
