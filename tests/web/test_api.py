"""The interface over the wire: answers, refusals, and their shapes."""

import json

import numpy as np
import pytest

from pampa.core.sound import RATE
from pampa.core.timeline.edits import EDITS


def make_episode(client):
    show = client.post("/api/shows", json={"name": "Slack Water", "host": "Marisol Vey"}).json()
    return client.post(f"/api/shows/{show['id']}/episodes", json={"title": "The Pilot Ladder", "number": 12}).json()[
        "id"
    ]


def upload(client, episode, path, piece=1 << 18):
    data = path.read_bytes()
    started = client.post(f"/api/episodes/{episode}/uploads", json={"name": path.name, "size": len(data)}).json()
    for at in range(0, len(data), piece):
        sent = client.put(f"/api/uploads/{started['id']}?offset={at}", content=data[at : at + piece])
        assert sent.status_code == 200
    return sent.json()["recording"]


def edit(client, episode, revision, **change):
    return client.post(f"/api/episodes/{episode}/edits", json={"revision": revision, "edit": change})


def error_of(response):
    body = response.json()
    assert set(body) == {"error"}
    assert body["error"]["message"].endswith((".", "!", "?"))
    return body["error"]


@pytest.fixture
def ready(client, studio, talk_file):
    """An episode with one person of 8 s, over the wire."""
    episode = make_episode(client)
    upload(client, episode, talk_file())
    studio.jobs.wait()
    return episode


def test_a_show_is_made_renamed_archived_and_brought_back(client):
    show = client.post("/api/shows", json={"name": "Slack Water"}).json()
    assert client.patch(f"/api/shows/{show['id']}", json={"name": "Low Water"}).json()["name"] == "Low Water"
    client.patch(f"/api/shows/{show['id']}", json={"archived": True})
    assert client.get("/api/shows").json() == []
    assert [s["name"] for s in client.get("/api/shows?archived=true").json()] == ["Low Water"]


def test_episodes_are_numbered_by_themselves(client):
    show = client.post("/api/shows", json={"name": "Slack Water"}).json()["id"]
    made = [client.post(f"/api/shows/{show}/episodes", json={"title": t}).json() for t in ("One", "Two")]
    assert [episode["number"] for episode in made] == [1, 2]
    client.patch(f"/api/episodes/{made[0]['id']}", json={"archived": True})
    assert [e["title"] for e in client.get(f"/api/shows/{show}/episodes").json()] == ["Two"]


def test_from_upload_to_download(client, studio, ready):
    state = client.get(f"/api/episodes/{ready}").json()
    assert state["length"] == 8 * RATE
    cut = edit(client, ready, state["revision"], edit="take_out", start=RATE, stop=3 * RATE).json()
    assert (cut["length"], len(cut["seams"]["new"]), cut["undo"]) == (6 * RATE, 1, "Took out 2.0 s at 0:00:01.0")
    client.post(f"/api/episodes/{ready}/deliveries", json={"files": [{"kind": "flac", "target_lufs": -16}]})
    studio.jobs.wait()
    [delivery] = client.get(f"/api/episodes/{ready}/deliveries").json()
    assert delivery["sheet"]["met"]
    file = client.get(f"/api/deliveries/{delivery['id']}/file")
    assert file.content.startswith(b"fLaC")
    assert "slack-water-12-the-pilot-ladder.flac" in file.headers["content-disposition"]


def test_sound_comes_as_float_pcm_and_tells_where_to_go_on(client, ready):
    response = client.get(f"/api/episodes/{ready}/sound?start=0&frames=4800&gain_db=3")
    sound = np.frombuffer(response.content, "<f4").reshape(-1, 2)
    assert sound.shape == (4800, 2)
    assert response.headers["x-next-start"] == "4800"
    fast = client.get(f"/api/episodes/{ready}/sound?start=0&frames=9600&speed=1.5")
    assert int(fast.headers["x-next-start"]) == 14_400
    assert "x-tail" in fast.headers


def test_pictures_come_as_bytes(client, ready):
    recording = client.get(f"/api/episodes/{ready}/recordings").json()[0]["id"]
    assert len(client.get(f"/api/recordings/{recording}/stalks?level=0&first=0&last=100").content) == 200
    assert len(client.get(f"/api/recordings/{recording}/wave?start=0&stop=48000&points=300").content) == 1200


def test_loudness_is_told_with_its_revision(client, studio, ready):
    studio.listening.standing(ready, wait=True)
    told = client.get(f"/api/episodes/{ready}/loudness").json()
    assert told["current"]
    assert -30 < told["loudness"]["integrated_lufs"] < -10


def test_an_old_revision_is_refused_with_409(client, ready):
    revision = client.get(f"/api/episodes/{ready}").json()["revision"]
    edit(client, ready, revision, edit="add_marker", at=100)
    refused = edit(client, ready, revision, edit="add_marker", at=200)
    assert refused.status_code == 409
    assert "Nothing was lost" in error_of(refused)["message"]
    assert len(client.get(f"/api/episodes/{ready}").json()["markers"]) == 1


