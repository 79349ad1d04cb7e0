"""Hum and phase rotation on sound whose truth is known."""

import json

import numpy as np
import pytest

from pampa.core.checkup.frames import measure_frames
from pampa.core.checkup.leaning import best_angle
from pampa.core.executor import Threads
from pampa.core.mend.amounts import Amounts
from pampa.core.mend.clean import measure
from pampa.core.mend.clean import mended as mended_parts
from pampa.core.mend.hum import HOP, follow_hum, without_hum
from pampa.core.mend.processes import Facts
from pampa.core.mend.rotation import rotated
from pampa.core.sound import RATE, ArraySource, Segment, segments
from pampa.demo.assemble import ANDERS, VOICES, _dry
from tests.signals import noise, silence, talk

SECONDS = 45


def humming(hz, *, seconds=SECONDS, dbfs=-45.0, count=12, wander=0.05, channels=1):
    """Hum whose harmonics fall by 4 dB each and whose phase wanders with the mains."""
    t = np.arange(seconds * RATE) / RATE
    phase = 2 * np.pi * hz * t + wander * np.sin(2 * np.pi * 0.11 * t + 1)
    wave = sum(10 ** (-4 * (k - 1) / 20) * np.sin(k * phase + 2.1 * k) for k in range(1, count + 1))
    wave *= 10 ** (dbfs / 20) * np.sqrt(2) / np.sqrt(2 * np.mean(wave**2))
    return np.repeat(wave[:, None], channels, axis=1).astype(np.float32)


def mended(source, track, amount=1.0, order=1):
    grid = list(segments(source.frames))[::order]
    parts = {segment.index: without_hum(source, segment, track, amount) for segment in grid}
    return np.concatenate([parts[index] for index in sorted(parts)])


def level(sound):
    return 10 * np.log10(np.mean(np.square(sound, dtype=np.float64)) + 1e-20)


@pytest.fixture(scope="module")
def speech():
    """Anders' dry lines, three quarters of a minute of them, with a breath of hiss."""
    lines = json.loads((VOICES / "lines.json").read_text())
    dry = _dry(lines, ANDERS)[30 * RATE : (30 + SECONDS) * RATE].astype(np.float32)[:, None]
    return dry * np.float32(10 ** (-26 / 20) / np.sqrt(np.mean(dry**2))) + noise(SECONDS, dbfs=-85)


@pytest.mark.parametrize(("hz", "dbfs", "channels"), [(50.013, -45, 1), (59.98, -58, 1), (49.99, -45, 2)])
def test_hum_under_talk_goes_by_thirty_db_and_the_talk_stays(speech, hz, dbfs, channels):
    clean = np.repeat(speech, channels, axis=1)
    hum = humming(hz, dbfs=dbfs, channels=channels)
    source = ArraySource(clean + hum)
    track = follow_hum(source, Threads(2))
    assert track.hz == pytest.approx(hz, abs=0.01)
    left = mended(source, track) - clean
    assert level(left) < level(hum) - 30
    spectra = [np.abs(np.fft.rfft(sound[:, 0])) ** 2 for sound in (clean, clean + left)]
    edges = np.geomspace(80, 8000, 25) * len(clean) // RATE
    bands = [np.add.reduceat(power, edges.astype(int))[:-1] for power in spectra]
    assert np.abs(10 * np.log10(bands[1] / bands[0])).max() < 0.5


def test_where_hum_is_alone_it_goes_even_further():
    hum, hiss = humming(50.02, dbfs=-40, wander=0.03), noise(SECONDS, dbfs=-75)
    source = ArraySource(hum + hiss)
    assert level((mended(source, follow_hum(source)) - hiss)[RATE:-RATE]) < level(hum) - 34


def test_half_the_amount_is_six_db_and_none_is_bit_identical():
    source = ArraySource(talk(30, seed=2) + humming(50.0, seconds=30))
    track = follow_hum(source)
    full, half = mended(source, track), mended(source, track, 0.5)
    np.testing.assert_allclose(half, (source.data + full) / 2, atol=1e-6)
    assert mended(source, track, 0.0).tobytes() == source.data.tobytes()


