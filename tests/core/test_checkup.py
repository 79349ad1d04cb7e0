"""The check-up against recordings whose truth is known, because they were made so."""

import numpy as np
import pytest
import soundfile
from scipy.ndimage import maximum_filter1d

from pampa.core.checkup.clipping import ClipFinder
from pampa.core.checkup.examine import examine
from pampa.core.executor import Threads
from pampa.core.files.conform import clipped_stretches, conform
from pampa.core.proposals.findings import findings
from pampa.core.sound import RATE, ArraySource, db_to_gain
from tests.signals import noise, silence, sine, talk

NOTHING = np.zeros((0, 2))


def check(sound, **options):
    return examine(ArraySource(sound.astype(np.float32)), clipped=NOTHING, **options)


def spoken(seconds=60.0, *, floor_dbfs=-90.0, dbfs=-26.0, seed=1):
    """Phrases with pauses over a white floor."""
    return talk(seconds, dbfs=dbfs, seed=seed) + noise(seconds, dbfs=floor_dbfs, seed=seed + 50)


def texts(checkup, **options):
    return " ".join(finding.text for finding in findings(checkup, **options))


@pytest.mark.parametrize("floor_dbfs", [-70.0, -60.0, -50.0, -42.0])
@pytest.mark.parametrize("seed", [1, 2])
def test_the_floor_between_words_is_found_to_a_decibel(floor_dbfs, seed):
    found = check(spoken(floor_dbfs=floor_dbfs, seed=seed))
    assert found.floor_dbfs == pytest.approx(floor_dbfs, abs=1.0)
    assert found.over_floor_db == pytest.approx(found.speech_dbfs - floor_dbfs, abs=1.0)


@pytest.mark.parametrize("hz", [49.87, 50.0, 50.12, 59.93, 60.07])
def test_hum_is_found_to_a_tenth_of_a_hertz_and_its_level_too(hz):
    hum = sum(sine(number * hz, dbfs=db, seconds=60) for number, db in ((1, -52.0), (2, -60.0), (3, -58.0), (5, -66.0)))
    found = check(spoken(floor_dbfs=-66) + hum).hum
    assert found.hz == pytest.approx(hz, abs=0.1)
    truth = 10 * np.log10(sum(10 ** ((db - 3.01) / 10) for db in (-52, -60, -58, -66)))
    assert found.level_dbfs == pytest.approx(truth, abs=1.5)


def test_hum_that_wanders_with_the_mains_is_still_found():
    t = np.arange(60 * RATE) / RATE
    phase = 2 * np.pi * (50 * t + 0.05 * np.sin(2 * np.pi * t / 40) * 40 / (2 * np.pi))
    hum = sum(db_to_gain(-55) / k * np.sin(k * phase) for k in (1, 2, 3))[:, None]
    assert check(spoken(floor_dbfs=-70) + hum).hum.hz == pytest.approx(50.0, abs=0.1)


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_without_hum_none_is_found(seed):
    assert check(spoken(floor_dbfs=-60, seed=seed)).hum is None


@pytest.mark.parametrize("rate", [44_100, 48_000])
@pytest.mark.parametrize(("ceiling", "subtype"), [(0.999, "PCM_16"), (0.4, "PCM_24"), (0.7, "FLOAT")])
def test_every_clipped_stretch_is_found_and_nothing_else(tmp_path, rate, ceiling, subtype):
    """Truth: every run of three and more samples at the limit, in the file's own samples."""
    wave = talk(30, dbfs=-20, rate=rate)[:, 0]
    wave *= 1.6 * ceiling / np.abs(wave).max()
    clipped = np.clip(wave, -ceiling, ceiling)
    at_limit = np.concatenate([[False], np.abs(clipped) >= ceiling, [False]])
    edges = np.flatnonzero(np.diff(at_limit.astype(int))).reshape(-1, 2)
    truth = edges[edges[:, 1] - edges[:, 0] >= 3] / rate
    soundfile.write(tmp_path / "a.wav", clipped, rate, subtype=subtype)
    conform(tmp_path / "a.wav", tmp_path / "out")
    found = clipped_stretches(tmp_path / "out")
    assert len(truth) > 20
    near = 1.01 / rate
    assert all(((found[:, 0] <= stop + near) & (found[:, 1] >= start - near)).any() for start, stop in truth)
    assert sum(not ((truth[:, 0] <= b + near) & (truth[:, 1] >= a - near)).any() for a, b in found) <= len(truth) // 200


