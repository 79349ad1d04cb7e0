"""The commands, as a script would call them."""

import json
import multiprocessing
import os
import subprocess
import sys
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import pytest
import soundfile

from pampa.cli.main import run
from pampa.core.files import children
from pampa.core.loudness import measure
from pampa.core.sound import RATE
from pampa.core.timeline.recipe_files import Written, to_json
from pampa.core.voice.recipe import Recipe
from tests.conftest import beginning
from tests.signals import noise, silence, sine, talk

ROOT = Path(__file__).parents[1]


def pampa(*arguments):
    """Forked from a process that has loaded what most commands need: loading it each time takes longer than they do."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(children.LOADED)
    with TemporaryDirectory() as folder:
        told = [Path(folder) / name for name in ("out", "err")]
        process = context.Process(target=_called, args=(tuple(map(str, arguments)), told))
        process.start()
        process.join(300)
        return subprocess.CompletedProcess(arguments, process.exitcode, *(path.read_text() for path in told))


def _called(arguments, told):
    for number, path in enumerate(told, 1):
        with path.open("w") as file:
            os.dup2(file.fileno(), number)
    sys.argv = ["pampa", *arguments]
    run()


def test_a_command_is_one_of_the_module(wav):
    command = [sys.executable, "-m", "pampa", "measure", wav("a.wav", noise(1)), "--json"]
    done = subprocess.run(command, capture_output=True, text=True, timeout=300, check=True)
    assert json.loads(done.stdout) == json.loads(pampa(*command[3:]).stdout)


@pytest.fixture
def wav(tmp_path):
    def make(name, sound, rate=RATE):
        soundfile.write(tmp_path / name, sound, rate, subtype="FLOAT")
        return tmp_path / name

    return make


def test_measure_prints_one_object_a_file(wav):
    files = [wav("a.wav", sine(1000, dbfs=-23, seconds=5, channels=2)), wav("b.wav", silence(2), 44_100)]
    done = pampa("measure", *files, "--json")
    loud, silent = map(json.loads, done.stdout.splitlines())
    assert done.returncode == 0
    assert loud["integrated_lufs"] == pytest.approx(-23.0, abs=0.1)
    assert list(loud) == [
        "file", "duration_s", "sample_rate", "channels", "integrated_lufs", "loudness_range_lu",
        "max_momentary_lufs", "max_short_term_lufs", "true_peak_dbtp", "sample_peak_dbfs",
    ]  # fmt: skip
    assert silent["sample_rate"] == 44_100
    assert {silent[name] for name in list(silent)[4:]} == {None}


def test_measure_goes_on_past_a_bad_file_and_says_so(wav, tmp_path):
    (tmp_path / "notes.wav").write_text("not sound")
    done = pampa("measure", tmp_path / "notes.wav", wav("a.wav", noise(1)), "--json")
    assert done.returncode == 2
    assert len(done.stdout.splitlines()) == 1
    assert "could not be read as sound" in done.stderr
    assert "Traceback" not in done.stderr


def test_deliver_meets_its_target(wav, tmp_path):
    source = wav("in.wav", np.repeat(talk(12, dbfs=-30), 2, axis=1))
    done = pampa("deliver", source, tmp_path / "out.mp3", "--target", -16, "--ceiling", -1, "--bitrate", 128, "--json")
    sheet = json.loads(done.stdout)
    assert done.returncode == 0
    assert sheet["met"]
    measured = json.loads(pampa("measure", tmp_path / "out.mp3", "--json").stdout)
    assert measured["integrated_lufs"] == pytest.approx(-16, abs=0.1)
    assert measured["true_peak_dbtp"] <= -1.0


def test_deliver_ends_with_3_when_the_limiting_allowed_does_not_reach(wav, tmp_path):
    source = wav("in.wav", np.clip(noise(6, dbfs=-10, channels=2), -1, 1))
    done = pampa("deliver", source, tmp_path / "out.wav", "--target", -1)
    assert done.returncode == 3
    assert "limiting" in done.stdout
    assert (tmp_path / "out.wav").exists()


@pytest.mark.parametrize(
    ("name", "arguments", "said"),
    [
        ("out.doc", [], "Pampa writes"),
        ("out.mp3", ["--bitrate", "77"], "bit rate"),
        ("out.wav", ["--bits", "12"], "16 or 24"),
        ("none/out.wav", [], "no folder"),
        ("in.wav", [], "same file"),
    ],
)
def test_deliver_ends_with_2_for_what_cannot_be_done_and_writes_nothing(wav, tmp_path, name, arguments, said):
    source = wav("in.wav", talk(2))
    before = source.read_bytes()
    done = pampa("deliver", source, tmp_path / name, *arguments)
    assert done.returncode == 2
    assert said in done.stderr
    assert [entry.name for entry in tmp_path.iterdir()] == ["in.wav"]
    assert source.read_bytes() == before


def test_deliver_refuses_samples_that_are_no_numbers(wav, tmp_path):
    sound = talk(1)
    sound[7] = np.nan
    done = pampa("deliver", wav("in.wav", sound), tmp_path / "out.wav", "--json")
    assert done.returncode == 2
    assert "no numbers" in json.loads(done.stdout)["error"]


def test_a_rate_that_mp3_does_not_know_becomes_48_khz(wav, tmp_path):
    source = wav("in.wav", talk(6, rate=96_000), 96_000)
    assert pampa("deliver", source, tmp_path / "out.mp3", "--target", "-19").returncode == 0
    assert soundfile.info(tmp_path / "out.mp3").samplerate == 48_000


def test_align_finds_the_sample_and_writes_it_lined_up(sample, tmp_path):
    """The raw files of the sample: offset to 5 ms, drift to 2 ppm, and what does not belong is said not to."""
    folder, truth = sample
    files = [folder / name for name in ("marisol_local.wav", "anders_local.wav", "theme.flac")]
    done = pampa("align", folder / "call_backup.wav", *files, "--write", tmp_path / "out", "--json")
    marisol, anders, theme = json.loads(done.stdout)["tracks"]
    assert done.returncode == 3
    assert anders["offset_s"] == pytest.approx(truth.anders_offset_s + truth.call_delay_s, abs=0.005)
    assert anders["drift_ppm"] == pytest.approx(truth.anders_drift_ppm, abs=2)
    assert marisol["drift_ppm"] == pytest.approx(0, abs=2)
    assert marisol["matched"]
    assert (theme["matched"], theme["offset_s"]) == (False, None)
    written = soundfile.info(tmp_path / "out" / "anders_local.wav")
    assert written.duration == pytest.approx(347.0, abs=0.5)
    assert sorted(path.name for path in (tmp_path / "out").iterdir()) == ["anders_local.wav", "marisol_local.wav"]
    again = pampa("align", folder / "call_backup.wav", tmp_path / "out" / "anders_local.wav", "--json")
    [lined_up] = json.loads(again.stdout)["tracks"]
    assert lined_up["offset_s"] == pytest.approx(0, abs=0.002)
    assert lined_up["drift_ppm"] == pytest.approx(0, abs=1)


def test_align_says_what_it_could_not_read(tmp_path, wav):
    (tmp_path / "notes.wav").write_text("no sound")
    done = pampa("align", wav("a.wav", talk(5)), tmp_path / "notes.wav", "--json")
    assert done.returncode == 2
    assert "could not be read" in json.loads(done.stdout)["error"]


def test_checkup_tells_what_a_file_suffers_from_and_what_it_could_not_read(sample, tmp_path):
    truth, recorded = sample[1], beginning(sample[0] / "anders_local.wav", tmp_path, 45)
    (tmp_path / "notes.wav").write_text("no sound")
    done = pampa("checkup", recorded, tmp_path / "notes.wav", "--json")
    anders, notes = json.loads(done.stdout)["files"]
    assert done.returncode == 2
    assert anders["floor_dbfs"] == pytest.approx(truth.kitchen_floor_dbfs, abs=1)
    assert anders["sides"] == "same"
    assert {"kind", "text", "process", "amount"} == set(anders["findings"][0])
    assert "could not be read" in notes["error"]
    plain = pampa("checkup", recorded)
    assert (plain.returncode, "Proposed: noise" in plain.stdout) == (0, True)


def test_find_tells_what_may_go_with_the_track_it_is_on(sample, wav, tmp_path):
    marisol = beginning(sample[0] / "marisol_local.wav", tmp_path, 45)
    done = pampa("find", marisol, sample[0] / "nola_spot.wav", "--json")
    rows = json.loads(done.stdout)["suggestions"]
    assert done.returncode == 0
    assert {row["kind"] for row in rows} >= {"silence", "breath"}
    assert all(row["track"] in (0, 1) and row["start_s"] < row["end_s"] for row in rows)
    assert rows == sorted(rows, key=lambda row: row["start_s"])
    shorter = pampa("find", sample[0] / "nola_spot.wav", "--confidence", "0.9")
    assert "dB over the room" in shorter.stdout
    broken = wav("broken.wav", noise(1))
    broken.write_bytes(b"RIFF but not sound")
    refused = pampa("find", sample[0] / "nola_spot.wav", broken, "--json")
    assert refused.returncode == 2
    assert "broken.wav" in json.loads(refused.stdout)["error"]


def test_clean_takes_out_what_the_check_up_proposes_and_writes_whole_files_only(sample, wav, tmp_path):
    marisol = wav("marisol.wav", soundfile.read(sample[0] / "marisol_local.wav", frames=60 * RATE)[0])
    done = pampa("clean", marisol, tmp_path / "out.wav", "--auto", "--json")
    told = json.loads(done.stdout)
    assert told["done"]["hum"]["hz"] == pytest.approx(50.0, abs=0.02)
    assert {1, 2, 3, 5} <= set(told["done"]["hum"]["harmonics"]) <= {1, 2, 3, 4, 5, 7}
    assert soundfile.info(tmp_path / "out.wav").frames == 60 * RATE
    as_it_is = wav("talk.wav", talk(4))
    assert pampa("clean", as_it_is, tmp_path / "same.flac").returncode == 0
    np.testing.assert_allclose(soundfile.read(tmp_path / "same.flac")[0], soundfile.read(as_it_is)[0], atol=2**-23)
    (tmp_path / "notes.wav").write_bytes(b"not sound")
    for source, out in ((tmp_path / "notes.wav", "a.wav"), (as_it_is, "a.mp3")):
        refused = pampa("clean", source, tmp_path / out, "--hum", "100")
        assert refused.returncode == 2
        assert "Nothing was" in refused.stderr
    assert {path.name for path in tmp_path.iterdir()} == {
        "marisol.wav", "out.wav", "same.flac", "talk.wav", "notes.wav",
    }  # fmt: skip


def test_voice_treats_a_file_by_a_start_or_a_recipe_file_and_leaves_it_as_loud(wav, tmp_path):
    source = wav("talk.wav", talk(12))
    (tmp_path / "r.json").write_text(to_json(Written("near", voice=Recipe(level=100, warmth=60))))
    for recipe, more, stage in (("boxy room", ["--nearer", "40"], "compressor"), (tmp_path / "r.json", [], "warmth")):
        done = pampa("voice", source, tmp_path / "out.wav", "--recipe", recipe, *more, "--json")
        told = json.loads(done.stdout)
        assert (done.returncode, told["rate"]) == (0, RATE)
        assert told["loudness"]["integrated_lufs"] == pytest.approx(measure(talk(12), RATE).integrated_lufs, abs=0.1)
        assert told["stages"][stage]
    refused = pampa("voice", source, tmp_path / "x.wav", "--recipe", "kitchen")
    assert (refused.returncode, (tmp_path / "x.wav").exists()) == (2, False)
    assert "boxy room" in refused.stderr


def test_every_command_of_the_launcher_is_in_the_manual():
    readme = (ROOT / "README.md").read_text()
    for command in (
        "demo",
        "serve",
        "test",
        "bench",
        "measure",
        "deliver",
        "align",
        "checkup",
        "clean",
        "level",
        "voice",
        "find",
        "password",
    ):
        assert f"./pampa {command}" in readme