def test_the_same_bits_in_any_order():
    source = ArraySource(talk(SECONDS, seed=2) + humming(60.01))
    track = follow_hum(source)
    assert mended(source, track).tobytes() == mended(source, track, order=-1).tobytes()
    whole = without_hum(source, Segment(0, 0, source.frames), track, 1.0)
    assert whole.tobytes() == mended(source, track).tobytes()
    threaded = follow_hum(source, Threads(2))
    assert threaded.levels.tobytes() == track.levels.tobytes()


@pytest.mark.parametrize("sound", [talk(30, seed=5), noise(30, dbfs=-60), silence(30), talk(1, seed=1)])
def test_where_nothing_hums_there_is_nothing_to_subtract(sound):
    assert follow_hum(ArraySource(sound)) is None


def test_only_what_stands_out_is_followed():
    source = ArraySource(noise(30, dbfs=-70) + humming(50.0, seconds=30, count=3))
    track = follow_hum(source)
    assert track.harmonics == (1, 2, 3)
    assert track.phase.shape == (-(-source.frames // HOP),)


def test_digital_silence_stays_silent_and_does_not_hide_the_hum_beside_it(speech):
    hum = humming(50.02)
    sound = speech + hum
    gaps = np.zeros(len(sound), bool)
    for at, seconds in ((8.3, 0.25), (20.0, 0.4), (31.6, 1.5)):
        gaps[round(at * RATE) : round((at + seconds) * RATE)] = True
    sound[gaps] = 0
    source = ArraySource(sound)
    out = mended(source, follow_hum(source))
    assert not out[gaps].any()
    assert level((out - speech)[~gaps]) < level(hum) - 30
    whole = without_hum(source, Segment(0, 0, source.frames), follow_hum(source), 1.0)
    assert whole.tobytes() == out.tobytes(), "a gap across two segments is one gap"


def test_hum_of_a_short_recording_is_followed_too(speech):
    hum = humming(49.99, seconds=6)
    source = ArraySource(speech[5 * RATE : 11 * RATE] + hum)
    left = mended(source, follow_hum(source)) - speech[5 * RATE : 11 * RATE]
    assert level(left) < level(hum) - 24


def leaning(seconds=10):
    """A voice whose pulses point to one side."""
    t = np.arange(seconds * RATE) / RATE
    voice = sum(np.cos(2 * np.pi * 120 * k * t) / k for k in range(1, 12)) * (np.sin(2 * np.pi * 0.4 * t) > -0.2)
    return (0.1 * voice[:, None]).astype(np.float32)


def test_rotation_keeps_every_level_and_wins_headroom():
    source = ArraySource(leaning())
    grid = list(segments(source.frames))
    peaks = {}
    for angle in np.arange(0, np.pi, np.pi / 12):
        turned = np.concatenate([rotated(source, segment, angle) for segment in grid])
        peaks[angle] = np.abs(turned[RATE:-RATE]).max()
        ratio = np.abs(np.fft.rfft(turned[:, 0])) / np.maximum(np.abs(np.fft.rfft(source.data[:, 0])), 1e-9)
        lines = [round(120 * k * len(turned) / RATE) for k in range(1, 12)]
        assert np.abs(20 * np.log10(ratio[lines])).max() < 0.05
    assert 20 * np.log10(peaks[0.0] / min(peaks.values())) > 1.5


def test_rotation_by_nothing_is_bit_identical_and_segments_meet():
    source = ArraySource(talk(25, seed=6))
    grid = list(segments(source.frames))
    assert np.concatenate([rotated(source, s, 0.0) for s in grid]).tobytes() == source.data.tobytes()
    parts = np.concatenate([rotated(source, s, 0.7) for s in grid])
    whole = rotated(source, Segment(0, 0, source.frames), 0.7)
    np.testing.assert_allclose(parts, whole, atol=1e-6)


def test_the_best_angle_is_found_and_all_processes_go_one_after_another():
    source = ArraySource(leaning(30) + humming(50.0, seconds=30, dbfs=-50))
    angle, wins = best_angle(source, measure_frames(source).high_peak)
    assert wins > 1.5
    amounts = Amounts(hum=100, phase=True)
    known = measure(source, amounts, Facts(np.zeros((0, 2))))
    assert known["phase"] == pytest.approx(angle, abs=0.1)
    out = np.concatenate(list(mended_parts(source, amounts, known, Threads(2))))
    assert 20 * np.log10(np.abs(source.data).max() / np.abs(out[RATE:-RATE]).max()) > 1.5
    assert level(out[:, 0]) == pytest.approx(level(leaning(30)), abs=0.1)