def test_blocks_of_any_size_find_the_same(tmp_path):
    wave = np.clip(talk(5, dbfs=-10) * 2, -0.5, 0.5)
    whole, pieces = ClipFinder(RATE), ClipFinder(RATE)
    whole.add(wave)
    for at in range(0, len(wave), 5_003):
        pieces.add(wave[at : at + 5_003])
    assert np.array_equal(whole.found(), pieces.found())


@pytest.mark.parametrize("sound", [talk(30, dbfs=-20), sine(100, dbfs=-1, seconds=5), sine(997, dbfs=0, seconds=5)])
def test_what_is_not_clipped_is_not_said_to_be(sound, tmp_path):
    soundfile.write(tmp_path / "a.wav", sound, RATE, subtype="PCM_16")
    conform(tmp_path / "a.wav", tmp_path / "out")
    assert not len(clipped_stretches(tmp_path / "out"))


def test_flat_tops_below_the_highest_are_chance_unless_they_are_long():
    wave = talk(10, dbfs=-20)
    for at in range(RATE, 6 * RATE, RATE):
        wave[at : at + 5, 0] = [0.08, 0.1, 0.1, 0.1, 0.08]
    chance = ClipFinder(RATE)
    chance.add(wave)
    assert not len(chance.found())
    half = np.clip(talk(10, dbfs=-10) * 2, -0.5, 0.5)
    half[5 * RATE :] *= 0.6
    softer = np.concatenate([half[5 * RATE :], [[0.9]], 0.1 * half[: 5 * RATE]])
    before = ClipFinder(RATE)
    before.add(softer)
    assert len(before.found()) > 20


def test_gaps_of_digital_zero_in_sound_are_drop_outs_and_gates_are_not():
    sound = noise(30, dbfs=-30)
    for at, seconds in ((5.0, 0.35), (12.5, 0.02), (19.95, 0.1)):
        sound[round(at * RATE) : round((at + seconds) * RATE)] = 0
    found = check(sound).drop_outs
    assert [(round(a, 3), round(b - a, 3)) for a, b in found] == [(5.0, 0.35), (12.5, 0.02), (19.95, 0.1)]
    gated = talk(30, dbfs=-20).reshape(-1, 480)
    held = maximum_filter1d(np.sqrt((gated**2).mean(axis=1)), 15)
    gated[held < 0.01] = 0
    assert (gated == 0).all(axis=1).sum() > 200
    assert check(gated.reshape(-1, 1)).drop_outs == ()


@pytest.mark.parametrize(("cutoff", "said"), [(3_400, "telephone"), (7_000, "call"), (20_000, None)])
def test_bandwidth_tells_a_call_from_a_microphone(cutoff, said):
    spectrum = np.fft.rfft(noise(20, dbfs=-20)[:, 0])
    spectrum[np.fft.rfftfreq(20 * RATE, 1 / RATE) > cutoff] = 0
    phrases = np.convolve(np.repeat(np.tile([1.0, 0.001], 10), RATE), np.hanning(4800) / 2400, "same")
    found = check((np.fft.irfft(spectrum) * phrases)[:, None])
    assert found.bandwidth_hz == pytest.approx(cutoff, abs=450)
    assert (said in texts(found)) if said else ("Sound ends" not in texts(found))


def test_the_two_sides_are_told_apart():
    one, other = spoken(40, seed=1), spoken(40, seed=2)
    turns = np.repeat(np.tile([1.0, 0.0], 5), 4 * RATE)[:, None]
    nothing = silence(40)
    said = {
        "two people": np.hstack([one * turns, other * (1 - turns)]),
        "right silent": np.hstack([one, nothing]),
        "left silent": np.hstack([1e-5 * one, other]),
        "stereo": np.hstack([one + 0.3 * other, 0.5 * one + other]),
        "mono": one,
    }
    for name, sound in said.items():
        assert check(sound).sides == name
    assert check(one, sides_db=-90.0).sides == "same"


