"""Folders that older releases left: they open, undo to their beginning, come back entry by entry, and deliver."""

import json
import zipfile
from pathlib import Path

import pytest

from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim
from pampa.core.timeline.codec import decode
from pampa.core.timeline.document import Document
from pampa.studio.sending import Wanted
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio

RELEASES = sorted(path.name for path in (Path(__file__).parents[1] / "data").glob("released-*.zip"))


@pytest.fixture(params=RELEASES)
def released(request, tmp_path):
    """A studio over such a folder, and what is true of it."""
    with zipfile.ZipFile(Path(__file__).parents[1] / "data" / request.param) as packed:
        packed.extractall(tmp_path)
    studio = Studio(Settings(data=tmp_path / "data", workers=2))
    yield studio, json.loads((tmp_path / "truth.json").read_text())
    studio.close()


def test_every_point_of_its_history_is_as_it_was(released):
    studio, truth = released
    episode = truth["episode"]
    assert studio.editing.state(episode).document == decode(truth["documents"][truth["position"]])
    assert len(truth["documents"]) > 40
    while True:
        position = studio.editing._position(episode)
        assert studio.editing.state(episode).document == decode(truth["documents"][position]), truth["names"][:position]
        if not position:
            break
        studio.editing.undo(episode)
    assert studio.editing.state(episode).document == Document()
    for expected in truth["documents"][1:]:
        assert studio.editing.redo(episode).document == decode(expected)
    assert studio.editing.state(truth["other_episode"]).document == decode(truth["other"])


def test_its_history_version_and_pattern_are_told_and_of_use(released):
    studio, truth = released
    episode = truth["episode"]
    assert len(studio.editing.history(episode)) == len(truth["names"])
    assert all(entry["what"] for entry in studio.editing.history(episode))
    studio.versions.restore(truth["version"])
    [pattern] = studio.patterns.of_show(1)
    assert studio.patterns.begin(pattern.id, "The Next One").id


def test_it_delivers_as_it_did(released):
    studio, truth = released
    episode = truth["episode"]
    studio.jobs.wait()
    studio.editing.go_to(episode, len(truth["names"]))
    studio.sending.start(episode, [Wanted(Format("flac", 16), Aim(-19.0, -1.0), mono=True)])
    studio.jobs.wait()
    again, before = studio.sending.of_episode(episode)
    assert again.sheet["met"]
    assert again.sheet["duration_s"] == pytest.approx(before.sheet["duration_s"], abs=1e-6)
    # The same settings; a compressor that has become better takes a little more or less.
    assert again.sheet["gain_db"] == pytest.approx(before.sheet["gain_db"], abs=0.2)
    assert studio.sending.file(before.id)[0].stat().st_size == before.sheet["size_bytes"]
