"""Who gets in: names that are none of ours, other sites, guesses, large bodies, connections that stand idle."""

import contextlib
import re
import socket
import threading
import time

import anyio
import pytest
from fastapi.testclient import TestClient

from pampa.studio.access import FREE_GUESSES, Access, TooManyGuesses
from pampa.web.app import create_app
from pampa.web.bounds import LARGEST, LARGEST_PIECE
from tests.studio.test_kill import Server
from tests.web.conftest import BASE


def asked(app, headers, *, method="GET", path="/api/shows"):
    """The status of a request with exactly these headers, as a server hands them over."""
    sent = []
    scope = {
        "type": "http", "asgi": {"version": "3.0"}, "http_version": "1.1", "method": method, "path": path,
        "raw_path": path.encode(), "query_string": b"", "root_path": "", "scheme": "http", "headers": headers,
        "client": ("127.0.0.1", 50_000), "server": ("127.0.0.1", 8400),
    }  # fmt: skip

    async def receive():
        return {"type": "http.request", "body": b"", "more_body": False}

    async def send(message):
        sent.append(message)

    # In a thread of its own: a browser's driver may hold a loop in this one.
    thread = threading.Thread(target=anyio.run, args=(app, scope, receive, send))
    thread.start()
    thread.join()
    return sent[0]["status"]


FOREIGN = [
    b"evil.example",
    b"127.0.0.1.evil.example",
    b"evil.example:8400",
    b"localhost.evil.example",
    b"127.0.0.1@evil.example",
    b"evil.example#127.0.0.1",
    b"127.0.0.1:8400:8400",
    b'127.0.0.1"',
    b"`127.0.0.1",
    b"{127.0.0.1}",
    b"127.0.0.1}",
    b"",
    b" ",
    b":8400",
    b"[",
    b"[::1",
    b"[::1]x",
    b"::1",
    b"127.1",
    b"2130706433",
    b"0x7f.0.0.1",
    b"127.0.0.1:",
    b"127.0.0.1:x",
    b"127.0.0.1 ",
    b"127.0.0.1/",
    b"127.0.0.1\\",
    b"127.0.0.1%00",
    b"\xff\xfe",
    b"127.0.0.1,evil.example",
    b"0.0.0.0",
    b"192.168.1.5",
    b"127.0.0.1:999999",
    b"a" * 3000,
]


@pytest.mark.parametrize("path", ["/", "/api/shows", "/static/css/pampa.css"])
def test_a_host_that_is_not_exactly_ours_is_refused(app, path):
    """A malformed one used to fall back to the server's own name."""
    answered = [host for host in FOREIGN if asked(app, [(b"host", host)], path=path) != 400]
    assert answered == []


def test_no_host_and_two_hosts_are_refused(app):
    assert asked(app, []) == 400
    assert asked(app, [(b"host", b"127.0.0.1:8400"), (b"host", b"evil.example")]) == 400


@pytest.mark.parametrize("host", [b"127.0.0.1:8400", b"localhost:8400", b"LOCALHOST", b"[::1]:8400", b"127.0.0.1"])
def test_our_own_names_are_answered(app, host):
    assert asked(app, [(b"host", host)]) == 200


@pytest.mark.parametrize("site", ["cross-site", "same-site"])
@pytest.mark.parametrize("mode", ["no-cors", "cors", "navigate"])
def test_other_sites_can_neither_play_nor_start_anything(client, site, mode):
    """Another port of this machine is the same site, and none of ours."""
    elsewhere = {"Sec-Fetch-Site": site, "Sec-Fetch-Mode": mode, "Sec-Fetch-Dest": "document"}
    for path in ("/api/shows", "/api/episodes/1/sound?start=0&frames=48000", "/api/deliveries/1/file"):
        assert client.get(path, headers=elsewhere).status_code == 403
    expected = 200 if mode == "navigate" else 403
    assert client.get("/", headers=elsewhere).status_code == expected
    assert client.get("/", headers={**elsewhere, "Sec-Fetch-Dest": "iframe"}).status_code == 403


def test_every_answer_keeps_other_sites_from_reading_it(client):
    for path in ("/", "/api/shows", "/static/js/api.js", "/nothing"):
        assert client.get(path).headers["cross-origin-resource-policy"] == "same-origin"


@pytest.mark.parametrize("token", ["ünïcode", "\u00ff" * 40, "", "x" * 5000])
def test_a_token_of_any_kind_is_compared_not_tripped_over(client, token):
    refused = client.post("/api/shows", json={"name": "X"}, headers={"X-Pampa-Token": token.encode("utf-8")})
    assert refused.status_code == 403


def test_guesses_are_slowed_and_locked(studio):
    studio.access.set_password("slack water")
    for _ in range(FREE_GUESSES):
        assert not studio.access.is_right("guess", place="203.0.113.5")
    with pytest.raises(TooManyGuesses, match="Try again in"):
        studio.access.is_right("slack water", place="203.0.113.5")
    assert studio.access.is_right("slack water", place="203.0.113.6"), "others are not locked out with it"
    for n in range(FREE_GUESSES):
        studio.access.is_right("guess", place=f"2001:db8::{n}")
    with pytest.raises(TooManyGuesses):
        studio.access.is_right("guess", place="2001:db8::ffff")


