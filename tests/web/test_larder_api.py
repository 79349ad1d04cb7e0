"""The larder, patterns, order and parts over the wire."""

import numpy as np
import pytest

from pampa.core.sound import RATE
from tests.web.test_api import edit, error_of, make_episode, upload


@pytest.fixture
def filled(client, studio, talk_file):
    """An episode with two recordings, and a bell in the larder of its show."""
    episode = make_episode(client)
    for seed in (1, 2):
        upload(client, episode, talk_file(f"REC_{seed}.wav", seconds=2 + seed, seed=seed))
    data = talk_file("bell.wav", seconds=2, seed=3).read_bytes()
    begun = client.post("/api/shows/1/larder/uploads", json={"name": "bell.wav", "size": len(data), "kind": "effects"})
    piece = client.put(f"/api/uploads/{begun.json()['id']}?offset=0", content=data).json()["recording"]
    studio.jobs.wait()
    return episode, piece


def test_a_piece_is_searched_changed_heard_and_used(client, filled):
    episode, piece = filled
    changed = client.patch(f"/api/larder/{piece}", json={"tags": "harbour night"}).json()
    assert (changed["name"], changed["kind"], changed["tags"]) == ("Bell", "effects", "harbour night")
    found = client.get("/api/shows/1/larder", params={"words": "night", "kind": "effects", "longest_s": 5}).json()
    assert (found["total"], found["pieces"][0]["id"], found["pieces"][0]["used"]) == (1, piece, False)
    heard = client.get(f"/api/recordings/{piece}/sound?start=48000&frames=4800")
    assert np.frombuffer(heard.content, "<f4").shape == (9600,)
    revision = client.get(f"/api/episodes/{episode}").json()["revision"]
    used = client.post(f"/api/episodes/{episode}/larder/{piece}", json={"revision": revision, "start": RATE})
    assert used.json()["tracks"][-1]["name"] == "Bell"
    assert client.get("/api/shows/1/larder").json()["pieces"][0]["used"] is True
    fresh = make_episode(client)
    stale = client.post(f"/api/episodes/{fresh}/larder/{piece}", json={"revision": 7, "start": 0})
    assert stale.status_code == 409
    assert client.get(f"/api/episodes/{fresh}/recordings").json() == [], "what was refused leaves nothing behind"
    assert error_of(client.post(f"/api/episodes/{episode}/larder/999", json={"revision": 9, "start": 0}))


def test_a_recording_is_kept_in_the_larder_once(client, studio, filled):
    episode, _ = filled
    recording = client.get(f"/api/episodes/{episode}/recordings").json()[0]["id"]
    body = {"kind": "spot", "name": "Notebooks", "tags": "sponsor"}
    numbers = []
    for _ in range(2):
        numbers.append(client.post(f"/api/recordings/{recording}/keep", json=body).json()["piece"])
        studio.jobs.wait()
    assert numbers[0] == numbers[1]
    assert client.get("/api/shows/1/larder?words=sponsor").json()["total"] == 1
    assert client.post(f"/api/recordings/{recording}/keep", json={"kind": "noise", "name": "x"}).status_code == 422


def test_a_larder_is_no_episode(client, studio, filled):
    shelf = studio.shows.shelf(1)
    assert client.get(f"/episodes/{shelf}/gather", headers={"Accept": "text/html"}).status_code == 404
    assert shelf not in [episode["id"] for episode in client.get("/api/shows/1/episodes").json()]


def test_a_pattern_is_made_listed_begun_from_and_forgotten(client, filled):
    episode, _ = filled
    made = client.post(f"/api/episodes/{episode}/pattern", json={"name": "Usual"}).json()
    assert client.get("/api/shows/1/patterns").json() == [made]
    begun = client.post(f"/api/patterns/{made['id']}/episodes", json={"title": "The Lock Keeper"}).json()
    state = client.get(f"/api/episodes/{begun['id']}").json()
    assert [track["name"] for track in state["tracks"]] == made["people"] == ["REC 1", "REC 2"]
    assert error_of(client.post(f"/api/episodes/{begun['id']}/ending", json={"revision": state["revision"]}))
    assert client.delete(f"/api/patterns/{made['id']}").status_code == 204
    assert client.post(f"/api/patterns/{made['id']}/episodes", json={"title": "x"}).status_code == 404


def test_recordings_are_ordered_and_joined(client, filled):
    episode, _ = filled
    first, second = (recording["id"] for recording in client.get(f"/api/episodes/{episode}/recordings").json())
    assert (
        client.put(f"/api/episodes/{episode}/recordings/order", json={"recordings": [second, first]}).status_code == 204
    )
    listed = client.get(f"/api/episodes/{episode}/recordings").json()
    assert [recording["id"] for recording in listed] == [second, first]
    revision = client.get(f"/api/episodes/{episode}").json()["revision"]
    body = {"revision": revision, "recordings": [first, second]}
    joined = client.post(f"/api/episodes/{episode}/recordings/join", json=body)
    assert len(joined.json()["tracks"]) == 1
    assert client.post(f"/api/episodes/{episode}/recordings/join", json=body).status_code == 409


def test_a_take_is_laid_in_the_place_of_an_earlier_one(client, filled):
    episode, _ = filled
    first, second = (recording["id"] for recording in client.get(f"/api/episodes/{episode}/recordings").json())
    state = client.get(f"/api/episodes/{episode}").json()
    laid = {"edit": "lay", "name": "Marisol, pick-ups", "kind": "person"}
    one = edit(client, episode, state["revision"], **laid, pieces=[{"recording": first, "start": 9, "length": 90}])
    clip = one.json()["tracks"][-1]["clips"]["new"][0]
    two = edit(client, episode, one.json()["revision"], **laid, instead_of=clip["id"],
               pieces=[{"recording": second, "start": 9, "length": 80}])  # fmt: skip
    assert two.json()["undo"] == "Laid Marisol, pick-ups"
    last = client.get(f"/api/episodes/{episode}").json()["tracks"][-1]["clips"]
    assert [(c["recording"], c["length"]) for c in last] == [(second, 80)]
