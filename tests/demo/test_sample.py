"""The sample against its truth: what an editor receives is as spoilt as it says, and lined up it fits."""

import json

import numpy as np
import pytest
import soundfile

from pampa.core.sound import RATE
from pampa.demo import music
from pampa.demo.assemble import ANDERS_OFFSET_S, LENGTH_S, VOICES
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio
from tests.pages.conftest import EPISODE


def lag_ms(a, b):
    """How much later `b` is than `a`, in milliseconds, by their cross-correlation."""
    size = 1 << (len(a) + len(b)).bit_length()
    cross = np.fft.irfft(np.fft.rfft(b, size) * np.conj(np.fft.rfft(a, size)), size)
    peak = int(np.argmax(cross))
    return (peak - size if peak > size // 2 else peak) / RATE * 1000


def dry_line(number):
    """A line of the script at 48 kHz, and where it starts on the ideal timeline."""
    import soxr

    line = json.loads((VOICES / "lines.json").read_text())[number]
    sound, rate = soundfile.read(VOICES / line["file"])
    return soxr.resample(sound, rate, RATE), line["start_s"]


HEARD_LATER_MS = 160.0
"""Anders reaches the call's recording 180 ms late, Marisol 20 ms: lined up with it, that much is between them."""


@pytest.mark.parametrize("number", [8, 31, 59])
def test_anders_lined_up_is_where_the_script_has_him(demo_copy, number):
    """Beginning, middle and end: his clock's drift is out, and he answers when Marisol heard him over the call."""
    studio = Studio(Settings(data=demo_copy))
    try:
        dry, start_s = dry_line(number)
        document = studio.editing.state(EPISODE).document
        clip = document.tracks[1].clips[0]
        source = studio.sounds.conformed(clip.recording, document.drift_ppm(clip.recording))
        first = round(start_s * RATE) - clip.start + clip.source
        heard = source.read(first - 2400, first + len(dry) + 2400)[:, 0]
    finally:
        studio.close()
    assert lag_ms(dry, heard) == pytest.approx(50.0 + HEARD_LATER_MS, abs=0.5)


def test_the_raw_recordings_are_as_spoilt_as_the_truth_says(sample):
    folder, truth = sample
    anders, rate = soundfile.read(folder / "anders_local.wav")
    assert rate == 44_100
    assert np.array_equal(anders[:, 0], anders[:, 1])
    assert len(anders) / rate == pytest.approx((LENGTH_S - ANDERS_OFFSET_S) * (1 + 38e-6), abs=0.001)
    quiet = anders[round(1.0 * rate) : round(1.12 * rate), 0].reshape(12, -1).std(axis=1)
    assert 20 * np.log10(np.median(quiet)) == pytest.approx(truth.kitchen_floor_dbfs, abs=3)
    marisol, rate = soundfile.read(folder / "marisol_local.wav")
    spectrum = np.abs(np.fft.rfft(marisol[: rate * 8] * np.hanning(rate * 8)))
    near = spectrum[round(8 * (truth.hum_hz - 3)) : round(8 * (truth.hum_hz + 3))]
    assert abs(int(np.argmax(near)) - 24) <= 1  # an eighth of a hertz each
    call, rate = soundfile.read(folder / "call_backup.wav")
    for at, length in truth.drop_outs:
        assert np.abs(call[round((at + 0.02) * rate) : round((at + length - 0.02) * rate)]).max() < 0.02


def test_the_check_up_tells_the_raw_recordings_as_they_were_made(demo_copy, sample):
    """Marisol: hum and thumps. Anders: a kitchen, on both sides of a stereo file. The call: a side each, narrow."""
    truth = sample[1]
    studio = Studio(Settings(data=demo_copy))
    try:
        named = {each.id: each.name for each in studio.recordings.of_episode(EPISODE)}
        told = {named[number]: found for number, found in studio.checking_up.of_episode(EPISODE).items()}
        assert studio.jobs.open_jobs(EPISODE) == []
    finally:
        studio.close()
    marisol, anders, call = (told[f"{name}.wav"] for name in ("marisol_local", "anders_local", "call_backup"))
    assert marisol["hum"]["hz"] == pytest.approx(truth.hum_hz, abs=0.1)
    assert marisol["plosives"] >= 5
    assert anders["floor_dbfs"] == pytest.approx(truth.kitchen_floor_dbfs, abs=1)
    assert (anders["sides"], call["sides"], anders["hum"]) == ("same", "two people", None)
    wants = [{finding["process"] for finding in found["findings"]} - {None} for found in (marisol, anders)]
    assert wants == [{"hum", "plosives"}, {"clicks", "noise", "reverb"}]
    assert any("as over a call" in finding["text"] for finding in call["findings"])
    assert [found["clipped"] for found in (marisol, anders, call)] == [[], [], []]


def test_assembling_again_gives_the_same_bits(sample, tmp_path):
    from pampa.demo.assemble import _small

    folder, _ = sample
    _small(tmp_path, json.loads((VOICES / "lines.json").read_text()))
    assert (tmp_path / "nola_spot.wav").read_bytes() == (folder / "nola_spot.wav").read_bytes()


def test_the_theme_has_its_length_and_its_beat(sample):
    sound, rate = soundfile.read(sample[0] / "theme.flac")
    assert len(sound) / rate == pytest.approx(45.0, abs=0.01)
    low = np.convolve(np.abs(sound[:, 0]), np.ones(441) / 441, "same")[::441]
    onsets = np.maximum(np.diff(low), 0)
    strength = [onsets[: -round(lag)] @ onsets[round(lag) :] for lag in 100 * 60 / np.arange(80, 106)]
    assert abs(80 + int(np.argmax(strength)) - music.BPM) <= 1


def test_the_show_has_two_episodes_and_the_truth_is_never_read(demo_copy):
    import pampa

    studio = Studio(Settings(data=demo_copy))
    try:
        [show] = studio.shows.all_shows()
        assert [e.title for e in studio.shows.episodes(show.id)] == ["The Pilot Ladder", "Reading the Bar"]
    finally:
        studio.close()
    from pathlib import Path

    for path in Path(pampa.__file__).parent.rglob("*.py"):
        if "demo" not in path.parts:
            assert "truth.json" not in path.read_text(), path
