"""The later stages of a voice: bands held, a sharp s softened, harmonics; single peaks; starting points; files."""

import json
from dataclasses import asdict, fields, replace

import numpy as np
import pytest
import soundfile
import soxr
from scipy import signal

from pampa.core.errors import EditRefused, PampaError
from pampa.core.executor import Inline
from pampa.core.loudness import measure_part
from pampa.core.mend.amounts import Amounts
from pampa.core.sound import RATE, ArraySource, Segment
from pampa.core.timeline.recipe_files import Written, from_json, start_called, to_json
from pampa.core.voice import kernels, sibilance, warmth
from pampa.core.voice.chain import known_of, treat
from pampa.core.voice.heard import BANDS_HZ, heard_in
from pampa.core.voice.peaks import peaks_of
from pampa.core.voice.recipe import UNTREATED, Recipe
from pampa.core.voice.starts import STARTS, nearer
from pampa.core.voice.voice_file import Voice
from pampa.demo.assemble import VOICES
from tests.signals import noise, silence, sine


@pytest.fixture(scope="module")
def voice():
    """Ten lines of one person with pauses between them."""
    lines = []
    for path in sorted(VOICES.glob("*-marisol.flac"))[:10]:
        sound, rate = soundfile.read(path, dtype="float32")
        line = soxr.resample(sound, rate, RATE)
        lines.append(np.pad(line * 0.06 / np.sqrt(np.mean(line**2)), (0, RATE // 2)))
    return (np.concatenate(lines)[:, None] + noise(sum(map(len, lines)) / RATE, dbfs=-66)).astype(np.float32)


def energy_of(sound):
    return measure_part(sound, RATE).energy


def treated(sound, recipe):
    voice = Voice(ArraySource(sound), energy_of(sound))
    return np.concatenate([part.sound for part in voice.treated(recipe, Inline())])


def hissing(sound):
    """Where the highs outweigh what is under 3 kHz, for each frame."""
    high, low = (
        np.convolve(signal.sosfilt(signal.butter(4, hz, kind, fs=RATE, output="sos"), sound[:, 0]) ** 2, np.ones(480))
        for hz, kind in ((4000, "high"), (3000, "low"))
    )
    return (high > 2 * low)[: len(sound)] & (high[: len(sound)] > high.max() / 600)


def level_db(sound, hz=(20, 20_000)):
    band = signal.sosfilt(signal.butter(2, hz, "band", fs=RATE, output="sos"), sound[:, 0])
    return 10 * np.log10(np.mean(band**2))


def test_what_is_passed_over_as_too_dull_for_an_s_takes_nothing(voice, monkeypatch):
    threshold_db = sibilance.threshold_of(heard_in(ArraySource(voice), energy_of(voice))) - 6
    sound, taken = sibilance.softened(voice, threshold_db, 1.0)
    monkeypatch.setattr(sibilance, "_may_be_bright", lambda windows, *_: np.ones(len(windows), bool))
    looked_at_all, taken_of_all = sibilance.softened(voice, threshold_db, 1.0)
    np.testing.assert_array_equal(sound, looked_at_all)
    np.testing.assert_allclose(taken, taken_of_all, atol=1e-12)
    assert 0.01 < (taken > 0).mean() < 0.3


def test_an_s_that_was_made_sharp_comes_down_again_and_vowels_and_pauses_stay(voice):
    where = hissing(voice)
    raised = signal.sosfiltfilt(signal.butter(2, (6000, 9000), "band", fs=RATE, output="sos"), voice[:, 0] * where)
    sharp = voice + 1.5 * raised.astype(np.float32)[:, None]
    soft = treated(sharp, replace(UNTREATED, sibilance=100))
    assert level_db(sharp - voice) - level_db(soft - voice) > 4
    assert level_db(soft[where], (5000, 10_000)) < level_db(sharp[where], (5000, 10_000)) - 4
    # What is taken lies within 20 ms of an s.
    beside = np.convolve(where, np.ones(1921), "same") > 0.5
    taken = (sharp - soft)[:, 0]
    assert np.abs(taken[~beside]).max(initial=0) < 0.02 * np.abs(taken).max()
    kept = treated(voice, replace(UNTREATED, sibilance=100))
    assert level_db(voice - kept) < level_db(voice) - 30


def test_a_voice_without_vowels_is_left_alone():
    hiss = noise(3, dbfs=-20)
    assert sibilance.threshold_of(heard_in(ArraySource(silence(3)), energy_of(silence(3)))) is None
    assert np.array_equal(treated(hiss, replace(UNTREATED, sibilance=100)), hiss)


def test_a_person_who_leans_in_for_half_of_the_talk_keeps_one_tone(voice):
    half = len(voice) // 2
    low = signal.lfilter([0.026], [1, -0.974], voice, axis=0).astype(np.float32)
    near = voice.copy()
    near[half:] += 1.5 * low[half:]

    def moved(sound):
        spectra = [heard_in(ArraySource(part), energy_of(part)).levels_db[0] for part in (sound[:half], sound[half:])]
        apart = (spectra[1] - spectra[0])[(BANDS_HZ > 90) & (BANDS_HZ < 4000)]
        return apart[:9].mean() - apart[9:].mean()

    by_nature, leaning, held = (moved(each) for each in (voice, near, treated(near, replace(UNTREATED, bands=100))))
    assert abs(held - by_nature) < 0.8 * abs(leaning - by_nature)


def test_bands_that_have_nothing_to_hold_add_up_to_the_very_same_sound(voice):
    held = kernels.hold_bands(voice, 0.96, 0.7, np.ones((3, len(voice) // 960 + 1)), 960)
    assert np.abs(held - voice).max() < 1e-7


@pytest.mark.parametrize("hz", [998, 2504, 5000, 5988, 8500, 11_004])
@pytest.mark.parametrize("dbfs", [-30, -12, 0])
def test_warmth_adds_a_second_and_a_third_harmonic_and_nothing_that_folds_back(hz, dbfs):
    sound = sine(hz, dbfs=dbfs, seconds=1)
    out = warmth.warmed(sound, warmth.reference_of(-23.0), 1.0)[RATE // 4 : RATE // 4 + RATE // 2, 0]
    spectrum = np.abs(np.fft.rfft(out))
    found = 20 * np.log10(spectrum / spectrum.max() + 1e-12)
    places = np.fft.rfftfreq(out.size, 1 / RATE)
    meant = np.zeros(places.size, bool)
    for n in (1, 2, 3):
        meant |= np.abs(places - n * hz) < 12
    assert found[~meant & (places > 60)].max() < -90
    if hz == 998 and dbfs == -12:
        assert found[np.abs(places - 2 * hz) < 12].max() == pytest.approx(-22, abs=3)
        assert found[np.abs(places - 3 * hz) < 12].max() == pytest.approx(-28, abs=3)


def test_what_a_stage_takes_is_what_comes_out_less_than_goes_in(voice):
    """Up to that stage and no further, sample for sample."""
    recipe = Recipe(level=50, bands=50, sibilance=80, warmth=50)
    one = Voice(ArraySource(voice), energy_of(voice))
    here, known = Segment(0, 0, 6 * RATE), known_of(one.facts, recipe)
    taken = treat(one.source, here, recipe, known, only="compressor").sound
    without = treat(one.source, here, replace(recipe, ratio=1.0, sibilance=0, warmth=0), known).sound
    with_it = treat(one.source, here, replace(recipe, sibilance=0, warmth=0), known).sound
    assert np.abs(taken - (without - with_it)).max() < 1e-5
    assert np.abs(taken).max() > 1e-3


EVERYTHING = Recipe(level=100, lows_db=3, bands=100, sibilance=100, warmth=100, high_cut_hz=12_000, nearer=50)


def one_word(voice):
    at = int(np.argmax(np.abs(voice[: 3 * RATE, 0])))
    return np.concatenate([silence(1), voice[max(at - 9600, 0) : at + 9600], silence(1)])


@pytest.mark.parametrize("make", [
    lambda voice: silence(3), lambda voice: silence(0.01), one_word, lambda voice: np.clip(voice * 60, -1, 1),
    lambda voice: np.tile(sine(440, dbfs=-12, seconds=0.5) + sine(660, dbfs=-20, seconds=0.5), (8, 1)),
    lambda voice: signal.sosfilt(signal.butter(8, 3400, output="sos", fs=RATE), voice, axis=0).astype(np.float32),
    lambda voice: np.concatenate([voice[: 8 * RATE], noise(8, dbfs=-14)]),
    lambda voice: voice * np.repeat([1.0, 0.25], -(-len(voice) // 2))[: len(voice), None].astype(np.float32)
    + noise(len(voice) / RATE, dbfs=-45)[: len(voice)],
], ids=["silence", "nothing", "one word", "a shout at full scale", "only music", "a voice in 8 kHz", "half laughter",
        "two people 12 dB apart in noise"])  # fmt: skip
def test_whatever_comes_in_a_sensible_sound_goes_out(voice, make):
    """No number that is none, no click at a change of gain, no pause that comes up by more than a tone may lift it."""
    sound = make(voice).astype(np.float32)
    out = treated(sound, EVERYTHING)
    assert out.shape == sound.shape
    assert np.isfinite(out).all()
    assert np.abs(out).max(initial=0) <= 8 * np.abs(sound).max(initial=0)
    steps = [np.abs(np.diff(x[:, 0], n=2)).max(initial=0) for x in (sound, out)]
    assert steps[1] <= 8 * steps[0] + 1e-6  # harmonics bend more than what they are made of; a step bends far more


def test_a_syllable_that_sticks_out_is_told_with_how_much_to_lower_it(voice):
    energy = energy_of(voice)
    before = peaks_of(energy)
    cell = int(np.argmax(energy[:400]))
    louder = voice.copy()
    louder[(cell - 4) * 960 : (cell + 5) * 960] *= 10 ** (np.hanning(9 * 960) * 12 / 20)[:, None].astype(np.float32)
    found = [peak for peak in peaks_of(energy_of(louder)) if peak.start_s <= cell / 50 <= peak.stop_s]
    assert len(found) == 1
    assert 6 < found[0].lower_db < 16
    assert len(before) <= 1
    assert peaks_of(energy_of(silence(10))) == []


def test_nearer_sets_the_later_stages_and_leaves_the_level():
    fit = Recipe(body_db=-4.0, presence_db=3.0, body_hz=240.0)
    none, half, close = (nearer(Recipe(level=70), amount, fit) for amount in (0, 50, 100))
    assert replace(none, level=0.0, body_hz=UNTREATED.body_hz) == UNTREATED
    assert [each.level for each in (none, half, close)] == [70, 70, 70]
    assert (half.body_db, close.body_db, close.body_hz) == (-2.0, -4.0, 240.0)
    assert 1 < half.ratio < close.ratio
    assert 0 < half.warmth < close.warmth
    assert close.nearer == 100


def test_a_recipe_file_gives_back_what_it_was_written_from():
    written = Written("Anders, kitchen", "Anders Quill", Amounts(noise=40, hum=100), STARTS["sharp"])
    assert from_json(to_json(written), called="a.json") == written
    assert from_json(to_json(Written("x", voice=Recipe())), called="a.json").mending is None
    assert start_called("Boxy-Room") == STARTS["boxy room"]
    assert start_called("kitchen") is None


@pytest.mark.parametrize("text", ["", "[]", "{}", '{"recipe": 1}', '{"recipe": 2, "voice": {}}', "\0"])
def test_what_is_no_recipe_file_is_told_in_a_sentence(text):
    with pytest.raises(PampaError, match=r"a\.json"):
        from_json(text, called="a.json")


def test_a_recipe_file_is_held_to_the_limits():
    for voice in ({"ratio": 0}, {"ratio": "2"}, {"reverb": 3}, {"level": float("nan")}):
        with pytest.raises(EditRefused):
            from_json(json.dumps({"recipe": 1, "voice": voice}), called="a.json")
    assert {field.name for field in fields(Recipe)} == asdict(from_json(to_json(Written("x", voice=Recipe())),
                                                                      called="").voice).keys()  # fmt: skip
