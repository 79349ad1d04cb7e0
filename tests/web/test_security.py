"""Who is let in, and what a page may do."""

import re

import pytest
from fastapi.testclient import TestClient

from pampa.cli.serving import serve_studio
from pampa.core.errors import PampaError
from pampa.studio.access import WeakPassword
from pampa.web.app import create_app
from tests.web.conftest import BASE


def test_pages_may_load_only_what_is_shipped(client):
    policy = client.get("/").headers["content-security-policy"]
    assert "default-src 'none'" in policy
    assert "unsafe" not in policy
    assert "http" not in policy


@pytest.mark.parametrize("host", ["evil.example", "127.0.0.1.evil.example", "192.168.1.5"])
def test_another_name_for_this_machine_is_refused(client, host):
    """A page elsewhere that points its own name here gets nothing."""
    assert client.get("/", headers={"Host": host}).status_code == 400


@pytest.mark.parametrize("host", ["127.0.0.1:8400", "localhost:8400", "[::1]:8400"])
def test_loopback_names_are_known(client, host):
    assert client.get("/", headers={"Host": host}).status_code == 200


def test_changes_from_other_pages_are_refused(client):
    refused = client.post("/api/shows", json={"name": "X"}, headers={"Origin": "http://evil.example"})
    assert refused.status_code == 403
    assert client.post("/api/shows", json={"name": "X"}, headers={"Origin": BASE}).status_code == 201


def test_changes_without_the_pages_token_are_refused(client):
    refused = client.post("/api/shows", json={"name": "X"}, headers={"X-Pampa-Token": "guess"})
    assert refused.status_code == 403
    assert "Reload" in refused.json()["error"]["message"]
    assert client.get("/api/shows").json() == []


def test_beyond_loopback_a_password_is_demanded(tmp_path):
    with pytest.raises(PampaError, match="no password is set"):
        serve_studio(tmp_path / "data", "0.0.0.0", 8990)


def test_with_a_password_nothing_is_shown_before_signing_in(studio):
    studio.access.set_password("slack water")
    with TestClient(create_app(studio), base_url=BASE, follow_redirects=False) as client:
        assert client.get("/").headers["location"] == "/sign-in"
        assert client.get("/api/shows").status_code == 401
        assert client.get("/static/css/pampa.css").status_code == 200
        page = client.get("/sign-in").text
        token = re.search(r'name="token" value="([^"]+)"', page)[1]
        wrong = client.post("/sign-in", data={"password": "guess", "token": token})
        assert wrong.status_code == 403
        assert client.post("/sign-in", data={"password": "slack water", "token": "guess"}).status_code == 403
        assert client.post("/sign-in", data={"password": "slack water", "token": token}).status_code == 303
        assert client.get("/").status_code == 200


def test_the_password_is_kept_as_a_hash_and_short_ones_are_refused(studio):
    with pytest.raises(WeakPassword):
        studio.access.set_password("short")
    assert not studio.access.has_password
    studio.access.set_password("slack water")
    assert studio.access.is_right("slack water")
    assert not studio.access.is_right("slack wate")
    assert b"slack water" not in (studio.settings.data / "pampa.db").read_bytes()


def test_a_forged_cookie_is_not_believed(studio):
    studio.access.set_password("slack water")
    with TestClient(create_app(studio), base_url=BASE, follow_redirects=False) as client:
        client.cookies.set(f"pampa-{studio.settings.port}", "eyJpbiI6IHRydWV9.aaaa.bbbb")
        assert client.get("/").status_code == 303