def test_each_further_guess_waits_twice_as_long(studio, monkeypatch):
    now = 0.0
    monkeypatch.setattr("pampa.studio.access.time.monotonic", lambda: now)
    monkeypatch.setattr(Access, "_verified", lambda self, password: False)
    for _ in range(FREE_GUESSES - 1):
        studio.access.is_right("guess", place="a")
    waits = []
    for _ in range(4):
        studio.access.is_right("guess", place="a")
        with pytest.raises(TooManyGuesses) as caught:
            studio.access.is_right("guess", place="a")
        waits.append(caught.value.wait_s)
        now += waits[-1] + 1
    assert waits == [30, 60, 120, 240]


def test_thirty_who_sign_in_at_once_are_looked_at_one_by_one(studio, monkeypatch):
    """Each takes 64 MB by design: 30 at once took 2 GB."""
    studio.access.set_password("slack water")
    at_once, most = 0, 0
    lock = threading.Lock()

    def verified(self, password):
        nonlocal at_once, most
        with lock:
            at_once += 1
            most = max(most, at_once)
        time.sleep(0.01)
        with lock:
            at_once -= 1
        return False

    monkeypatch.setattr(Access, "_verified", verified)
    guessing = [
        threading.Thread(target=studio.access.is_right, args=("guess",), kwargs={"place": str(n)}) for n in range(30)
    ]
    for thread in guessing:
        thread.start()
    for thread in guessing:
        thread.join()
    assert most == 1


def test_signing_out_shuts_the_door(studio):
    studio.access.set_password("slack water")
    with TestClient(create_app(studio), base_url=BASE, follow_redirects=False) as client:
        token = re.search(r'name="token" value="([^"]+)"', client.get("/sign-in").text)[1]
        client.post("/sign-in", data={"password": "slack water", "token": token})
        page = client.get("/").text
        token = re.search(r'name="pampa-token" content="([^"]+)"', page)[1]
        assert client.post("/sign-out", headers={"X-Pampa-Token": "guess"}).status_code == 403
        assert client.post("/sign-out", headers={"X-Pampa-Token": token}).status_code == 204
        assert client.get("/api/shows").status_code == 401


def test_locked_out_is_told_on_the_page(studio):
    studio.access.set_password("slack water")
    with TestClient(create_app(studio), base_url=BASE, follow_redirects=False) as client:
        token = re.search(r'name="token" value="([^"]+)"', client.get("/sign-in").text)[1]
        for _ in range(FREE_GUESSES):
            assert client.post("/sign-in", data={"password": "guess", "token": token}).status_code == 403
        locked = client.post("/sign-in", data={"password": "slack water", "token": token})
        assert locked.status_code == 429
        assert int(locked.headers["retry-after"]) > 0
        assert "Try again in" in locked.text


def test_behind_tls_cookies_travel_only_there(studio):
    studio.settings.behind_tls = True
    with TestClient(create_app(studio), base_url=BASE) as client:
        assert "secure" in client.get("/").headers["set-cookie"].lower()


def test_a_body_is_refused_before_it_is_read(client):
    """600 MB in one piece took 1.4 GB of memory."""

    def without_length():
        for _ in range(2 * LARGEST_PIECE >> 20):
            yield bytes(1 << 20)

    told = {"Content-Length": str(600 << 20)}
    assert client.put("/api/uploads/x?offset=0", content=b"", headers=told).status_code == 413
    chunked = client.put("/api/uploads/x?offset=0", content=without_length())
    assert chunked.status_code == 413
    assert "in pieces" in chunked.json()["error"]["message"]
    assert client.post("/api/shows", content=bytes(LARGEST + 1)).status_code == 413
    assert LARGEST_PIECE >= 8 << 20, "a page sends pieces of 8 MB"


@pytest.fixture
def impatient(tmp_path, monkeypatch):
    """A real server that waits a second."""
    monkeypatch.setenv("PAMPA_PATIENCE_S", "1")
    server = Server(tmp_path / "data")
    yield server
    server.kill()


UNFINISHED_BODY = b"PUT /api/uploads/x?offset=0 HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 99\r\n\r\nab"


@pytest.mark.parametrize("sent", [b"", b"GET / HT", b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: ", UNFINISHED_BODY])
def test_a_connection_that_comes_to_nothing_is_ended(impatient, sent):
    with socket.create_connection(("127.0.0.1", impatient.port), timeout=15) as slow:
        slow.sendall(sent)
        began = time.monotonic()
        answer = b""
        while data := slow.recv(4096):
            answer += data
        assert time.monotonic() - began < 10
        assert b"200 OK" not in answer
    assert impatient.call("GET", "/api/shows") == []


def test_drops_of_a_head_do_not_keep_it_open(impatient):
    with socket.create_connection(("127.0.0.1", impatient.port), timeout=15) as slow:
        ended = time.monotonic() + 10
        slow.sendall(b"GET / HTTP/1.1\r\n")
        with contextlib.suppress(OSError):  # it is shut while we send
            while time.monotonic() < ended:
                slow.sendall(b"X: y\r\n")
                time.sleep(0.2)
        assert time.monotonic() < ended
