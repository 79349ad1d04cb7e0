"""The same client as the other tests of the web have; and what may be killed is forked from a process that is warm."""

from pampa.core.files import children
from tests.web.conftest import app, client

__all__ = ["app", "client"]

children.LOADED = [*children.LOADED, "tests.trust.warmed"]
