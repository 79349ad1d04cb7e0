"""The pitch of a voice under noise, and what combing by it does."""

import numpy as np
import pytest

from pampa.core.mend import pitch
from pampa.core.mend.spectra import GROUPS, HOP, frames_of
from pampa.core.sound import RATE

SECONDS = 3
LOUD = 10.0


def buzz(hz, channels=1):
    """A voice without words: twelve harmonics, the pitch falling by a fifth of an octave a second."""
    time = np.arange(SECONDS * RATE) / RATE
    turn = 2 * np.pi * hz * np.cumsum(2 ** (-time / 5)) / RATE
    wave = sum(np.cos(k * turn + k * k) / k for k in range(1, 13))
    return np.repeat(0.1 * wave[:, None], channels, axis=1).astype(np.float32)


def noise(dbfs, seed=1, channels=1):
    rng = np.random.default_rng(seed)
    return (10 ** (dbfs / 20) * rng.standard_normal((SECONDS * RATE, channels))).astype(np.float32)


def open_gains(frames, value=1.0):
    return np.full((frames.shape[1], GROUPS), value, np.float32)


@pytest.mark.parametrize("hz", [118, 160, 230, 380])
def test_pitch_is_followed_under_noise_as_loud_as_the_voice(hz):
    frames = frames_of(buzz(hz) + noise(-20))
    voice = pitch.followed(frames, open_gains(frames), LOUD)
    at_s = (np.arange(len(voice.period)) + pitch.AROUND + 1) * HOP / RATE
    truth = RATE / (hz * 2 ** (-at_s / 5))
    right = np.abs(voice.period / truth - 1) < 0.02
    assert right[voice.strength > 0].mean() > 0.95
    assert (voice.strength > 0).mean() > 0.9


def test_noise_alone_has_no_pitch_and_neither_has_what_is_hardly_there():
    hiss = frames_of(noise(-20))
    assert (pitch.followed(hiss, open_gains(hiss), LOUD).strength > 0).mean() < 0.05
    faint = frames_of(buzz(140) * np.float32(1e-4))
    assert not pitch.followed(faint, open_gains(faint), LOUD).strength.any()


def test_the_comb_lowers_noise_between_harmonics_and_leaves_the_voice():
    time = np.arange(SECONDS * RATE) / RATE
    voice = sum(np.cos(2 * np.pi * 120 * k * time) for k in range(1, 6))[:, None].astype(np.float32)
    hiss = noise(0, seed=2)
    first, count = 10, 200
    heard = pitch.Pitch(np.full(count, RATE // 120), np.ones(count, np.float32))
    share = pitch.shares(heard, np.zeros((count, GROUPS), np.float32), 1.0)
    low = slice(2, 16)

    def after(sound):
        frames = frames_of(sound)[:, first : first + count]
        # Frame k of `frames_of` is centred on (k + 1) * HOP.
        return frames, pitch.combed(frames, sound[(first + 1) * HOP - pitch.REACH :], heard, share)

    before, kept = after(voice)
    assert np.abs(kept - before)[..., low].max() < 1e-3 * np.abs(before).max()
    before, kept = after(hiss)
    fallen = (np.abs(kept[..., low]) ** 2).sum() / (np.abs(before[..., low]) ** 2).sum()
    assert 10 * np.log10(fallen) < -5


def test_what_is_clean_or_without_pitch_is_not_touched():
    sound = buzz(140, channels=2) + noise(-40, channels=2)
    frames = frames_of(sound)[:, 10:210]
    around = sound[11 * HOP - pitch.REACH :]
    sure = pitch.Pitch(np.full(200, 343), np.ones(200, np.float32))
    unsure = pitch.Pitch(np.full(200, 343), np.zeros(200, np.float32))
    for voice, gain, off in ((sure, 1.0, 1e-6), (unsure, 0.2, 0)):
        share = pitch.shares(voice, open_gains(frames, gain), 1.0)
        combed = pitch.combed(frames, around, voice, share)
        assert np.abs(combed - frames).max() <= off * np.abs(frames).max()
        relieved = pitch.relieved(open_gains(frames, gain), share)
        assert relieved == pytest.approx(gain, abs=1e-6)


def test_less_is_taken_from_what_is_combed():
    gains = np.full((4, GROUPS), 0.4, np.float32)
    voice = pitch.Pitch(np.full(4, 400), np.array([0, 0.3, 0.6, 1], np.float32))
    relieved = pitch.relieved(gains, pitch.shares(voice, gains, 1.0))
    assert (np.diff(relieved[:, 5]) > 0).all()
    assert (relieved[:, pitch.COMBED :] == gains[:, pitch.COMBED :]).all()
    assert relieved.max() < 1
