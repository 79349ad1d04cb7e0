"""A voice higher or lower: its pitch as asked, its formants where they were or moved along, as loud as before."""

import numpy as np
import pytest
import scipy.signal

from pampa.core.sound import RATE, ArraySource
from pampa.core.special.heard import BLOCK, SpecialVoice
from pampa.core.special.kinds import Special
from pampa.core.special.pitched import pitched

FORMANTS_HZ = (700, 1800, 2900)


def vowel(hz, seconds=3.0):
    """A voice that glides by a fifth of an octave, half a second of silence before it."""
    t = np.arange(round(seconds * RATE)) / RATE
    turns = np.cumsum(hz * 2 ** (0.1 * np.sin(2 * np.pi * 0.8 * t))) / RATE
    sound = np.diff(np.floor(turns), prepend=0.0)
    for formant in FORMANTS_HZ:
        radius = np.exp(-np.pi * 90 / RATE)
        sound = scipy.signal.lfilter([1], [1, -2 * radius * np.cos(2 * np.pi * formant / RATE), radius**2], sound)
    sound *= 0.4 / np.abs(sound).max()
    sound[: RATE // 2] = 0
    return sound[:, None].astype(np.float32)


def pitch_of(sound, at):
    """By the strongest lag of a stretch of 60 ms, between 60 and 420 Hz."""
    part = sound[at : at + 2880, 0].astype(float)
    likeness = scipy.signal.correlate(part, part, "full")[2879:]
    likeness /= np.arange(2880, 0, -1)
    return RATE / (114 + np.argmax(likeness[114:800]))


def envelope_peak(sound):
    """Where the lowest formant is, in Hz: the largest of a spectrum too coarse for harmonics."""
    hz, power = scipy.signal.welch(sound[RATE:, 0], RATE, nperseg=600)
    return hz[np.argmax(power * (hz > 250))]


def level(sound):
    return 10 * np.log10(np.mean(sound[RATE:-4800] ** 2))


@pytest.mark.parametrize("octaves", [0.5, 0.25, -0.5])
@pytest.mark.parametrize("hz", [110, 205])
def test_the_pitch_moves_by_what_is_asked_and_the_formants_only_where_they_should(hz, octaves):
    voice = vowel(hz)
    kept = pitched(voice, 0, octaves, formants=False)
    moved = pitched(voice, 0, octaves, formants=True)
    places = range(RATE, 2 * RATE, 4800)
    for made in (kept, moved):
        ratio = np.median([pitch_of(made, at) / pitch_of(voice, at) for at in places])
        assert ratio == pytest.approx(2**octaves, rel=0.02)
        assert level(made) == pytest.approx(level(voice), abs=0.5)
    assert envelope_peak(kept) == pytest.approx(envelope_peak(voice), abs=170)
    assert envelope_peak(moved) == pytest.approx(envelope_peak(voice) * 2**octaves, rel=0.18)


def test_silence_stays_silent_and_noise_keeps_its_place_and_level():
    assert not pitched(np.zeros((RATE, 2), np.float32), 0, 0.5, formants=False).any()
    noise = np.random.default_rng(3).standard_normal((RATE, 1)).astype(np.float32) * 0.05
    noise[: RATE // 3] = 0
    made = pitched(noise, 0, 0.5, formants=False)
    assert np.corrcoef(made[:, 0], noise[:, 0])[0, 1] > 0.95
    assert np.abs(made[: RATE // 3 - 480]).max() < 1e-3


def test_blocks_go_on_with_each_other_where_a_voice_lasts_across_their_edge():
    voice = np.concatenate([vowel(140, 2.0), vowel(180, 2.0)])
    heard = SpecialVoice(ArraySource(voice), Special("lower", 50)).read(0, len(voice))
    whole = pitched(voice, 0, -0.5, formants=False)
    edge = 2 * BLOCK
    assert np.abs(voice[edge - 200 : edge + 200]).max() > 0.05
    assert np.allclose(heard[edge - 2000 : edge + 2000], whole[edge - 2000 : edge + 2000], atol=1e-3)
