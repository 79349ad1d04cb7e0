"""The same client as the other tests of the web have."""

from tests.web.conftest import app, client

__all__ = ["app", "client"]
