"""Killing the server at any moment: nothing acknowledged is lost, nothing half-made appears. Real SIGKILL."""

import http.cookiejar
import json
import os
import random
import re
import signal
import socket
import sqlite3
import subprocess
import sys
import time
import urllib.request

import pytest
import soundfile

from pampa.core.sound import RATE


class Server:
    """A real server in a process of its own, and a plain client that has the token of a page."""

    def __init__(self, data):
        self.data = data
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.base = f"http://127.0.0.1:{self.port}"
        command = [sys.executable, "-m", "pampa", "serve", "--data", str(data), "--port", str(self.port)]
        self.process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar()))
        for _ in range(400):
            try:
                page = self.opener.open(self.base + "/", timeout=5).read().decode()
                break
            except OSError:
                time.sleep(0.05)
        self.token = re.search(r'name="pampa-token" content="([^"]+)"', page)[1]

    def call(self, method, path, body=None, raw=None):
        data = raw if raw is not None else (json.dumps(body).encode() if body is not None else None)
        headers = {
            "X-Pampa-Token": self.token,
            "Content-Type": "application/octet-stream" if raw else "application/json",
        }
        request = urllib.request.Request(self.base + path, data, headers, method=method)
        answer = self.opener.open(request, timeout=30).read()
        return json.loads(answer) if answer else None

    def kill(self):
        os.kill(self.process.pid, signal.SIGKILL)
        self.process.wait()

    def settle(self, episode, seconds=60):
        for _ in range(int(seconds / 0.1)):
            if not self.call("GET", f"/api/episodes/{episode}/jobs"):
                return
            time.sleep(0.1)
        raise TimeoutError


@pytest.fixture
def server(tmp_path):
    servers = []

    def start():
        servers.append(Server(tmp_path / "data"))
        return servers[-1]

    yield start
    for each in servers:
        if each.process.poll() is None:
            each.kill()


def new_episode(server):
    show = server.call("POST", "/api/shows", {"name": "Slack Water"})["id"]
    return server.call("POST", f"/api/shows/{show}/episodes", {"title": "The Pilot Ladder"})["id"]


def is_sound(data):
    [[answer]] = sqlite3.connect(data / "pampa.db").execute("PRAGMA integrity_check").fetchall()
    return answer == "ok"


def test_an_upload_goes_on_after_the_server_was_killed(server, talk_file):
    first = server()
    episode = new_episode(first)
    data = talk_file(seconds=6).read_bytes()
    upload = first.call("POST", f"/api/episodes/{episode}/uploads", {"name": "a.wav", "size": len(data)})["id"]
    first.call("PUT", f"/api/uploads/{upload}?offset=0", raw=data[:200_000])
    first.kill()
    second = server()
    received = second.call("GET", f"/api/uploads/{upload}")["received"]
    assert received == 200_000
    second.call("PUT", f"/api/uploads/{upload}?offset={received}", raw=data[received:])
    second.kill()  # the recording was acknowledged; its job was not done
    third = server()
    third.settle(episode)
    [recording] = third.call("GET", f"/api/episodes/{episode}/recordings")
    assert recording["state"] == "ready"
    assert len(third.call("GET", f"/api/episodes/{episode}")["tracks"]) == 1


def test_every_acknowledged_edit_survives_a_kill_at_any_moment(server):
    running = server()
    episode = new_episode(running)
    acknowledged = 0
    for seed in range(4):
        give_up = time.monotonic() + random.Random(seed).uniform(0.05, 0.5)
        revision = running.call("GET", f"/api/episodes/{episode}")["revision"]
        while time.monotonic() < give_up:
            change = {"revision": revision, "edit": {"edit": "add_marker", "at": acknowledged}}
            revision = running.call("POST", f"/api/episodes/{episode}/edits", change)["revision"]
            acknowledged += 1
        running.kill()
        assert is_sound(running.data)
        running = server()
        assert len(running.call("GET", f"/api/episodes/{episode}")["markers"]) == acknowledged
    assert acknowledged > 10


@pytest.mark.parametrize("pause", [0.3, 1.0])
def test_a_delivery_is_whole_or_not_there_and_is_finished_after_a_kill(server, talk_file, pause):
    running = server()
    episode = new_episode(running)
    data = talk_file(seconds=12).read_bytes()
    upload = running.call("POST", f"/api/episodes/{episode}/uploads", {"name": "a.wav", "size": len(data)})["id"]
    running.call("PUT", f"/api/uploads/{upload}?offset=0", raw=data)
    running.settle(episode)
    running.call("POST", f"/api/episodes/{episode}/deliveries", {"files": [{"kind": "opus"}]})
    time.sleep(pause)
    running.kill()
    listed = sqlite3.connect(running.data / "pampa.db").execute("SELECT file FROM deliveries").fetchall()
    visible = {p.name for p in (running.data / "deliveries").rglob("*") if p.is_file() and p.name[0] != "."}
    assert {name for (name,) in listed} <= visible
    running = server()
    running.settle(episode)
    [delivery] = running.call("GET", f"/api/episodes/{episode}/deliveries")
    assert delivery["sheet"]["met"]
    [path] = [p for p in (running.data / "deliveries").rglob("*.opus") if p.name[0] != "."]
    assert soundfile.info(path).frames >= 12 * RATE