def test_room_tone_is_the_quietest_steady_stretch():
    sound = spoken(40, floor_dbfs=-60)
    sound[10 * RATE : 18 * RATE] = noise(8, dbfs=-60, seed=9)
    start, length = check(sound).room_tone
    assert 9.9 <= start <= 10.4
    assert start + length <= 18.2
    assert length > 7


def test_a_leaning_wave_is_seen_and_what_rotation_wins():
    t = np.arange(30 * RATE) / RATE
    pulses = sum(np.cos(2 * np.pi * 120 * k * t) / k for k in range(1, 12))
    phrases = np.convolve(np.repeat(np.tile([1.0, 0.0], 15), RATE), np.ones(960) / 960, "same")
    found = check((0.1 * pulses * phrases)[:, None] + noise(30, dbfs=-80))
    assert found.leaning_db > 2.5
    assert found.rotation_wins_db > 1.5
    assert "Phase rotation" in texts(found)


def test_what_stands_off_the_middle_is_told_and_thumps_are_counted():
    phrases = np.convolve(np.repeat(np.tile([1.0, 0.01], 15), RATE), np.hanning(960) / 480, "same")[:, None]
    sound = noise(30, dbfs=-26) * phrases + 0.02
    t = np.arange(round(0.08 * RATE)) / RATE
    thump = 0.3 * np.sin(2 * np.pi * 45 * t) * np.exp(-t * 30)
    for at in (3.2, 9.4, 15.6, 21.8):
        sound[round(at * RATE) : round(at * RATE) + thump.size, 0] += thump
    found = check(sound)
    assert found.dc_dbfs == pytest.approx(-34, abs=0.3)
    assert found.plosives == 4


def test_the_lows_of_a_deep_voice_are_no_thumps():
    """It swells there by itself: a thump stands far over that."""
    t = np.arange(30 * RATE) / RATE
    phrases = np.convolve(np.repeat(np.tile([1.0, 0.01], 15), RATE), np.hanning(960) / 480, "same")
    hz = np.fft.rfftfreq(t.size, 1 / RATE)
    middle, swell = (
        np.fft.irfft(np.fft.rfft(noise(30, seed=seed)[:, 0]) * ((hz > low) & (hz < high)))
        for seed, (low, high) in ((2, (300, 4_000)), (3, (40, 105)))
    )
    middle, swell = (sound / np.sqrt((sound**2).mean()) for sound in (middle, swell))
    body = (0.02 * middle + 0.05 * np.sin(2 * np.pi * 85 * t)) * phrases
    places = np.zeros(t.size)
    for at in np.arange(2.3, 29, 2):
        places[round(at * RATE) : round((at + 0.1) * RATE)] = 1
    struck = 0.035 * swell * np.convolve(places, np.hanning(480) / 240, "same")
    own, fault = (check((body + times * struck)[:, None]).plosives for times in (1.3, 6))
    assert (own, fault) == (0, 14)


def test_talk_in_hiss_as_loud_as_itself_is_told_by_the_band_of_the_voice():
    hissy = talk(30, dbfs=-30)
    spectrum = np.fft.rfft(noise(30, dbfs=-20, seed=5)[:, 0])
    spectrum[np.fft.rfftfreq(len(hissy), 1 / RATE) < 5_000] = 0
    found = check(hissy + np.fft.irfft(spectrum)[:, None])
    assert found.over_floor_db < 9


def test_silence_and_next_to_nothing_are_examined_too():
    found = check(silence(10))
    assert (found.peak_dbfs, found.speech_dbfs, found.floor_dbfs, found.hum) == (None, None, None, None)
    assert "digital silence" in texts(found)
    assert check(noise(0.005)).duration_s == pytest.approx(0.005)
    assert "Nobody speaks" in texts(check(noise(20, dbfs=-60)))
    assert texts(check(noise(20, dbfs=-60)), speech=False) == ""


def test_any_number_of_workers_finds_the_same():
    sound = ArraySource(spoken(70, floor_dbfs=-55))
    assert examine(sound, clipped=NOTHING) == examine(sound, clipped=NOTHING, executor=Threads(3))
