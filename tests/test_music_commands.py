"""Music in a terminal: laid under talk, fitted to a length, its beats told."""

import json
from pathlib import Path

import numpy as np
import pytest
import soundfile
from bench.levelling import lines
from bench.made_music import tune
from bench.under_talk import case

import pampa.demo as sample
from pampa.core.sound import RATE
from tests.test_commands import pampa

VOICES = Path(sample.__file__).parent / "voices"
FITTED = ("jumps", "length_s", "middle_faster_percent", "worst_jump")


@pytest.fixture(scope="module")
def files(tmp_path_factory):
    folder = tmp_path_factory.mktemp("music")
    made = case("knocks", lines(VOICES), 2)
    song = tune("band", 4, seconds=20, bpm=100.0)
    for name, sound in (("talk", made.talk), ("bed", made.music), ("song", song.sound)):
        soundfile.write(folder / f"{name}.wav", sound, RATE, subtype="FLOAT")
    return folder, made, song


def test_duck_lays_music_so_far_under_talk_that_stays_as_it_is(files, tmp_path):
    folder, made, _ = files
    done = pampa("duck", folder / "talk.wav", folder / "bed.wav", tmp_path / "out.wav", "--under", 16, "--json")
    told = json.loads(done.stdout)
    assert done.returncode == 0
    assert told["under_lu"] == pytest.approx(16, abs=1)
    out, rate = soundfile.read(tmp_path / "out.wav", dtype="float32")
    assert (rate, len(out)) == (RATE, len(made.talk))
    start, stop = made.phrases[3]
    music = out[start:stop] - made.talk[start:stop]
    gain = np.linalg.norm(music) / np.linalg.norm(made.music[start:stop])
    assert gain < 0.8
    assert np.allclose(music, made.music[start:stop] * gain, atol=0.1)
    by_depth = pampa("duck", folder / "talk.wav", folder / "bed.wav", tmp_path / "deep.flac", "--depth", 12, "--json")
    assert json.loads(by_depth.stdout)["lowered_most_db"] == 12


def test_fit_lasts_as_long_as_asked_and_begins_and_ends_as_it_did(files, tmp_path):
    folder, _, song = files
    done = pampa("fit", folder / "song.wav", tmp_path / "out.wav", "--length", 31.25, "--json")
    told = json.loads(done.stdout)
    assert set(told) == {"file", *FITTED}
    out, _ = soundfile.read(tmp_path / "out.wav", dtype="float32")
    assert len(out) == round(31.25 * RATE)
    assert np.allclose(out[: RATE // 2], song.sound[: RATE // 2], atol=1e-6)
    assert np.allclose(out[-RATE:], song.sound[-RATE:], atol=1e-6)


@pytest.mark.parametrize(("length", "told"), [(2, "lasts from"), (4000, "lasts from")])
def test_fit_says_what_is_possible_and_writes_nothing(files, tmp_path, length, told):
    done = pampa("fit", files[0] / "song.wav", tmp_path / "out.wav", "--length", length, "--json")
    assert done.returncode == 2
    assert told in json.loads(done.stdout)["error"]
    assert not (tmp_path / "out.wav").exists()


def test_beats_are_told_and_none_where_there_is_none(files, tmp_path):
    folder, _, song = files
    told = json.loads(pampa("beats", folder / "song.wav", "--json").stdout)
    assert told["bpm"] == pytest.approx(100, abs=2)
    assert told["beats_in_bar"] == song.meter
    soundfile.write(tmp_path / "short.wav", song.sound[: RATE // 5], RATE)
    none = json.loads(pampa("beats", tmp_path / "short.wav", "--json").stdout)
    assert none == {"bpm": None, "beats_s": [], "bars_s": [], "beats_in_bar": None}
    assert pampa("fit", tmp_path / "short.wav", tmp_path / "out.wav", "--length", 1).returncode == 2
