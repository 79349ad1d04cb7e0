"""Beats of made rhythms and of the sample music; none where there is no beat."""

import numpy as np
import pytest
import soundfile
from bench.made_music import f_measure, tune

from pampa.core.music.bars import bar_starts, bars_of
from pampa.core.music.beats import beats_of
from pampa.core.music.onsets import HOPS_PER_S, onsets_of
from pampa.core.music.tapping import odds
from pampa.core.sound import RATE, ArraySource
from tests.signals import noise, silence


def tempo(source):
    return beats_of(onsets_of(source)).bpm


@pytest.mark.parametrize(("manner", "seed"), [("band", 1), ("waltz", 6), ("bed", 3), ("strum", 5)])
def test_beats_and_bars_of_music_that_bends_and_swings(manner, seed):
    made = tune(manner, seed, seconds=25)
    onsets = onsets_of(ArraySource(made.sound))
    found = beats_of(onsets)
    assert f_measure(found.beats_s, made.beats_s) > 0.95
    assert f_measure(bar_starts(found, bars_of(onsets, found)), made.bars_s) > 0.9


def test_beats_do_not_cross_over_to_chords_that_are_struck_between_them():
    made = tune("offbeat", 104)
    found = beats_of(onsets_of(ArraySource(made.sound))).beats_s
    assert f_measure(found, made.beats_s) > 0.95


@pytest.mark.parametrize(("manner", "seed"), [("band", 101), ("chords", 102), ("offbeat", 104)])
def test_the_row_that_is_played_speaks_for_itself_against_halves_doubles_and_what_lies_between(manner, seed):
    made = tune(manner, seed, seconds=25)
    onsets = onsets_of(ArraySource(made.sound))
    beats = np.round(made.beats_s * HOPS_PER_S).astype(int)
    between = (beats[1:] + beats[:-1]) // 2
    others = [beats[::2], between, np.sort(np.concatenate([beats, between]))]
    assert odds(onsets, beats, 0.5) > max(odds(onsets, other, 0.5) for other in others)


def rhythm(bpm, seconds=30):
    """Soft knocks, every fourth stronger, over a little noise."""
    rng = np.random.default_rng(round(bpm * 10))
    sound = 0.005 * rng.standard_normal(seconds * RATE)
    for number in range(int(seconds * bpm / 60)):
        at = round(number * 60 / bpm * RATE)
        knock = rng.standard_normal(4000)[: sound.size - at] * np.exp(-np.arange(4000)[: sound.size - at] / 900)
        sound[at : at + 4000] += knock * (0.4 if number % 4 == 0 else 0.2)
    return sound.astype(np.float32)[:, None]


@pytest.mark.parametrize("bpm", [60, 75.5, 92, 118, 140])
def test_the_tempo_of_a_rhythm_is_found_to_a_tenth(bpm):
    assert tempo(ArraySource(rhythm(bpm))) == pytest.approx(bpm, abs=0.1)


@pytest.mark.parametrize("sound", [noise(30, dbfs=-20), silence(20), rhythm(100, seconds=3)])
def test_noise_silence_and_what_is_too_short_have_none(sound):
    assert tempo(ArraySource(sound)) is None


@pytest.mark.parametrize(
    ("name", "bpm"),
    [("theme", 92.0), ("bed", 92.0), ("gulls", None), ("nola_spot", None), ("marisol_local", None)],
)
def test_the_sample_music_has_its_tempo_and_effects_and_talk_have_none(sample, name, bpm):
    [path] = sample[0].glob(f"{name}.*")
    sound, rate = soundfile.read(path, dtype="float32", always_2d=True)
    found = tempo(ArraySource(sound))
    expected = None if bpm is None else bpm * RATE / rate
    assert found == (None if expected is None else pytest.approx(expected, abs=0.2))
