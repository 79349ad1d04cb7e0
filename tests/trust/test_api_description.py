"""Whatever is sent to the interface that its description allows, or nearly allows: never an answer of 500."""

import contextlib
import re

import pytest
import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis.errors import Unsatisfiable
from hypothesis.strategies import booleans
from schemathesis.generation import GenerationMode

from pampa.studio.settings import Settings
from pampa.studio.studio import Studio
from pampa.web.app import create_app
from tests.conftest import linked_copy
from tests.web.conftest import BASE

EXAMPLES, OF_EDITS, SHARES = 3, 50, 4
THERE = ("episode_id", "recording_id")
NEVER_ENDS = "/api/episodes/{episode_id}/events"


@pytest.fixture(scope="module")
def served(two_people_data, tmp_path_factory):
    """An episode of two people, so that many numbers are of something that exists."""
    studio = Studio(Settings(data=linked_copy(two_people_data, tmp_path_factory.mktemp("api") / "data"), workers=2))
    with TestClient(create_app(studio), base_url=BASE, raise_server_exceptions=False) as client:
        page = client.get("/").text
        client.headers["X-Pampa-Token"] = re.search(r'name="pampa-token" content="([^"]+)"', page)[1]
        yield client


def aimed(client, case, at_what_is_there):
    """Every other case is about the episode and the recordings that there are, as they stand; none is about places on
    other machines, which would be spoken to."""
    if isinstance(case.body, dict) and case.body.get("kind") in ("mooring", "sftp"):
        case.body["kind"] = "folder"
    if not at_what_is_there and not case.path.endswith("/lay-up"):
        return case
    known = {name: 1 for name in THERE if name in (case.path_parameters or {})}
    case.path_parameters = {**(case.path_parameters or {}), **known}
    if isinstance(case.body, dict) and "free" in case.body:
        case.body["free"] = False  # else the episode that all others are about would be gone
    if isinstance(case.body, dict) and isinstance(case.body.get("revision"), int):
        case.body["revision"] = client.get("/api/episodes/1").json()["revision"]
    return case


def sent(client, case):
    """A case sent by our client, which has a page's token."""
    told = case.as_transport_kwargs(base_url=BASE)
    body = {"content": told["data"]} if isinstance(told.get("data"), (str, bytes)) else {"json": told.get("json")}
    headers = {name: value for name, value in told["headers"].items() if name.lower() != "user-agent"}
    return client.request(told["method"], told["url"], params=told["params"], headers=headers, **body)


@pytest.mark.parametrize("share", range(SHARES))
@pytest.mark.parametrize("mode", GenerationMode)
def test_nothing_that_is_sent_is_answered_with_500(served, share, mode):
    """What the description allows, and what it does not."""
    schema = schemathesis.openapi.from_dict(served.get("/api/openapi.json").json()).exclude(path=NEVER_ENDS)
    operations = [found.ok() for found in schema.get_all_operations()]
    assert len(operations) > 80
    for operation in operations[share::SHARES]:

        @given(operation.as_strategy(generation_mode=mode), booleans())
        @settings(
            max_examples=OF_EDITS if operation.path.endswith("/edits") else EXAMPLES,
            derandomize=True,
            database=None,
            suppress_health_check=list(HealthCheck),
        )
        def holds(case, at_what_is_there):
            answer = sent(served, aimed(served, case, at_what_is_there))
            assert answer.status_code < 500, (case.as_curl_command()[:2000], answer.text[:500])

        with contextlib.suppress(Unsatisfiable):  # nothing can be wrong with some
            holds()


LARGE = [2**63 - 1, 2**63, 2**64, 10**30, -1, -(2**63) - 1]


@pytest.mark.parametrize("number", LARGE)
def test_numbers_beyond_what_the_database_holds_are_told(served, number):
    for method, path in [
        ("GET", f"/api/episodes/{number}"), ("GET", f"/api/episodes/{number}/joins"),
        ("GET", f"/api/recordings/{number}/stalks?level=0&first=0&last=1"),
        ("GET", f"/api/recordings/1/stalks?level=0&first={number}&last={number}"),
        ("GET", f"/api/recordings/1/wave?start={number}&stop={number}&points=4"),
        ("GET", f"/api/recordings/1/sound?start={number}&frames=48"),
        ("GET", f"/api/episodes/1/sound?start={number}&frames=480"),
        ("GET", f"/api/episodes/1/sound?start=0&frames=480&speed=2&tail={number}"),
        ("GET", f"/api/episodes/1/sound?start=0&frames=480&open_seam={number}"),
        ("DELETE", f"/api/uploads/{number}"), ("POST", f"/api/jobs/{number}/cancel"),
        ("GET", f"/api/deliveries/{number}/file"),
    ]:  # fmt: skip
        answer = served.request(method, path)
        assert answer.status_code < 500, (method, path, answer.text)
    edit = {"revision": number, "edit": {"edit": "add_marker", "at": number, "name": "x"}}
    assert served.post("/api/episodes/1/edits", json=edit).status_code in (409, 422)


def test_markers_of_an_episode_without_any_are_an_empty_file(served):
    assert served.get("/api/episodes/1/markers.vtt").text.startswith("WEBVTT")
    assert served.get("/api/episodes/1/markers.csv").status_code == 200


def test_csv_with_old_line_ends_is_read(served):
    revision = served.get("/api/episodes/1").json()["revision"]
    body = {"revision": revision, "name": "places.csv", "text": "start,name\r1.5,Ladder\r2.5,Rope\r"}
    made = served.post("/api/episodes/1/markers", json=body)
    assert made.status_code == 200, made.text
    assert [marker["name"] for marker in made.json()["markers"]][-2:] == ["Ladder", "Rope"]


def test_an_episode_that_is_not_there_has_no_joins(served):
    assert served.get("/api/episodes/999/joins").status_code == 404
    assert served.post("/api/episodes/999/joins").status_code == 404


def test_times_have_a_zone(served):
    revision = served.get("/api/episodes/1").json()["revision"]
    edit = {"revision": revision, "edit": {"edit": "add_marker", "at": 0, "name": "x"}}
    assert served.post("/api/episodes/1/edits", json=edit).status_code == 200
    assert served.get("/api/episodes/1/history").json()[0]["made"].endswith("Z")


def test_what_may_go_wrong_is_described(served):
    for path, methods in served.get("/api/openapi.json").json()["paths"].items():
        for method, told in methods.items():
            assert {"400", "401", "403", "404", "413", "422", "507"} <= set(told["responses"]), (method, path)
