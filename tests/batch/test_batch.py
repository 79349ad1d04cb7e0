"""Batches on one machine: what comes of them, what stops them, and how they go on."""

import fcntl
import json
import subprocess
import sys

import pytest

from pampa.batch import run as running
from pampa.batch.place import Place
from pampa.batch.run import run
from pampa.batch.task import carry_out
from pampa.core.errors import PampaError
from pampa.core.executor import Inline, Threads
from tests.conftest import write_talk

PLAN = """out = "made"

[[work]]
files = ["in"]
do = ["measure", "checkup", "level", "deliver"]
format = "flac"
target = -19
"""


def test_files_are_made_and_a_bad_one_does_not_stop_the_rest(planned, files):
    outcomes = run(planned(PLAN), Threads(2), elsewhere=False)
    assert [(each["name"], each["state"]) for each in outcomes] == [
        ("in/a", "done"), ("in/b", "done"), ("in/broken", "failed"), ("in/deep/c", "done"),
    ]  # fmt: skip
    assert "could not be read as sound" in outcomes[2]["error"]
    assert abs(outcomes[0]["figures"]["deliver"]["integrated_lufs"] + 19) < 0.1
    assert outcomes[0]["figures"]["checkup"]
    assert (files / "made" / "in" / "deep" / "c.flac").stat().st_size > 1000
    report = json.loads((files / "made" / "batch.json").read_text())
    assert (report["asked"], report["done"], report["failed"], report["not_begun"]) == (4, 3, 1, 0)
    page = (files / "made" / "batch.html").read_text()
    assert page.index("in/broken") < page.index("in/a<")


def test_what_was_finished_is_not_done_again_unless_it_is_gone_or_changed(planned, files, monkeypatch):
    plan = planned(PLAN)
    run(plan, Inline(), elsewhere=False)
    done = []
    monkeypatch.setattr(running, "carry_out", lambda place, task: done.append(task.name) or carry_out(place, task))
    run(plan, Inline(), elsewhere=False)
    assert done == ["in/broken"]
    (files / "made" / "in" / "a.flac").unlink()
    write_talk(files / "in" / "b.wav", 3, seed=9)
    with (files / "made" / ".batch" / "ledger.jsonl").open("a") as ledger:
        ledger.write('{"key": "half')
    outcomes = run(plan, Inline(), elsewhere=False)
    assert done[1:] == ["in/a", "in/b", "in/broken"]
    assert [each["state"] for each in outcomes] == ["done", "done", "failed", "done"]
    run(plan, Inline(), elsewhere=False)
    assert done[4:] == ["in/broken"]


def test_a_run_that_is_killed_goes_on_where_it_stopped(planned, files):
    """Killed hard after its first file; the second run does the rest, and makes the same."""
    planned(PLAN.replace('"in"', '"in/*.wav", "in/deep"'))
    program = (
        "import os, sys\nfrom pathlib import Path\nfrom pampa.batch import run as running\n"
        "from pampa.batch.plan import read_plan\nfrom pampa.core.executor import Inline\n"
        "add = running.Ledger.add\n"
        "def once(self, outcome):\n    add(self, outcome)\n    os._exit(9)\n"
        "running.Ledger.add = once\nrunning.run(read_plan(Path(sys.argv[1])), Inline(), elsewhere=False)\n"
    )
    killed = subprocess.run([sys.executable, "-c", program, str(files / "plan.toml")], check=False)
    assert killed.returncode == 9
    assert (files / "made" / "in" / "a.flac").exists()
    assert not (files / "made" / "in" / "b.flac").exists()
    stamp = (files / "made" / "in" / "a.flac").stat().st_mtime_ns
    done = subprocess.run(
        [sys.executable, "-m", "pampa", "batch", str(files / "plan.toml"), "--json"], capture_output=True, check=False
    )
    report = json.loads(done.stdout)
    assert (done.returncode, report["done"]) == (0, 3)
    assert (files / "made" / "in" / "a.flac").stat().st_mtime_ns == stamp


def test_two_batches_do_not_work_in_one_folder(planned, files):
    plan = planned(PLAN)
    (files / "made" / ".batch").mkdir(parents=True)
    with (files / "made" / ".batch" / "in-use").open("w") as hold:
        fcntl.flock(hold, fcntl.LOCK_EX)
        with pytest.raises(PampaError, match="Another batch works in"):
            run(plan, Inline(), elsewhere=False)


def test_a_shared_place_takes_files_by_what_is_in_them_and_its_loss_is_told(planned, files, tmp_path):
    plan = planned(f'shared = "{tmp_path}/share"\n' + PLAN)
    outcomes = run(plan, Inline(), elsewhere=True)
    assert sum(each["state"] == "done" for each in outcomes) == 3
    [own] = (tmp_path / "share").iterdir()
    place = Place(str(own), shared=True)
    contents = list((own / "content").iterdir())
    assert len(contents) == 4
    assert not list((own / "made").iterdir())
    contents[0].write_bytes(b"other")
    from pampa.batch.place import Input

    with pytest.raises(PampaError, match="did not arrive as it was sent"):
        place.fetched(Input("x.wav", "", contents[0].name), files)
    (tmp_path / "gone").write_text("a file where a folder was")
    gone = planned(f'shared = "{tmp_path}/gone/share"\n' + PLAN.replace('"made"', '"other"'))
    with pytest.raises(PampaError, match=r"cannot be reached.*goes on where it stopped"):
        run(gone, Inline(), elsewhere=True)
    with pytest.raises(PampaError, match="need a place where the data lies"):
        run(planned(PLAN), Inline(), elsewhere=True)


@pytest.mark.long
def test_a_raw_episode_becomes_finished_files(files, planned):
    (files / "raw" / "low-water").mkdir(parents=True)
    for seed, name in enumerate(("marisol", "anders"), 1):
        write_talk(files / "raw" / "low-water" / f"{name}.wav", 20, seed)
    outcomes = run(planned('out = "made"\n[[work]]\nepisodes = ["raw/*"]\n'), Inline(), elsewhere=False)
    assert outcomes[0]["state"] == "done", outcomes[0]["error"]
    assert [path.suffix for path in (files / "made" / "raw").rglob("*") if path.is_file()] == [".mp3"]
