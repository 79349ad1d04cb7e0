"""The voice treatment: filters against the cookbook's promises, the compressor against its curve."""

from dataclasses import replace

import numpy as np
import pytest
from scipy import signal
from scipy.signal import sosfreqz

from pampa.core.files.kept import SPARE
from pampa.core.loudness import measure, measure_part
from pampa.core.sound import RATE, ArraySource, Segment, segments
from pampa.core.speech.detector import where_spoken
from pampa.core.speech.level import speech_level
from pampa.core.voice import equaliser, kernels
from pampa.core.voice.chain import known_of, reports, treat
from pampa.core.voice.heard import heard_in
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.stages import STAGES, Facts
from tests.signals import noise, silence, sine, talk


def response_db(sections, hz):
    sos = np.array([[b0, b1, b2, 1.0, a1, a2] for b0, b1, b2, a1, a2 in sections])
    return 20 * np.log10(np.abs(sosfreqz(sos, hz, fs=RATE)[1]))


def treated(sound, recipe, speech_lufs=-23.0):
    source, known = ArraySource(sound), known_of(Facts(speech_lufs), recipe)
    return np.concatenate([treat(source, segment, recipe, known).sound for segment in segments(source.frames)])


HZ = np.geomspace(20, 20_000, 300)
PLAIN = Recipe(low_cut_hz=0, body_db=0, presence_db=0, ratio=1)
STRONG = {"level": {"level": 100}, "tone": {"low_cut_hz": 120, "body_db": -6, "high_cut_hz": 9000, "upper_db": 3},
          "bands": {"bands": 100}, "compressor": {"ratio": 4}, "sibilance": {"sibilance": 100},
          "warmth": {"warmth": 100}}  # fmt: skip


PROTOTYPES = {
    "bell": lambda hz, db: (equaliser.bell(hz, 0.9, db), equaliser.bell_prototype(0.9, db)),
    "narrow bell": lambda hz, db: (equaliser.bell(hz, 3.0, db), equaliser.bell_prototype(3.0, db)),
    "high shelf": lambda hz, db: (equaliser.high_shelf(hz, db), equaliser.shelf_prototype(db, high=True)),
    "low shelf": lambda hz, db: (equaliser.low_shelf(hz, db), equaliser.shelf_prototype(db, high=False)),
}


@pytest.mark.parametrize("kind", PROTOTYPES)
@pytest.mark.parametrize("hz", [60, 300, 1000, 4500, 9000, 15_000])
@pytest.mark.parametrize("gain", [-12.0, -3.0, 0.5, 6.0, 12.0])
def test_a_band_has_the_response_of_its_analogue_up_to_20_khz(kind, hz, gain):
    """Balance asks for 0.3 dB; sections by the bilinear transform are 1.5 dB off and more up there."""
    section, prototype = PROTOTYPES[kind](hz, gain)
    wanted = 20 * np.log10(equaliser.magnitude(prototype, HZ / hz))
    assert np.abs(response_db([section], HZ) - wanted).max() < 0.3
    assert np.abs(np.roots([1, *section[3:]])).max() < 1
    assert np.abs(np.roots(section[:3])).max() < 1


@pytest.mark.parametrize("hz", [40, 80, 300])
def test_the_low_cut_is_a_butterworth_of_24_db_per_octave(hz):
    wanted = -10 * np.log10(1 + (hz / HZ) ** 8)
    audible = wanted > -90
    assert np.abs(response_db(equaliser.low_cut(hz), HZ) - wanted)[audible].max() < 0.3


@pytest.mark.parametrize("hz", [6000, 12_000, 18_000])
def test_the_high_cut_is_a_butterworth_of_12_db_per_octave(hz):
    wanted = -10 * np.log10(1 + (HZ / hz) ** 4)
    assert np.abs(response_db(equaliser.high_cut(hz), HZ) - wanted).max() < 0.3


def test_a_recipe_that_does_nothing_changes_no_bit():
    sound = talk(25)
    assert np.array_equal(treated(sound, PLAIN), sound)


@pytest.mark.parametrize("stage", STAGES, ids=lambda stage: stage.name)
def test_every_stage_is_off_without_its_settings_and_the_same_in_any_division_with_them(stage):
    recipe = replace(PLAIN, **STRONG[stage.name])
    assert not stage.is_on(PLAIN)
    assert stage.is_on(recipe)
    sound = np.concatenate([talk(2, dbfs=-16), noise(0.5, dbfs=-20), talk(2, dbfs=-28)])
    source = ArraySource(sound)
    energy = measure_part(sound, RATE).energy
    # A voice duller than this one: its s is sharp, and its tone wanders.
    dull = heard_in(ArraySource(signal.lfilter([0.05], [1, -0.95], sound, axis=0).astype(np.float32)), energy)
    known = known_of(Facts(-18.0, energy, lambda: dull), recipe)
    assert not np.array_equal(treat(source, Segment(0, 0, source.frames), recipe, known).sound, sound)
    first, second = (Segment(0, 0, RATE), Segment(1, RATE, 3 * RATE))
    again = [treat(source, part, recipe, known).sound for part in (second, first)]
    assert treat(source, first, recipe, known).sound.tobytes() == again[1].tobytes()
    assert treat(source, second, recipe, known).sound.tobytes() == again[0].tobytes()
    beginning = treat(source, Segment(1, RATE, RATE + 7_777 + SPARE), recipe, known).sound
    assert beginning[:7_777].tobytes() == again[0][:7_777].tobytes()


