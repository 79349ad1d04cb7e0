"""What an edit answers is little, and with the state before it gives the whole state again."""

import pytest

from pampa.core.sound import RATE


def after(before, change):
    """The state that a page has after a change: what the script does, in a few words."""

    def rebuilt(old, told):
        place = "start" if old and "start" in old[0] else "at"
        last = [{**item, place: item[place] + told["by"]} for item in old[len(old) - told["moved"] :]]
        return old[: told["kept"]] + told["new"] + last

    clips = {track["id"]: track["clips"] for track in before["tracks"]}
    tracks = [{**t, "clips": rebuilt(clips.get(t["id"], []), t["clips"])} for t in change["tracks"]]
    lists = {name: rebuilt(before[name], change[name]) for name in ("seams", "markers")}
    return {**change, **lists, "tracks": tracks}


EDITS = [
    {"edit": "add_marker", "at": 6 * RATE, "name": "Spot"},
    {"edit": "take_out", "start": RATE, "stop": 2 * RATE},
    {"edit": "take_out", "start": 3 * RATE, "stop": 4 * RATE},
    {"edit": "split", "at": 4 * RATE},
    {"edit": "clear", "start": RATE // 2, "stop": RATE},
    {"edit": "take_out", "start": RATE // 4, "stop": RATE // 2},
    {"edit": "add_track", "name": "Port", "kind": "effects"},
]


@pytest.fixture
def ready(two_people):
    return two_people


@pytest.fixture
def call(client, ready):
    def send(path, **body):
        revision = client.get(f"/api/episodes/{ready}").json()["revision"]
        response = client.post(f"/api/episodes/{ready}/{path}", json={"revision": revision, **body})
        assert response.status_code == 200, response.text
        return response.json()

    return send


def test_every_change_gives_the_state_that_is_read_whole(client, ready, call):
    def state():
        return client.get(f"/api/episodes/{ready}").json()

    for path, body in [("edits", {"edit": edit}) for edit in EDITS] + [("undo", {})] * 7 + [("redo", {})] * 7:
        before = state()
        change = call(path, **body)
        assert after(before, change) == state(), (path, body)


def test_a_cut_near_the_beginning_tells_only_of_itself(client, ready, call):
    for n in range(5):
        call("edits", edit={"edit": "take_out", "start": (n + 1) * RATE, "stop": (n + 1) * RATE + 9_600})
    change = call("edits", edit={"edit": "take_out", "start": 4_800, "stop": 9_600})
    assert change["seams"] | {"new": None} == {"kept": 0, "new": None, "moved": 5, "by": -4_800}
    assert [len(track["clips"]["new"]) for track in change["tracks"]] == [2] * len(change["tracks"])