def test_a_piece_out_of_step_is_refused_and_says_where_to_go_on(client):
    episode = make_episode(client)
    started = client.post(f"/api/episodes/{episode}/uploads", json={"name": "a.wav", "size": 10}).json()
    client.put(f"/api/uploads/{started['id']}?offset=0", content=b"1234")
    refused = client.put(f"/api/uploads/{started['id']}?offset=8", content=b"90")
    assert refused.status_code == 409
    assert error_of(refused)["received"] == 4
    assert client.get(f"/api/uploads/{started['id']}").json()["received"] == 4
    assert client.delete(f"/api/uploads/{started['id']}").status_code == 204


@pytest.mark.parametrize(
    ("method", "path", "body", "status"),
    [
        ("get", "/api/episodes/999", None, 404),
        ("get", "/api/recordings/999/stalks?level=0&first=0&last=9", None, 404),
        ("get", "/api/deliveries/999/file", None, 404),
        ("get", "/api/nowhere", None, 404),
        ("post", "/api/shows", {"name": ""}, 422),
        ("post", "/api/shows", {"name": "   "}, 422),
        ("post", "/api/episodes/999/uploads", {"name": "a.wav", "size": 10}, 404),
        ("post", "/api/jobs/999/cancel", None, 404),
        ("get", "/api/episodes/1/sound?start=-5&frames=10", None, 422),
        ("get", "/api/episodes/1/sound?start=0&frames=99999999", None, 422),
    ],
)
def test_refusals_have_one_shape(client, method, path, body, status):
    response = client.request(method, path, json=body)
    assert response.status_code == status
    error_of(response)


@pytest.mark.parametrize(
    "change",
    [
        {"edit": "unheard_of"},
        {"edit": "take_out", "start": -1, "stop": 5},
        {"edit": "take_out", "start": 1},
        {"edit": "set_clip", "clip": 1, "gain_db": "loud"},
        {"edit": "set_clip", "clip": 1, "gain_db": 500},
        {"edit": "take_out", "start": 0, "stop": 10**30},
        {"edit": "add_marker", "at": 5, "more": 1},
        {"edit": "set_track", "track": 1, "kind": "orchestra"},
        {"edit": "nudge", "track": 1, "by": 1.5},
    ],
)
def test_malformed_edits_are_refused_and_change_nothing(client, ready, change):
    before = client.get(f"/api/episodes/{ready}").json()
    assert edit(client, ready, before["revision"], **change).status_code in (404, 422)
    assert client.get(f"/api/episodes/{ready}").json() == before


def test_json_that_is_none_is_refused(client, ready):
    response = client.post(f"/api/episodes/{ready}/edits", content=b"{]", headers={"Content-Type": "application/json"})
    assert response.status_code == 422
    error_of(response)


def test_every_edit_of_the_core_can_be_sent(client):
    """Only what the studio does by itself has no schema: what needs to know of recordings, linings and patterns."""
    described = client.get("/api/openapi.json").json()
    mapping = described["components"]["schemas"]["EditRequest"]["properties"]["edit"]["discriminator"]["mapping"]
    assert set(mapping) == {name for name, edit in EDITS.items() if edit.by_page}
    assert len(EDITS) - len(mapping) == 12


def test_the_description_is_complete(client):
    """Every route has a summary line, a refusal's shape, and bodies have examples."""
    described = client.get("/api/openapi.json").json()
    for path, operations in described["paths"].items():
        for method, operation in operations.items():
            assert operation.get("description"), (method, path)
            assert "422" in operation["responses"], (method, path)
    text = json.dumps(described["components"]["schemas"])
    assert text.count('"examples"') >= 8
    assert described["components"]["schemas"]["ErrorBody"]


def test_pages_are_whole(client, ready):
    for path in ("/", f"/episodes/{ready}/gather", f"/episodes/{ready}/prune", f"/episodes/{ready}/send-out"):
        page = client.get(path, headers={"Accept": "text/html"})
        assert page.status_code == 200
        assert ' style="' not in page.text
        assert "<script>" not in page.text
    missing = client.get("/episodes/999/prune", headers={"Accept": "text/html"})
    assert missing.status_code == 404
    assert "There is no such episode" in missing.text


def test_a_hostile_title_cannot_leave_its_place(client):
    show = client.post("/api/shows", json={"name": "</script><script>alert(1)</script>"}).json()["id"]
    made = client.post(f"/api/shows/{show}/episodes", json={"title": '"><img src=x onerror=alert(1)>'}).json()["id"]
    for path in ("/", f"/episodes/{made}/prune"):
        text = client.get(path).text
        assert "<script>alert" not in text
        assert "<img src=x" not in text
