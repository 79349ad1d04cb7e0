"""Cutting over the wire: what the page asks for beside plain edits."""

from tests.web.test_api import edit, error_of, ready  # noqa: F401

RATE = 48_000


def test_a_seam_is_opened_dragged_and_checked(client, studio, ready):  # noqa: F811
    revision = client.get(f"/api/episodes/{ready}").json()["revision"]
    made = edit(client, ready, revision, edit="take_out", start=2 * RATE, stop=4 * RATE).json()
    seam = made["seams"]["new"][0]
    opened = client.get(f"/api/episodes/{ready}/seams/{seam['id']}/open").json()
    assert (opened["start"], opened["stop"], opened["state"]["length"]) == (2 * RATE, 4 * RATE, 8 * RATE)
    dragged = edit(client, ready, made["revision"], edit="drag_seam", seam=seam["id"], first=4800).json()
    assert dragged["length"] == 6 * RATE + 4800
    wide = edit(client, ready, dragged["revision"], edit="set_seam", seam=seam["id"], crossfade=960,
                crossing="amplitude")  # fmt: skip
    assert wide.json()["seams"]["new"][0]["crossing"] == "amplitude"
    assert client.post(f"/api/episodes/{ready}/joins").status_code == 202
    studio.jobs.wait(60)
    assert client.get(f"/api/episodes/{ready}/joins").json()["revision"] == wide.json()["revision"]
    assert error_of(client.get(f"/api/episodes/{ready}/seams/999/open"))["kind"] == "NotFound"


def test_time_is_put_in_and_places_are_moved_to_the_quiet(client, ready):  # noqa: F811
    state = client.get(f"/api/episodes/{ready}").json()
    at = client.get(f"/api/episodes/{ready}/quiet?at={3 * RATE}").json()["at"]
    body = {"revision": state["revision"], "at": at, "length": RATE}
    longer = client.post(f"/api/episodes/{ready}/tone", json=body).json()
    assert longer["length"] == state["length"] + RATE
    assert error_of(client.post(f"/api/episodes/{ready}/tone", json=body))["kind"] == "RevisionConflict"


def test_what_would_be_heard_without_a_stretch(client, ready):  # noqa: F811
    where = f"/api/episodes/{ready}/sound?start=0&frames=4800"
    assert client.get(f"{where}&without=9600&without=19200").status_code == 200
    assert client.get(f"{where}&without=9600").status_code == 422
    assert error_of(client.get(f"{where}&without=9600&without=9601"))["kind"] == "EditRefused"


def test_history_and_versions(client, ready):  # noqa: F811
    state = client.get(f"/api/episodes/{ready}").json()
    kept = client.post(f"/api/episodes/{ready}/versions", json={"name": "As it came"})
    assert kept.status_code == 201
    made = edit(client, ready, state["revision"], edit="take_out", start=0, stop=RATE).json()
    compared = client.get(f"/api/versions/{kept.json()['id']}/against-now").json()
    assert compared == {"longer": -RATE, "only_now": [{"at": 0, "length": RATE, "closed": True}], "only_then": []}
    entries = client.get(f"/api/episodes/{ready}/history").json()
    back = client.post(f"/api/episodes/{ready}/go-to",
                       json={"revision": made["revision"], "position": entries[1]["position"]}).json()  # fmt: skip
    assert back["length"] == state["length"]
    restored = client.post(f"/api/versions/{kept.json()['id']}/restore", json={"revision": back["revision"]}).json()
    assert restored["undo"] == "Went back to As it came"
    assert client.delete(f"/api/versions/{kept.json()['id']}").status_code == 204
    assert client.get(f"/api/episodes/{ready}/versions").json() == []


def test_files_for_other_programs(client, studio, ready):  # noqa: F811
    state = client.get(f"/api/episodes/{ready}").json()
    edit(client, ready, state["revision"], edit="add_marker", at=RATE, name="Ladder")
    cut = client.get(f"/api/episodes/{ready}/cut.otio")
    assert cut.headers["content-disposition"].endswith('slack-water-12-the-pilot-ladder.otio"')
    body = {"revision": state["revision"] + 1, "name": "cut.otio", "text": cut.text}
    assert client.post(f"/api/episodes/{ready}/cut", json=body).json()["length"] == state["length"]
    assert client.get(f"/api/episodes/{ready}/markers.vtt").text.startswith("WEBVTT")
    text = client.get(f"/api/episodes/{ready}/markers.csv").text
    body = {"revision": state["revision"] + 2, "name": "markers.csv", "text": text}
    assert len(client.post(f"/api/episodes/{ready}/markers", json=body).json()["markers"]) == 2
    assert client.get(f"/api/episodes/{ready}/markers.txt").status_code == 422
    assert client.post(f"/api/episodes/{ready}/stems", json={"treated": False}).status_code == 202
    studio.jobs.wait(60)
    (name,) = client.get(f"/api/episodes/{ready}/stems").json()
    assert client.get(f"/api/episodes/{ready}/stems/{name}").content[:2] == b"PK"
    bad = {"revision": state["revision"] + 3, "name": "x.otio", "text": "{]"}
    assert "no OpenTimelineIO" in error_of(client.post(f"/api/episodes/{ready}/cut", json=bad))["message"]


def test_a_find_is_marked_by_hand_and_forgotten(client, ready):  # noqa: F811
    state = client.get(f"/api/episodes/{ready}").json()
    find = {"kind": "filler", "recording": 1, "start": 4800, "stop": 9600}
    marked = edit(client, ready, state["revision"], edit="mark_find", name="a filler", finds=[find]).json()
    assert marked["added"] == [find]
    forgotten = edit(client, ready, marked["revision"], edit="drop_find", name="a filler", finds=[find]).json()
    assert forgotten["added"] == []
