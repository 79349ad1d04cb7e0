"""A client that has the token of a page, as a browser has."""

import re

import pytest
from fastapi.testclient import TestClient

from pampa.web.app import create_app

BASE = "http://127.0.0.1:8400"


@pytest.fixture
def app(studio):
    return create_app(studio)


@pytest.fixture
def client(app):
    with TestClient(app, base_url=BASE) as client:
        page = client.get("/").text
        client.headers["X-Pampa-Token"] = re.search(r'name="pampa-token" content="([^"]+)"', page)[1]
        yield client
