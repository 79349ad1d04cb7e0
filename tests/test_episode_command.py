"""The command that goes straight through, as a script would call it."""

import json
import re

import pytest
import soundfile

from pampa.core.loudness import measure
from tests.conftest import beginning
from tests.test_commands import pampa


@pytest.fixture
def raw(sample, tmp_path):
    """The first minute of what came from both ends, and of the call."""
    return [
        beginning(sample[0] / f"{name}.wav", tmp_path, 60) for name in ("marisol_local", "anders_local", "call_backup")
    ]


def test_a_dry_run_tells_the_plan_and_leaves_nothing(raw, talk_file, tmp_path):
    data = tmp_path / "data"
    data.mkdir()
    done = pampa("episode", *raw, "--out", tmp_path / "neap-tide", "--show", data, "--dry-run", "--json")
    told = json.loads(done.stdout)
    assert (done.returncode, told["report"], told["files"]) == (0, None, [])
    steps = {step["name"]: step for step in told["plan"]["steps"]}
    assert any(re.search(r"anders_local\.wav by \+4\.[89]", line) for line in steps["line-up"]["told"])
    assert not steps["fillers"]["done"]
    assert not (tmp_path / "neap-tide").exists()
    again = pampa("episode", talk_file("again.wav"), "--out", tmp_path / "x", "--show", data, "--dry-run", "--json")
    assert json.loads(again.stdout)["files"] == []


def test_raw_files_become_an_episode_on_target_in_a_show_of_ones_own(raw, tmp_path):
    data, out, plan = tmp_path / "data", tmp_path / "out", tmp_path / "plan.json"
    data.mkdir()
    plan.write_text(json.dumps({"title": "Neap Tide", "number": 13, "people": {"anders_local.wav": "Anders Quill"}}))
    (tmp_path / "empty.wav").write_bytes(b"")
    done = pampa("episode", *raw, tmp_path / "empty.wav", "--out", out, "--show", data, "--plan", plan, "--json")
    told = json.loads(done.stdout)
    assert done.returncode == 3
    assert ["empty.wav" in line for line in told["needs"]] == [True]
    [file] = told["files"]
    assert file["file"] == str(out / "data-13-neap-tide.mp3")
    sound, rate = soundfile.read(file["file"])
    reading = measure(sound, rate)
    assert reading.integrated_lufs == pytest.approx(-16.0, abs=0.1)
    assert reading.true_peak_dbtp <= -1.0


@pytest.mark.parametrize(
    ("plan", "says"),
    [
        ("{", "is no JSON (line 1)"),
        ('{"tick": []}', "tick is not known"),
        ('{"ticked": ["all"]}', "ticked is a list of"),
        ('{"longer_s": 0}', "longer_s lies from 0.3 to 60"),
        ('{"people": []}', "people and roles go by the names"),
        ('{"roles": {"marisol_local.wav": "singer"}}', "a role is one of"),
    ],
)
def test_a_plan_with_a_mistake_is_told(talk_file, tmp_path, plan, says):
    (tmp_path / "plan.json").write_text(plan)
    said = talk_file("marisol_local.wav", seconds=2)
    done = pampa("episode", said, "--out", tmp_path / "out", "--plan", tmp_path / "plan.json", "--json")
    assert done.returncode == 2
    assert says in json.loads(done.stdout)["error"]
    assert not (tmp_path / "out").exists()


def test_a_file_that_is_not_there_is_told(raw, tmp_path):
    done = pampa("episode", tmp_path / "none.wav", "--out", tmp_path / "out")
    assert done.returncode == 2
    assert "There is no file" in done.stderr
