"""How a person usually sounds, how far one episode lies from that, and how long a room rings."""

from dataclasses import replace

import numpy as np
import pytest
import soundfile
import soxr

from pampa.core.loudness import measure_source
from pampa.core.series.usual import departure, usual
from pampa.core.sound import RATE, ArraySource
from pampa.core.speech.decay import decay_s
from pampa.core.voice.heard import BANDS_HZ
from pampa.core.voice.likeness import Likeness
from pampa.demo.assemble import VOICES
from pampa.demo.synthesis import in_room, room

PLAIN = Likeness(-21.0, 3.0, -65.0, (0.0,) * BANDS_HZ.size, 0.0, 0.3)


def test_nothing_is_usual_before_the_first_time():
    assert usual([]) is None
    assert departure(PLAIN, []) is None


def test_the_median_of_the_last_five_is_usual():
    levels = [-40.0, -21.0, -20.0, -22.0, -21.5, -30.0]
    assert usual([replace(PLAIN, speech_lufs=level) for level in levels]).speech_lufs == -21.5


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({}, ()),
        ({"speech_lufs": -18.5, "spread_lu": 4.0}, ()),
        ({"speech_lufs": -26.0}, ("5.0 LU softer",)),
        ({"speech_lufs": -17.0}, ("4.0 LU louder",)),
        ({"spread_lu": 7.5}, ("4.5 LU less even",)),
        ({"floor_lufs": -50.0}, ("room 15 dB louder",)),
        ({"floor_lufs": -80.0}, ()),
        ({"decay_s": 0.5}, ("rings 0.20 s longer",)),
        ({"spectrum_db": tuple(np.where(BANDS_HZ > 1000, 6.0, -6.0).tolist())}, ("tone 6.0 dB off",)),
        ({"speech_lufs": None, "spread_lu": None, "floor_lufs": None, "decay_s": None, "spectrum_db": ()}, ()),
    ],
)
def test_only_what_is_plainly_heard_is_told(change, told):
    assert departure(replace(PLAIN, **change), [PLAIN] * 3).told == told


def test_what_was_kept_before_rooms_were_told_still_compares():
    old = Likeness(-21.0, 3.0, -65.0, (0.0,) * BANDS_HZ.size, 0.0)
    assert departure(PLAIN, [old]).decay_s is None


@pytest.fixture(scope="module")
def dry():
    """A minute of somebody's turns, with pauses between them."""
    parts = []
    for path in sorted(VOICES.glob("*-marisol.flac"))[:14]:
        sound, rate = soundfile.read(path)
        parts += [soxr.resample(sound, rate, RATE), np.zeros(RATE // 2)]
    return np.concatenate(parts)[: 60 * RATE]


def test_a_ringing_room_is_told_from_a_dry_one(dry):
    rng = np.random.default_rng(4)

    def told(ring_s):
        sound = in_room(dry, room(rng, ring_s, rate=RATE, level=0.3))[: dry.size]
        sound = sound / np.abs(sound).max() * 0.5 + 10 ** (-65 / 20) * rng.standard_normal(sound.size)
        return decay_s(measure_source(ArraySource(sound[:, None].astype(np.float32))).energy)

    small, middle, large = told(0.3), told(0.6), told(1.2)
    assert small + 0.05 < middle < large - 0.08


def test_silence_noise_and_a_word_tell_no_room(dry):
    noise = np.random.default_rng(1).standard_normal(20 * RATE) * 0.1
    for sound in (np.zeros(20 * RATE), noise, dry[: RATE // 2]):
        assert decay_s(measure_source(ArraySource(sound[:, None].astype(np.float32))).energy) is None
    assert decay_s(np.zeros(0)) is None
