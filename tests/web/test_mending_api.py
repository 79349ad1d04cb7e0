"""Mend over the wire."""

import numpy as np
import pytest

from pampa.core.mend.picture import COLUMNS, ROWS
from tests.web.test_api import edit, error_of, make_episode, upload


@pytest.fixture
def recorded(client, studio, talk_file):
    """An episode, and its one recording."""
    episode = make_episode(client)
    upload(client, episode, talk_file("anders.wav", seconds=8))
    studio.jobs.wait()
    return episode, client.get(f"/api/episodes/{episode}/recordings").json()[0]["id"]


def test_amounts_are_set_measured_heard_seen_and_undone(client, studio, recorded):
    episode, number = recorded
    amounts = {"noise": 30, "phase": True, "hiss": 50}
    changed = edit(client, episode, client.get(f"/api/episodes/{episode}").json()["revision"], edit="mend",
                   name="Anders", recordings=[number], amounts=amounts).json()  # fmt: skip
    assert (changed["undo"], changed["mendings"][0]["recording"]) == ("Mended Anders", number)
    studio.jobs.wait()
    report = client.get(f"/api/recordings/{number}/mending").json()
    assert {name: report["amounts"][name] for name in amounts} == amounts
    assert "noise lowered" in [deed["words"] for deed in report["deeds"]]
    for way in ("recorded", "treated", "taken"):
        heard = client.get(f"/api/recordings/{number}/mending/sound?start=0&frames=4800&way={way}")
        assert np.frombuffer(heard.content, "<f4").shape == (9600,)
        assert heard.headers["X-Next-Start"] == "4800"
        picture = client.get(f"/api/recordings/{number}/mending/picture?zoom=3&tile=0&way={way}")
        assert len(picture.content) == COLUMNS * ROWS
        wave = client.get(f"/api/recordings/{number}/mending/wave?start=0&stop=96000&points=50&way={way}")
        assert np.frombuffer(wave.content, "<i2").shape == (100,)
    back = client.post(f"/api/episodes/{episode}/undo", json={"revision": changed["revision"]}).json()
    assert back["mendings"] == []


@pytest.mark.parametrize("amounts", [{"noise": 101}, {"noise": -1}, {"nonsense": 3}, {"noise_from": "x"}])
def test_amounts_that_make_no_sense_are_refused(client, recorded, amounts):
    episode, number = recorded
    revision = client.get(f"/api/episodes/{episode}").json()["revision"]
    told = edit(client, episode, revision, edit="mend", name="Anders", recordings=[number], amounts=amounts)
    assert told.status_code == 422
    assert error_of(told)


def test_what_is_not_there_is_told(client, recorded):
    assert client.get("/api/recordings/999/mending").status_code == 404
    assert client.get("/api/recordings/999/mending/sound?start=0&frames=10").status_code == 404
    number = recorded[1]
    assert client.get(f"/api/recordings/{number}/mending/picture?zoom=99&tile=0").status_code == 422
    assert client.get(f"/api/recordings/{number}/mending/sound?start=0&frames=10&way=backwards").status_code == 422