def test_the_compressor_takes_what_its_ratio_says():
    """Giannoulis et al. 2012: far over the knee, every dB over the threshold leaves 1/ratio of itself."""
    peaks = np.full(20_000, 10 ** (-8 / 20))
    speeds = np.array([0.9, 0.99, 0.999, 0.999])
    gain = kernels.compressor_gain_db(peaks, -20.0, 2.5, 6.0, speeds)
    assert gain[-1] == pytest.approx(-12 * (1 - 1 / 2.5), abs=1e-6)
    assert kernels.compressor_gain_db(peaks * 0.05, -20.0, 2.5, 6.0, speeds)[-1] == 0


def test_loud_syllables_of_ordinary_speech_lose_three_to_six_db():
    sound = talk(40, dbfs=-24)
    level = speech_level(measure_part(sound, RATE).energy)
    squeezed = treated(sound, Recipe(low_cut_hz=0, body_db=0, presence_db=0), level)
    loud = np.abs(sound[:, 0]) > 0.8 * np.abs(sound).max()
    taken = 20 * np.log10(np.abs(sound[loud, 0]) / np.abs(squeezed[loud, 0]))
    assert 1.0 < np.median(taken) < 6.0


def test_segments_come_out_the_same_in_any_order_and_join_without_a_step():
    source, known = ArraySource(talk(65, seed=7)), known_of(Facts(-25.0), Recipe())
    grid = list(segments(source.frames))
    forth = [treat(source, s, Recipe(), known).sound for s in grid]
    back = [treat(source, s, Recipe(), known).sound for s in reversed(grid)][::-1]
    assert all(np.array_equal(a, b) for a, b in zip(forth, back, strict=True))
    whole = treat(source, Segment(0, 0, source.frames), Recipe(), known).sound
    error = np.abs(np.concatenate(forth) - whole).max()
    assert error < 10 ** (-70 / 20) * np.abs(whole).max()


@pytest.mark.parametrize("sound", [silence(3), sine(100, seconds=3), noise(3, dbfs=-1)])
def test_silence_and_full_scale_stay_finite(sound):
    assert np.isfinite(treated(sound, Recipe())).all()


def test_speech_level_leaves_pauses_out():
    """Ten seconds of talk in two minutes of quiet read as ten seconds of talk."""
    spoken = talk(10, dbfs=-26)
    quiet = noise(110, dbfs=-65)
    alone = speech_level(measure_part(spoken, RATE).energy)
    among = speech_level(measure_part(np.concatenate([quiet, spoken]), RATE).energy)
    assert among == pytest.approx(alone, abs=0.5)
    assert speech_level(measure_part(silence(5), RATE).energy) is None


def test_somebody_speaks_where_speech_is():
    sound = np.concatenate([noise(5, dbfs=-65), noise(5, dbfs=-25), noise(5, dbfs=-65)])
    spoken = where_spoken(measure_part(sound, RATE).energy)
    assert not spoken[10:240].any()
    assert spoken[255:495].all()
    assert not spoken[505:].any()


def test_treatment_keeps_the_loudness_in_reach():
    sound = talk(30, dbfs=-24)
    before, after = measure(sound).integrated_lufs, measure(treated(sound, Recipe(), -24)).integrated_lufs
    assert abs(before - after) < 6


def test_what_the_compressor_takes_is_told_for_each_twenty_ms_and_in_numbers():
    """A tone 15 dB over the threshold, after a soft second: at 2.5:1 it loses 9 dB."""
    sound = np.concatenate([sine(1000, dbfs=-50, seconds=1), sine(1000, dbfs=-6, seconds=2)])
    recipe = replace(PLAIN, ratio=2.5)
    known = known_of(Facts(-23.0), recipe)
    got = treat(ArraySource(sound), Segment(0, 0, len(sound)), recipe, known)
    taken = got.taken["compressor"]
    assert taken.shape == (150,)
    assert taken[:45].max() == 0
    assert taken[100] == pytest.approx(9.0, abs=0.1)
    assert reports(recipe, got.taken) == {"compressor": "takes 8.9 dB where it works, 8.9 dB at most"}
    half = treat(ArraySource(sound), Segment(1, RATE, 2 * RATE), recipe, known).taken["compressor"]
    assert np.array_equal(half, taken[50:100])
    odd = treat(ArraySource(sound), Segment(0, 0, 2 * RATE + 500), recipe, known).taken["compressor"]
    assert odd.shape == (101,)
    assert np.array_equal(odd[:100], taken[:100])
    assert reports(Recipe(), {})["tone"] == "low cut 80 Hz, −2.0 dB at 300 Hz, +2.0 dB from 4500 Hz"
    assert "nothing" in reports(recipe, {})["compressor"]
